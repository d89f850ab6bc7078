"""Messages cut into cells and what stands between them, without deciding yet what a cell means.

A cell is a run of characters that may belong to one value, its sign, exponent and unit included. Everything else is a
mark, one character each, or a blank. Nothing is left over.
"""

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

_MONTH, _DAY = rb"(?:0[1-9]|1[0-2])", rb"(?:0[1-9]|[12]\d|3[01])"
CLOCK = (
    rb"\d{4}(?P<sign>[-/.])" + _MONTH + rb"(?P=sign)" + _DAY
    + rb"(?:[T ]\d{2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?)?(?:Z|[+-]\d{2}:?\d{2}(?!\d))?"
    rb"|\d{1,2}(?P<other>[-/.])\d{1,2}(?P=other)(?:\d{4}|\d{2})(?: \d{2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?)?"
    rb"|\d+:\d{2}(?::\d{2})?(?:\.\d+)?"
)  # fmt: skip
"""Dates and times of day (ISO 8601, and the day first or last)."""

_INSIDE = rb"A-Za-z0-9_.%+\-\x80-\xff"


@dataclass(slots=True, frozen=True)
class Cell:
    """A run of characters, and the blanks before it. A mark has one character; `kind` end is the message's end."""

    kind: Literal["cell", "clock", "mark", "end"]
    text: bytes
    blanks: int
    start: int = 0


@lru_cache
def _expression(commas: bool) -> "re.Pattern[bytes]":
    comma = rb"|(?<=[\d\-]),(?=[\d\-])|,(?=\d)" if commas else rb""
    return re.compile(
        rb"(?P<blank> +)"
        rb"|(?P<clock>(?<![" + _INSIDE + rb":])(?:" + CLOCK + rb")(?![" + _INSIDE + rb":]))"
        rb"|(?P<either>\+ ?/ ?-)"
        rb"|(?P<cell>(?:[+-] +(?=\.?\d))?(?:(?!(?<=[A-Za-z])[+-] +\.?\d)["
        + _INSIDE
        + rb"]|[*?]{2,}(?:[.,][*?]+)?"
        + comma
        + rb")+)"
        rb"|(?P<mark>.)",
        re.DOTALL,
    )


def cells(message: bytes, commas: bool = False) -> list[Cell]:
    """From left to right, the end last. `commas`: a comma between digits belongs to their cell."""
    found: list[Cell] = []
    blanks = 0
    for match in _expression(commas).finditer(message):
        if match.lastgroup == "blank":
            blanks = len(match[0])
            continue
        if match.lastgroup == "either":  # “5.1 +/- 0.2”: no sign of the number behind it
            found.append(Cell("mark", match[0], blanks, match.start()))
            blanks = 0
            continue
        kind: Literal["cell", "clock", "mark"] = match.lastgroup  # type: ignore[assignment]
        found.append(Cell(kind, match[0], blanks, match.start()))
        blanks = 0
    return [*found, Cell("end", b"", blanks, len(message))]


Shape = tuple[bytes, ...]


def shape(parts: list[Cell]) -> Shape:
    """What messages of one kind have in common: cells where cells are, and the same marks."""
    return tuple(
        part.text if part.kind == "mark" else b"" if part.kind == "cell" else part.kind.encode()
        for part in parts
    )
