"""A capture: so many samples at the rate they come, about a trigger."""

import math
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.quality import Quality
from tidybench.core.values.channel import device_time

_Row = tuple[int, list[float], list[int]]


@dataclass(slots=True)
class Captured:
    """What was taken: `trigger_at` and `begun_at` (of its first sample) in microseconds since 1970 UTC; a list for each column, seconds from the
    trigger first; NaN where the device gave no time."""

    trigger_at: int
    begun_at: int
    values: list[list[float]]
    qualities: list[list[int]]
    before: int


@dataclass(slots=True)
class Sources:
    """Where a capture's columns come from: the channels' numbers in the order of its columns, the number of the channel whose level is watched,
    and of the one that is its device's clock; 0 for none."""

    columns: Sequence[int]
    watched: int = 0
    clock: int = 0


class Capturing:
    """One order. Fed every batch in order, it gathers what was before and what comes after; what is whole is in `done`, for whoever takes it
    out. `missed`: triggers that came while it was taking. `is_over`: all its captures are taken."""

    def __init__(self, order: CaptureOrder, sources: Sources) -> None:
        self.order = order
        self.done: list[Captured] = []
        self.missed = self.taken = 0
        self._every = [*sources.columns]
        for more in (sources.watched, sources.clock):
            if more and more not in self._every:
                self._every.append(more)
        self._columns = len(sources.columns)
        self._place = {number: n for n, number in enumerate(self._every)}
        self._watched = self._place.get(sources.watched, -1) if sources.watched else -1
        self._clock = self._place.get(sources.clock, -1) if sources.clock else -1
        self._before: deque[_Row] = deque(maxlen=order.before)
        self._rows: list[_Row] | None = None
        self._trigger: tuple[int, int] | None = None  # its time, and the time by the device's clock
        self._had = 0
        self._due: int | None = None
        self._was_low = self._was_high = False  # since the level was passed last

    @property
    def is_over(self) -> bool:
        """Whether nothing more is taken."""
        return self.taken >= self.order.times

    @property
    def gathered(self) -> int:
        """Samples of the present capture so far."""
        return len(self._rows) if self._rows is not None else len(self._before)

    @property
    def is_triggered(self) -> bool:
        """Whether the trigger of the present capture has come."""
        return self._rows is not None

    def press(self, at: int) -> None:
        """The trigger comes at `at`, whatever is waited for: the first sample from then on is the trigger's."""
        if self._rows is not None:
            self.missed += 1
        elif self._due is None:
            self._due = at

    def take(self, batch: Batch, prefilling: bool = False) -> None:
        """The samples of one event. `prefilling`: they are from memory, and trigger nothing."""
        for row in self._split(batch):
            if self.is_over:
                return
            self._one(row, prefilling)

    def _split(self, batch: Batch) -> list[_Row]:
        """A row for each message with a sample of the first channel. What is calculated of a message stands behind all messages of an event, at its
        time."""
        rows: list[_Row] = []
        place, size = self._place, len(self._every)
        time, last = None, -1
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            number = word >> 8
            column = place.get(number, -1)
            if column < 0:
                continue
            if at != time or number <= last:
                rows.append((at, [math.nan] * size, [-1] * size))
                time = at
            last = number
            quality = word & 0xFF
            row = rows[-1]
            row[1][column] = value if quality <= Quality.FLAGGED else math.nan
            row[2][column] = quality
        return [row for row in _joined(rows) if row[2][0] >= 0]

    def _one(self, row: _Row, prefilling: bool) -> None:
        crosses = self._crosses(row)
        if self._rows is not None:
            self.missed += crosses
            self._add(row)
            return
        due = self._due is not None and row[0] >= self._due
        if not prefilling and (due or crosses or self.order.trigger.kind == "now"):
            at = self._due if due and self._due is not None else row[0]
            self._due = None
            self._rows = list(self._before)
            self._had = len(self._rows)
            self._before.clear()
            late = row[1][self._clock] if self._clock >= 0 else 0.0
            self._trigger = at, device_time(row[0], late) if math.isfinite(late) else row[0]
            self._add(row)
            return
        if self.order.before:
            self._before.append(row)

    def _crosses(self, row: _Row) -> bool:
        """Whether its level was passed with this row, having been back by the hysteresis before."""
        trigger = self.order.trigger
        if trigger.kind != "level" or trigger.level is None or self._watched < 0:
            return False
        value, level, back = row[1][self._watched], trigger.level, trigger.hysteresis
        if not math.isfinite(value):
            return False
        rises, falls = self._was_low and value >= level, self._was_high and value <= level
        self._was_low = (self._was_low and not rises) or (value < level and value <= level - back)
        self._was_high = (self._was_high and not falls) or (value > level and value >= level + back)
        return (rises and trigger.edge != "falling") or (falls and trigger.edge != "rising")

    def _add(self, row: _Row) -> None:
        assert self._rows is not None
        self._rows.append(row)
        if len(self._rows) >= self.order.samples:
            self._finish()

    def _finish(self) -> None:
        assert self._rows is not None
        assert self._trigger is not None
        rows, (at, own) = self._rows, self._trigger
        self._rows, self._trigger = None, None
        xs = []
        for time, values, _ in rows:
            if not self.order.own_time or self._clock < 0:
                xs.append((time - at) / 1e6)
                continue
            late = values[self._clock]
            xs.append((device_time(time, late) - own) / 1e6 if math.isfinite(late) else math.nan)
        columns = [xs, *([row[1][n] for row in rows] for n in range(self._columns))]
        none = int(Quality.NO_READING)
        marks = [[int(Quality.OK) if math.isfinite(x) else none for x in xs]]
        marks += [[row[2][n] if row[2][n] >= 0 else none for row in rows] for n in range(self._columns)]
        self.done.append(Captured(at, rows[0][0], columns, marks, self._had))
        self.taken += 1
        if self.order.before:
            self._before.extend(rows[-self.order.before :])


def _joined(rows: list[_Row]) -> list[_Row]:
    """Rows of one time that have no column in common are one."""
    found: dict[int, _Row] = {}
    every: list[_Row] = []
    for row in rows:
        other = found.get(row[0])
        if other is None or any(a >= 0 and b >= 0 for a, b in zip(other[2], row[2], strict=True)):
            found[row[0]] = row
            every.append(row)
            continue
        for n, quality in enumerate(row[2]):
            if quality >= 0:
                other[1][n], other[2][n] = row[1][n], quality
    return every
