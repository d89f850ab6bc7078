"""Rows of the CSV, made of samples by the run's row rule."""

from collections.abc import Callable
from typing import Protocol

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.runs.cells import cells_of, csv_cell, safe_text
from tidybench.runs.run_state import RunState
from tidybench.runs.stamps import Stamps
from tidybench.runs.steady_rows import SteadyRows

_CODES = [quality.code for quality in Quality]


class RowMaker(Protocol):
    """Turns samples into the CSV's rows. Feed it in order of sequence."""

    def feed(self, at: int, batch: Batch) -> list[str]:
        """Samples of an event that happened at `at`; gives the rows that are due, with line ends."""

    def until(self, at: int) -> list[str]:
        """The rows that are due at `at` with nothing new."""

    def finish(self, at: int) -> list[str]:
        """The last rows, where nothing more comes and it all ends at `at`."""

    def skip(self, at: int) -> None:
        """No rows for the time until `at`: what was measured then could not be kept."""


def make_rule(state: RunState, last_row: int | None = None) -> RowMaker:
    """What makes the rows of a run; `last_row`: the time of the last one already written."""
    if not state.channels:
        return NoRows()
    if state.row_rule.kind == "each reading":
        return EachReading(state)
    return SteadyRows(state, last_row)


class NoRows:
    """Of a run without channels, which keeps curves: a row would have nothing in it."""

    def feed(self, at: int, batch: Batch) -> list[str]:
        return []

    def until(self, at: int) -> list[str]:
        return []

    def finish(self, at: int) -> list[str]:
        return []

    def skip(self, at: int) -> None:
        pass


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

    def finish(self, at: int) -> list[str]:
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
