"""Which characters of a message each element of a pattern takes."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.reading.element import Element, convert, expression


@dataclass(slots=True, frozen=True)
class Span:
    """An element and the half-open range of the message it took."""

    element: Element
    start: int
    end: int


def align(elements: Sequence[Element], message: bytes) -> tuple[list[Span], bool]:
    """The spans of the elements as far as they fit, and whether all of them did to the message's end.

    Optional parts are opened up: their elements stand in the list where they were there.
    """
    spans: list[Span] = []
    position = _align(elements, message, 0, spans)
    return spans, position == len(message)


def _align(elements: Sequence[Element], message: bytes, position: int, spans: list[Span]) -> int | None:
    for element in elements:
        if element.kind == "optional":
            inner: list[Span] = []
            after = _align(element.parts, message, position, inner)
            if after is not None:
                spans += inner
                position = after
            continue
        found = re.compile(expression(element), re.DOTALL).match(message, position)
        if found is None or (element.name and convert(element, found[1]) is None):
            return None
        spans.append(Span(element, position, found.end()))
        position = found.end()
    return position
