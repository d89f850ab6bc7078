"""Steady rows: one at every multiple of an interval."""

from collections import deque
from collections.abc import Callable, Sequence

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.core.values.row_rule import OF_THE_INTERVAL, RowValue
from tidybench.runs.cells import cells_of, csv_cell, safe_text
from tidybench.runs.columns import values_of
from tidybench.runs.interval_values import IntervalValues
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState
from tidybench.runs.stamps import Stamps

SETTLE = 40_000
"""Microseconds after a row's time before it is written: what was measured by then has been read."""

SETTLE_INTERVAL = 500_000
"""The same where rows have means, at most half an interval: what is read later is in no row, and in the samples all the same."""

GAP = 60_000_000
"""Microseconds without a chance to write rows from which on none are written for the time between."""

STALL, CATCH_UP = 120_000, 100_000
"""Microseconds in which nothing was read or looked at, from which on the program, or the computer, counts as having stood still; and how long
no row is written then: what arrived meanwhile is read one link after the other, and belongs into rows of that time."""

EAGER_INTERVAL = 100_000
"""Rows' interval where every channel goes as fast as it can, and what counts as old for it."""

_CODES = [quality.code for quality in Quality]


def fastest(channels: Sequence[RunChannel]) -> int:
    """The interval of the fastest channel, in microseconds."""
    return min((_interval(channel) for channel in channels), default=1_000_000)


def _interval(channel: RunChannel) -> int:
    return round(channel.interval_s * 1e6) or EAGER_INTERVAL


class _Gathering:
    """What has come of one channel for the row that is next. `longest`: how old its latest may be, in microseconds. `patience`:
    microseconds without a sample that are a gap, 0 where silence is normal."""

    __slots__ = (
        "cell",
        "gap",
        "heard",
        "label",
        "latest",
        "longest",
        "of_interval",
        "patience",
        "since",
        "single",
        "values",
        "waiting",
    )

    def __init__(
        self, channel: RunChannel, values: list[RowValue], longest: int, cell: Callable[[int, float], str]
    ) -> None:
        self.label = safe_text(channel.name)
        self.longest, self.cell, self.single = longest, cell, channel.single
        self.values = values
        self.of_interval = None if OF_THE_INTERVAL.isdisjoint(values) else IntervalValues()
        self.patience = 3 * round(channel.interval_s * 1e6)
        self.since = self.heard = 0  # the interval's samples are later than `since`
        self.gap = False  # within the interval
        self.latest: tuple[int, int, float] | None = None
        self.waiting: deque[tuple[int, int, float]] = deque()  # later than the next row

    def take(self, sample: tuple[int, int, float]) -> None:
        self.latest = sample
        if self.of_interval is not None and sample[0] > self.since:
            self.hear(sample[0])
            self.of_interval.add(sample[1], sample[2])

    def hear(self, time: int) -> None:
        """The interval is known up to here."""
        self.gap = self.gap or 0 < self.patience < time - self.heard
        self.heard = time

    def next_row(self, since: int, time: int) -> None:
        """The next row is that of `time`, of an interval that begins at `since`."""
        self.drain(since)
        if self.of_interval is not None:
            self.of_interval.clear()
        self.since = self.heard = since
        self.gap = False
        self.drain(time)

    def drain(self, until: int) -> None:
        waiting = self.waiting
        while waiting and waiting[0][0] <= until:
            self.take(waiting.popleft())


class SteadyRows:
    """A row at every multiple of the rule's interval, or of the fastest channel's.

    A channel's latest is its newest sample that is not older than the rule says, or than one and a half of its own
    interval; otherwise it is empty, and the flags say why. Mean, minimum and maximum are of what was measured since the row
    before.
    """

    def __init__(self, state: RunState, last_row: int | None = None) -> None:
        rule = state.row_rule
        self._every = round(rule.every_s * 1e6) or fastest(state.channels)
        cells = cells_of(state.channels, Stamps().milli)
        age = round(rule.age_s * 1e6)
        self._channels = [
            _Gathering(channel, values_of(channel, rule), age or _interval(channel) * 3 // 2, cell)
            for channel, cell in zip(state.channels, cells, strict=True)
        ]
        self._columns = {c.number: made for c, made in zip(state.channels, self._channels, strict=True)}
        self._begun = state.begun_at
        self._stamp = Stamps().milli
        self._plain = rule.values == ["latest"]
        self._settle = max(SETTLE, min(SETTLE_INTERVAL, self._every // 2)) if rule.of_the_interval else SETTLE
        self._next = (-(-state.begun_at // self._every)) * self._every
        self._seen = self._held = 0  # the newest time that was told; until when no row is written
        if last_row is not None:
            self._next = max(self._next, (last_row // self._every + 1) * self._every)
        for channel in self._channels:
            channel.since = self._next - self._every
            channel.heard = max(channel.since, state.begun_at if last_row is None else 0)

    @property
    def interval(self) -> int:
        """Microseconds between two rows."""
        return self._every

    def feed(self, at: int, batch: Batch) -> list[str]:
        rows = self.until(at)
        columns, until = self._columns, self._next
        for word, time, value in zip(batch.words, batch.times, batch.values, strict=True):
            channel = columns.get(word >> 8)
            if channel is not None:
                sample = (time, word & 0xFF, value)
                if time <= until and not channel.waiting:
                    channel.take(sample)
                else:
                    channel.waiting.append(sample)
        return rows

    def until(self, at: int) -> list[str]:
        rows: list[str] = []
        if self._seen and at - self._seen > STALL:
            # What came before it has been read long ago: catching up takes less than standing still.
            rows = self._rows(self._seen - self._settle)
            self._held = at + CATCH_UP
        self._seen = max(self._seen, at)
        if at < self._held:
            return rows
        if at - self._next > GAP:
            # The computer slept: a gap is a gap, not a row for every slot of the night.
            self._go_to((at - self._settle) // self._every * self._every)
        return rows + self._rows(at - self._settle)

    def finish(self, at: int) -> list[str]:
        self._held = self._seen = 0
        return self._rows(at) if self._settle > SETTLE else self.until(at)

    def skip(self, at: int) -> None:
        self._go_to(max(self._next, (at // self._every + 1) * self._every))

    def _go_to(self, time: int) -> None:
        """This row is next; what was gathered for one that is left out counts for none."""
        if time == self._next:
            return
        self._next = time
        for channel in self._channels:
            channel.next_row(time - self._every, time)

    def _rows(self, until: int) -> list[str]:
        rows = []
        while self._next <= until:
            rows.append(self._row(self._next))
            self._next += self._every
            for channel in self._channels:
                if channel.waiting or channel.of_interval is not None:
                    channel.next_row(self._next - self._every, self._next)
        return rows

    def _row(self, time: int) -> str:
        cells: list[str] = []
        flags: list[str] = []
        for channel in self._channels:
            flag = ""
            if self._plain or channel.of_interval is None or "latest" in channel.values:
                cell, age, flag = _latest(channel, time)
                if self._plain:
                    cells.append(cell)
                    if flag:
                        flags.append(f"{channel.label}={flag}")
                    continue
            else:
                cell = age = ""
            gathered = channel.of_interval
            for value in channel.values:
                if value == "latest":
                    cells.append(cell)
                elif value == "age":
                    cells.append(age)
                else:
                    cells.append(_of_interval(gathered, value, channel.single))
            if gathered is not None:
                channel.hear(time)
                flag = flag or gathered.flag or ("gap" if channel.gap else "")
            if flag:
                flags.append(f"{channel.label}={flag}")
        elapsed = (time - self._begun) / 1e6
        text = csv_cell("; ".join(flags)) if flags else ""
        return f"{self._stamp(time)},{elapsed:.3f},{','.join(cells)},{text}\r\n"


def _latest(channel: _Gathering, time: int) -> tuple[str, str, str]:
    """The cell of its newest sample at a row's time, how old that is in seconds, and the flag."""
    latest = channel.latest
    if latest is None:
        return "", "", "no-sample"
    at, quality, value = latest
    if quality >= 2:
        return "", "", _CODES[quality]
    if time - at > channel.longest:
        return "", "", "no-sample"
    return channel.cell(at, value), figure((time - at) / 1e6), _CODES[quality] if quality else ""


def _of_interval(gathered: IntervalValues | None, value: RowValue, single: bool) -> str:
    if gathered is None or not gathered.measured:
        return ""
    if value == "mean":
        mean = gathered.mean
        return figure(mean) if mean - mean == 0 else ""
    return figure(gathered.minimum if value == "minimum" else gathered.maximum, single)
