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


def align(elements: Sequence[Element], message: bytes, opened: bool = True) -> tuple[list[Span], bool]:
    """The spans of the elements as far as they fit, and whether all of them did to the message's end.

    Optional parts are opened up (their elements stand in the list where they were there), unless told
    otherwise: then each is one span, empty where it was absent.
    """
    spans: list[Span] = []
    position = _align(elements, message, 0, spans, opened)
    return spans, position == len(message)


def opened_up(span: Span, message: bytes) -> list[Span]:
    """The spans within an optional part."""
    inner: list[Span] = []
    _align(span.element.parts, message, span.start, inner, opened=True)
    return inner


def _align(
    elements: Sequence[Element], message: bytes, position: int, spans: list[Span], opened: bool
) -> int | None:
    for element in elements:
        if element.kind == "optional":
            inner: list[Span] = []
            after = _align(element.parts, message, position, inner, opened=True)
            if not opened:
                spans.append(Span(element, position, position if after is None else after))
            elif after is not None:
                spans += inner
            position = position if after is None else after
            continue
        found = re.compile(expression(element), re.DOTALL).match(message, position)
        if found is None or (element.name and convert(element, found[1]) is None):
            return None
        spans.append(Span(element, position, found.end()))
        position = found.end()
    return position
