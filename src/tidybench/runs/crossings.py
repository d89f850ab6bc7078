"""crossings.csv: the limits that were crossed in a run."""

import csv
from pathlib import Path
from typing import get_args

from tidybench.core.values.crossing import Crossing, State
from tidybench.core.values.figure import figure
from tidybench.runs.cells import csv_cell, plain_text
from tidybench.runs.stamps import Stamps, parse

CROSSINGS = "crossings.csv"
HEAD = "time,elapsed_s,channel,state,value,limit\r\n"

_STAMPS = Stamps()
_STATES: dict[str, State] = {state: state for state in get_args(State)}


def crossing_row(crossing: Crossing, begun_at: int) -> str:
    """A line of crossings.csv, line end included."""
    elapsed = (crossing.at - begun_at) / 1e6
    limit = "" if crossing.limit is None else figure(crossing.limit)
    return (
        f"{_STAMPS.micro(crossing.at)},{elapsed:.6f},{csv_cell(crossing.name)},{crossing.state},"
        f"{_cell(crossing)},{limit}\r\n"
    )


def _cell(crossing: Crossing) -> str:
    if crossing.value is None:
        return ""
    return csv_cell(crossing.word) if crossing.word else figure(crossing.value)


def _number(cell: str) -> float | None:
    try:
        return float(cell)
    except ValueError:
        return None


MOST = 100_000
"""Crossings of a run that are read."""


def read_crossings(folder: Path) -> list[Crossing]:
    """The crossings of a run, the first `MOST` of them; [] where its folder has none. A torn line is left out. Of a state only its word is
    known."""
    found: list[Crossing] = []
    try:
        with open(folder / CROSSINGS, encoding="utf-8", newline="") as file:
            for row in list(csv.reader(file))[1 : MOST + 1]:
                if len(row) == 6 and row[3] in _STATES:
                    limit = float(row[5]) if row[5] else None
                    name, cell = plain_text(row[2]), plain_text(row[4])
                    value = _number(row[4])
                    word = cell if value is None else ""
                    found.append(
                        Crossing(parse(row[0]), 0, _STATES[row[3]], "", value, limit, name, word=word)
                    )
    except (OSError, ValueError):
        pass  # an older run, or a torn line
    return found
