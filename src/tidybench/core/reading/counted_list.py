"""Lists whose count stands in the message: `<n:int>;<ch[1..n] sep(;)>`."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, convert, expression, fields_of

MAX_COUNT = 64
"""Members that such a list may have."""


@dataclass(slots=True, frozen=True)
class CountedList:
    """Where in a pattern's elements it stands (`begin` to `end`, with all members it may have and what parts them), and which
    field says how many there are."""

    count: str
    begin: int
    end: int

    def elements(self, every: tuple[Element, ...], count: int) -> tuple[Element, ...]:
        """A pattern's elements with so many members."""
        parts = every[self.begin : self.end]
        step = 1 if all(part.is_field for part in parts) else 2
        return (*every[: self.begin], *parts[: max(0, count * step - step + 1)], *every[self.end :])

    def matcher(self, every: tuple[Element, ...]) -> Callable[[bytes], "Padded | None"]:
        """What matches whole messages: for each count an expression of its own, made when it first comes."""
        before = fields_of(every[: self.begin])
        place = next(n for n, one in enumerate(before) if one.name == self.count)
        head = _compiled(every[: self.begin])
        whole: dict[int, re.Pattern[bytes]] = {}

        def match(message: bytes) -> Padded | None:
            begun = head.match(message)
            count = count_of(convert(before[place], begun[place + 1])) if begun is not None else None
            if count is None:
                return None
            if count not in whole:
                whole[count] = _compiled(self.elements(every, count))
            found = whole[count].fullmatch(message)
            if found is None:
                return None
            groups, at = found.groups(), len(before) + count
            return Padded((*groups[:at], *[None] * (MAX_COUNT - count), *groups[at:]))

        return match


@dataclass(slots=True, frozen=True)
class Padded:
    """What each field took; None for members that are not there."""

    took: tuple[Any, ...]

    def groups(self) -> tuple[Any, ...]:
        """As of a match of a regular expression."""
        return self.took


def count_of(read: Field | None) -> int | None:
    """How many members there are; None for no such number."""
    if read is None or read[0] is not Quality.OK or isinstance(read[1], str):
        return None
    value = read[1]
    return int(value) if 0 <= value <= MAX_COUNT and value == int(value) else None


def counted_list(elements: tuple[Element, ...]) -> CountedList | None:
    """The counted list of a pattern; None for none."""
    places = [n for n, one in enumerate(elements) if one.counted]
    return CountedList(elements[places[0]].counted, places[0], places[-1] + 1) if places else None


def _compiled(elements: tuple[Element, ...]) -> "re.Pattern[bytes]":
    return re.compile(b"".join(map(expression, elements)), re.DOTALL)
