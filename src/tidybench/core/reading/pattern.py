"""The message pattern language: a pattern looks like the message, with what changes in brackets.

    FL=<flow none(--------) [L/min]> L/min <state:word>

There is no backtracking: each element takes what it can and never gives it back, so reading takes
time linear in the message. A pattern that would need more is refused when it is compiled.
docs/formats/message-patterns.md describes the language for its users.
"""

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tidybench.core.quality import Quality
from tidybench.core.reading.ambiguity import checked
from tidybench.core.reading.counted_list import MAX_COUNT, CountedList, Padded, count_of, counted_list
from tidybench.core.reading.element import (
    NOTHING,
    Element,
    Field,
    Value,
    convert,
    describe,
    expression,
    fields_of,
    shown_byte,
)
from tidybench.core.reading.pattern_source import PatternError, parse
from tidybench.core.reading.stop import Stop
from tidybench.core.reading.writing import write

__all__ = ["Pattern", "PatternError", "compile_pattern", "walk"]


@dataclass(slots=True)
class Pattern:
    """A compiled pattern."""

    source: str
    elements: tuple[Element, ...]
    fields: tuple[Element, ...] = ()
    match: Callable[[bytes], "re.Match[bytes] | Padded | None"] = field(repr=False, default=lambda _: None)
    counted: CountedList | None = None

    @property
    def is_indirect(self) -> bool:
        """Whether a field says something of another one (a unit, a quality), or holds several (bits)."""
        return any(element.kind in ("unit", "quality") or element.bits for element in self.fields)

    @property
    def numbers(self) -> tuple[str, ...]:
        """The fields that channels can be made from."""
        return tuple(name for element in self.fields if element.is_number for name in element.names)

    @property
    def words(self) -> tuple[str, ...]:
        """The fields that are texts: channels of states can be made from them."""
        return tuple(element.name for element in self.fields if element.kind in ("word", "text", "choice"))

    def units(self) -> dict[str, str]:
        """The unit each number has, where the pattern says so."""
        return {element.name: element.unit for element in self.fields if element.is_number and element.unit}

    def read(self, message: bytes) -> dict[str, Field] | Stop:
        """The fields of a message, or where it stops being understood."""
        matched = self.match(message)
        got = self.of_groups(matched.groups()) if matched is not None else None
        return self.explain(message) if got is None else got

    def of_groups(self, groups: Sequence[Any]) -> dict[str, Field] | None:
        """The fields, from what each took; None where one of them is no number after all."""
        fields: dict[str, Field] = {}
        for element, raw in zip(self.fields, groups, strict=True):
            if raw is None and element.counted:
                continue  # a member that is not there is not even missing
            got = convert(element, raw)
            if got is None:
                return None
            fields[element.name] = got
            if element.bits:
                _spread(fields, element, got)
        self._related(fields, groups)
        return fields

    def _related(self, fields: dict[str, Field], groups: Sequence[Any]) -> None:
        """What fields say of others: wherever those stand."""
        for element, raw in zip(self.fields, groups, strict=True):
            if raw is None:
                continue
            if element.kind == "unit":
                _scale(fields, element, raw)
            elif element.kind == "quality":
                _judge(fields, element, raw, self.numbers)

    def explain(self, message: bytes) -> Stop:
        """Where a message that does not match stops being understood: the slow, plain way."""
        elements: tuple[Element, ...] | Stop = self.elements
        if self.counted is not None:
            elements = self._counted(message, self.counted)
        walked = elements if isinstance(elements, Stop) else walk(elements, message)
        if isinstance(walked, Stop):
            return walked
        raise AssertionError(f"{message!r} is understood by {self.source!r}")

    def elements_of(self, message: bytes) -> tuple[Element, ...]:
        """The elements, with as many members of a counted list as this message says."""
        found = self._counted(message, self.counted) if self.counted is not None else self.elements
        return self.elements if isinstance(found, Stop) else found

    def _counted(self, message: bytes, counted: CountedList) -> tuple[Element, ...] | Stop:
        fields: dict[str, Field] = {}
        position = _walk(self.elements[: counted.begin], message, 0, fields, {})
        if isinstance(position, Stop):
            return position
        count = count_of(fields[counted.count])
        if count is None:
            return Stop.at(message, position, f"a count from 0 to {MAX_COUNT} before this ({counted.count})")
        return counted.elements(self.elements, count)

    def write(self, values: Mapping[str, Value]) -> bytes:
        """The message with these values in its fields; raises ValueError with a sentence."""
        if self.counted is None:
            return write(self.elements, values)
        count = values.get(self.counted.count, "")
        members = count_of((Quality.OK, count))
        if members is None:
            raise ValueError(f"{self.counted.count} wants a count from 0 to {MAX_COUNT}; {count!r} is none.")
        return write(self.counted.elements(self.elements, members), values)


def compile_pattern(source: str, encoding: str = "ascii") -> Pattern:
    """Compile a pattern; raises PatternError with the column and a suggestion."""
    elements = checked(parse(source, encoding))
    counted = counted_list(elements)
    if counted is not None:
        return Pattern(source, elements, fields_of(elements), counted.matcher(elements), counted)
    whole = re.compile(b"".join(map(expression, elements)), re.DOTALL)
    return Pattern(source, elements, fields_of(elements), whole.fullmatch)


def _spread(fields: dict[str, Field], element: Element, got: Field) -> None:
    """Each named bit of a whole number, 0 or 1, or each named row of bits as a number."""
    quality, value = got
    measured = Quality(quality).measured and isinstance(value, float)
    whole = int(value) if measured else 0
    for name, count in zip(element.bits, element.bit_counts, strict=True):
        if name:
            fields[name] = (quality, float(whole & (1 << count) - 1)) if measured else (quality, math.nan)
        whole >>= count


def _judge(fields: dict[str, Field], element: Element, raw: bytes, numbers: Sequence[str]) -> None:
    """What a text says of the numbers: not to be relied on, or none at all."""
    said = element.qualities[element.choices.index(raw)]
    if said is Quality.OK:
        return
    for name in (element.of,) if element.of else numbers:
        if name not in fields:
            continue
        quality, value = fields[name]
        if Quality(quality).measured:
            fields[name] = said, value if said is Quality.FLAGGED else math.nan


def _scale(fields: dict[str, Field], unit: Element, raw: bytes) -> None:
    quality, value = fields[unit.of]
    if Quality(quality).measured and isinstance(value, float):
        fields[unit.of] = quality, value * unit.factors[unit.choices.index(raw)]


def walk(elements: tuple[Element, ...], message: bytes) -> dict[str, Field] | Stop:
    """Read a message element by element: the reference that the compiled form is tested against."""
    fields: dict[str, Field] = {}
    took: dict[str, bytes] = {}
    position = _walk(elements, message, 0, fields, took)
    if isinstance(position, Stop):
        return position
    if position < len(message):
        return Stop.at(message, position, "the end of the message")
    numbers = tuple(n for one in fields_of(elements) if one.is_number for n in one.names)
    for element in fields_of(elements):
        raw = took.get(element.name)
        if raw is not None and element.kind == "unit":
            _scale(fields, element, raw)
        elif raw is not None and element.kind == "quality":
            _judge(fields, element, raw, numbers)
    return fields


def _walk(
    elements: tuple[Element, ...],
    message: bytes,
    position: int,
    fields: dict[str, Field],
    took: dict[str, bytes],
) -> int | Stop:
    for element in elements:
        if element.kind == "literal":
            there = _common(element.text, message[position : position + len(element.text)])
            if there < len(element.text):
                return Stop.at(message, position + there, shown_byte(element.text[there : there + 1]))
            position += len(element.text)
            continue
        if element.kind == "optional":
            inner: dict[str, Field] = {}
            inside: dict[str, bytes] = {}
            after = _walk(element.parts, message, position, inner, inside)
            if isinstance(after, Stop):
                if after.column > position + 1:
                    return after
                inner = {n: NOTHING for one in fields_of(element.parts) for n in one.names}
                inside, after = {}, position
            took.update(inside)
            fields.update(inner)
            position = after
            continue
        matched = re.compile(expression(element), re.DOTALL).match(message, position)
        if matched is None:
            return Stop.at(message, position, describe(element))
        if element.name:
            got = convert(element, matched[1])
            if got is None:
                return Stop.at(message, position, describe(replace(element, width=0)))
            fields[element.name] = got
            took[element.name] = matched[1]
            if element.bits:
                _spread(fields, element, got)
        position = matched.end()
    return position


def _common(expected: bytes, found: bytes) -> int:
    for index, (a, b) in enumerate(zip(expected, found, strict=False)):
        if a != b:
            return index
    return min(len(expected), len(found))
