"""The message pattern language: a pattern looks like the message, with what changes in brackets.

    FL=<flow none(--------) [L/min]> L/min <state:word>

There is no backtracking: each element takes what it can and never gives it back, so reading takes
time linear in the message. A pattern that would need more is refused when it is compiled.
docs/formats/message-patterns.md describes the language for its users.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tidybench.core.quality import Quality
from tidybench.core.reading.ambiguity import checked
from tidybench.core.reading.element import (
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
    match: Callable[[bytes], "re.Match[bytes] | None"] = field(repr=False, default=lambda _: None)

    @property
    def has_units(self) -> bool:
        """Whether a unit in the message scales a field."""
        return any(element.kind == "unit" for element in self.fields)

    @property
    def numbers(self) -> tuple[str, ...]:
        """The fields that channels can be made from."""
        return tuple(element.name for element in self.fields if element.is_number)

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
            got = convert(element, raw)
            if got is None:
                return None
            fields[element.name] = got
            if element.kind == "unit" and raw is not None:
                _scale(fields, element, raw)
        return fields

    def explain(self, message: bytes) -> Stop:
        """Where a message that does not match stops being understood: the slow, plain way."""
        walked = walk(self.elements, message)
        if isinstance(walked, Stop):
            return walked
        raise AssertionError(f"{message!r} is understood by {self.source!r}")

    def write(self, values: Mapping[str, Value]) -> bytes:
        """The message with these values in its fields; raises ValueError with a sentence."""
        return write(self.elements, values)


def compile_pattern(source: str, encoding: str = "ascii") -> Pattern:
    """Compile a pattern; raises PatternError with the column and a suggestion."""
    elements = checked(parse(source, encoding))
    whole = re.compile(b"".join(map(expression, elements)), re.DOTALL)
    return Pattern(source, elements, fields_of(elements), whole.fullmatch)


def _scale(fields: dict[str, Field], unit: Element, raw: bytes) -> None:
    quality, value = fields[unit.of]
    if Quality(quality).measured and isinstance(value, float):
        fields[unit.of] = quality, value * unit.factors[unit.choices.index(raw)]


def walk(elements: tuple[Element, ...], message: bytes) -> dict[str, Field] | Stop:
    """Read a message element by element: the reference that the compiled form is tested against."""
    fields: dict[str, Field] = {}
    position = _walk(elements, message, 0, fields)
    if isinstance(position, Stop):
        return position
    if position < len(message):
        return Stop.at(message, position, "the end of the message")
    return fields


def _walk(
    elements: tuple[Element, ...], message: bytes, position: int, fields: dict[str, Field]
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
            after = _walk(element.parts, message, position, inner)
            if isinstance(after, Stop):
                if after.column > position + 1:
                    return after
                inner = {one.name: (convert(one, None) or _never()) for one in fields_of(element.parts)}
                after = position
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
            if element.kind == "unit":
                _scale(fields, element, matched[1])
        position = matched.end()
    return position


def _never() -> Field:
    raise AssertionError("an absent field always has a meaning")


def _common(expected: bytes, found: bytes) -> int:
    for index, (a, b) in enumerate(zip(expected, found, strict=False)):
        if a != b:
            return index
    return min(len(expected), len(found))
