"""The row rule: how samples of channels with different rates become rows of the CSV."""

from collections import deque
from collections.abc import Callable, Sequence
from typing import Protocol

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.runs.cells import cell_of, csv_cell, safe_text
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState
from tidybench.runs.stamps import Stamps

SETTLE = 40_000
"""Microseconds after a row's time before it is written: what was measured by then has been read."""

GAP = 60_000_000
"""Microseconds without a chance to write rows from which on none are written for the time between."""

EAGER_INTERVAL = 100_000
"""Rows' interval where every channel goes as fast as it can, and what counts as old for it."""

_CODES = [quality.code for quality in Quality]


class RowRule(Protocol):
    """Turns samples into the CSV's rows. Feed it in order of sequence."""

    def feed(self, at: int, batch: Batch) -> list[str]:
        """Samples of an event that happened at `at`; gives the rows that are due, with line ends."""

    def until(self, at: int) -> list[str]:
        """The rows that are due at `at` with nothing new."""

    def skip(self, at: int) -> None:
        """No rows for the time until `at`: what was measured then could not be kept."""


def header(channels: Sequence[RunChannel]) -> str:
    """The CSV's header row."""
    return ",".join(["time", "elapsed_s", *(csv_cell(c.title) for c in channels), "flags"]) + "\r\n"


def cells_of(
    channels: Sequence[RunChannel], stamp: Callable[[int], str]
) -> list[Callable[[int, float], str]]:
    """What writes each channel's cell: of a sample's time and value."""
    return [
        cell_of(one.single, one.clock, [csv_cell(word) for word in one.states], stamp) for one in channels
    ]


def make_rule(state: RunState, first: int | None = None) -> RowRule:
    """The row rule of a run; `first` is the time of the last row already written."""
    if state.row_rule == "each reading":
        return EachReading(state)
    return SteadyRows(state, first)


class EachReading:
    """A row for every reading: the channels of one message, the others empty."""

    def __init__(self, state: RunState) -> None:
        self._columns = {channel.number: index for index, channel in enumerate(state.channels)}
        self._labels = [safe_text(channel.name) for channel in state.channels]
        self._count = len(state.channels)
        self._single = [channel.single for channel in state.channels]
        self._commas = [("," * n, "," * (self._count - n)) for n in range(self._count)]
        self._begun = state.begun_at
        self._stamp: Callable[[int], str] = Stamps().micro
        self._cells = cells_of(state.channels, Stamps().micro)
        self._is_figure = [not channel.clock and not channel.states for channel in state.channels]

    def until(self, at: int) -> list[str]:
        return []

    def skip(self, at: int) -> None:
        pass

    def feed(self, at: int, batch: Batch) -> list[str]:
        words, times, values = batch.words, batch.times, batch.values
        columns, rows, count = self._columns, [], self._count
        total, index = len(words), 0
        if total == 1:  # most polls: one channel, read
            column = columns.get(words[0] >> 8, -1)
            if column >= 0 and not words[0] & 0xFF and self._is_figure[column]:
                time = times[0]
                elapsed = (time - self._begun) / 1e6
                before, after = self._commas[column]
                return [
                    f"{self._stamp(time)},{elapsed:.6f},{before}{figure(values[0], self._single[column])}{after}\r\n"
                ]
        while index < total:
            time = times[index]
            cells = [""] * count
            flags, last = "", -1
            while index < total and times[index] == time:
                word = words[index]
                column = columns.get(word >> 8, -1)
                if column >= 0:
                    if column <= last:
                        break  # the same time, but the next message
                    last = column
                    quality = word & 0xFF
                    if quality < 2:
                        cells[column] = self._cells[column](time, values[index])
                    if quality:
                        flags += f"{'; ' if flags else ''}{self._labels[column]}={_CODES[quality]}"
                index += 1
            if last >= 0:
                elapsed = (time - self._begun) / 1e6
                text = csv_cell(flags) if flags else ""
                rows.append(f"{self._stamp(time)},{elapsed:.6f},{','.join(cells)},{text}\r\n")
        return rows


class SteadyRows:
    """A row at every multiple of the fastest interval in the run.

    Each cell is the channel's newest sample that is not older than one and a half of its own
    interval; otherwise it is empty, and the flags say why.
    """

    def __init__(self, state: RunState, last_row: int | None = None) -> None:
        self._labels = [safe_text(channel.name) for channel in state.channels]
        self._columns = {channel.number: index for index, channel in enumerate(state.channels)}
        intervals = [round(c.interval_s * 1e6) or EAGER_INTERVAL for c in state.channels]
        self._every = min(intervals, default=1_000_000)
        self._longest = [interval * 3 // 2 for interval in intervals]
        self._samples: list[deque[tuple[int, int, float]]] = [deque() for _ in state.channels]
        self._begun = state.begun_at
        self._stamp = Stamps().milli
        self._cells = cells_of(state.channels, Stamps().milli)
        self._next = (-(-state.begun_at // self._every)) * self._every
        if last_row is not None:
            self._next = max(self._next, (last_row // self._every + 1) * self._every)

    @property
    def interval(self) -> int:
        """Microseconds between two rows."""
        return self._every

    def feed(self, at: int, batch: Batch) -> list[str]:
        rows = self.until(at)
        columns, samples = self._columns, self._samples
        for word, time, value in zip(batch.words, batch.times, batch.values, strict=True):
            column = columns.get(word >> 8)
            if column is not None:
                samples[column].append((time, word & 0xFF, value))
        return rows

    def until(self, at: int) -> list[str]:
        rows = []
        if at - self._next > GAP:
            # The computer slept: a gap is a gap, not a row for every slot of the night.
            self._next = (at - SETTLE) // self._every * self._every
        while self._next + SETTLE <= at:
            rows.append(self._row(self._next))
            self._next += self._every
        return rows

    def skip(self, at: int) -> None:
        self._next = max(self._next, (at // self._every + 1) * self._every)

    def _row(self, time: int) -> str:
        cells, flags = [], []
        for column, samples in enumerate(self._samples):
            while len(samples) > 1 and samples[1][0] <= time:
                samples.popleft()
            cell = ""
            if samples and samples[0][0] <= time:
                stamp, quality, value = samples[0]
                if quality >= 2:
                    flags.append(f"{self._labels[column]}={_CODES[quality]}")
                elif time - stamp > self._longest[column]:
                    flags.append(f"{self._labels[column]}=no-sample")
                else:
                    cell = self._cells[column](stamp, value)
                    if quality:
                        flags.append(f"{self._labels[column]}={_CODES[quality]}")
            else:
                flags.append(f"{self._labels[column]}=no-sample")
            cells.append(cell)
        elapsed = (time - self._begun) / 1e6
        text = csv_cell("; ".join(flags)) if flags else ""
        return f"{self._stamp(time)},{elapsed:.3f},{','.join(cells)},{text}\r\n"
