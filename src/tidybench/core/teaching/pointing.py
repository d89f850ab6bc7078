"""A pattern rewritten by saying what a part of a message is."""

import re
from dataclasses import replace
from typing import Literal

from tidybench.core.quality import Quality
from tidybench.core.reading.element import KINDS, NUMBERS, Element, Kind, Token
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.teaching.alignment import Span, align, opened_up
from tidybench.core.teaching.source import source_of

Meaning = Literal[
    "number", "int", "hex", "bits", "word", "text", "fixed", "skip", "none", "over", "under", "absent"
]  # fmt: skip
"""What a part can be said to be: a field of a kind, characters that never change, something to skip, a
text in place of a number, or something that may be absent."""

_KINDS: dict[str, Kind] = {kind: kind for kind in KINDS}
_QUALITIES: dict[str, Quality] = {"none": Quality.NO_READING, "over": Quality.OVER, "under": Quality.UNDER}


def point(
    source: str,
    message: bytes,
    start: int,
    end: int,
    meaning: Meaning,
    name: str = "",
    unit: str = "",
    encoding: str = "ascii",
) -> str:
    """The pattern in which the characters `start` to `end` (half-open) of `message` mean this.

    What the pattern says of the rest of the message stays; where it does not fit the message, the
    rest is taken as it stands. Raises PatternError or ValueError with a sentence.
    """
    if not 0 <= start < end <= len(message):
        raise ValueError("Mark some characters of the message first.")
    if re.search(r"\[1\.\.[^\d\s]", source):
        raise ValueError("A list of this pattern has its count in the message: change the pattern as text.")
    codec = ENCODINGS[encoding]
    spans = _spans(source, message, codec)
    if meaning in _QUALITIES:
        return _token(source, spans, message, start, end, _QUALITIES[meaning], codec)
    pieces: list[Span] = []
    for span in spans:
        # An optional part stays one unless what is pointed at lies in it.
        within = span.element.kind == "optional" and span.start < end and span.end > start
        pieces += opened_up(span, message) if within else [span]
    spans = pieces
    before, inside, after = _cut(spans, message, start, end)
    if meaning == "absent":
        elements = [*before, Element(1, "optional", parts=tuple(_plain(inside))), *after]
    elif meaning == "fixed":
        elements = [*before, *_literals(message[start:end]), *after]
    elif meaning == "skip":
        elements = [*before, Element(1, "skip"), *after]
    else:
        called = name or _free_name([*before, *after])
        old = next((s.element for s in spans if s.element.name == name and s.element.kind == meaning), None)
        field = Element(1, _KINDS[meaning], name=called, unit=unit, encoding=codec)
        if old is not None:
            field = replace(old, unit=unit or old.unit)
        elements = [*before, field, *after]
    made = source_of(_joined(elements), codec)
    compile_pattern(made, codec)
    return made


def _spans(source: str, message: bytes, codec: str) -> list[Span]:
    try:
        spans, whole = (
            align(compile_pattern(source, codec).elements, message, opened=False) if source else ([], False)
        )
    except PatternError:
        spans, whole = [], False
    if whole:
        return spans
    done = spans[-1].end if spans else 0
    rest: list[Span] = []
    for element in _literals(message[done:]):
        size = (
            len(element.text)
            if element.kind == "literal"
            else len(message[done:]) - len(message[done:].lstrip(b" "))
        )
        rest.append(Span(element, done, done + size))
        done += size
    return [*spans, *rest]


def _literals(text: bytes) -> list[Element]:
    """Characters as they stand: literals with blanks between."""
    return [
        Element(1, "blank") if piece.startswith(b" ") else Element(1, "literal", piece)
        for piece in re.findall(rb" +|[^ ]+", text)
    ]


def _cut(
    spans: list[Span], message: bytes, start: int, end: int
) -> tuple[list[Element], list[Element], list[Element]]:
    """The elements before, within and after a range; one that reaches into it gives its characters there."""
    before: list[Element] = []
    inside: list[Element] = []
    after: list[Element] = []
    for span in spans:
        if span.end <= start:
            before.append(span.element)
        elif span.start >= end:
            after.append(span.element)
        elif span.start >= start and span.end <= end:
            inside.append(span.element)
        else:
            if span.start < start:
                before += _literals(message[span.start : start])
            inside += _literals(message[max(span.start, start) : min(span.end, end)])
            if span.end > end:
                after += _literals(message[end : span.end])
    return before, inside, after


def _plain(elements: list[Element]) -> list[Element]:
    return [
        part for element in elements for part in (element.parts if element.kind == "optional" else (element,))
    ]


def _joined(elements: list[Element]) -> list[Element]:
    """Neighbouring literals as one."""
    out: list[Element] = []
    for element in elements:
        if out and element.kind == out[-1].kind == "literal":
            out[-1] = replace(out[-1], text=out[-1].text + element.text)
        elif not (out and element.kind == out[-1].kind == "blank"):
            out.append(element)
    return out


def _free_name(elements: list[Element]) -> str:
    taken = {element.name for element in _plain(elements)}
    number = 1
    while f"v{number}" in taken:
        number += 1
    return f"v{number}"


def _token(
    source: str, spans: list[Span], message: bytes, start: int, end: int, quality: Quality, codec: str
) -> str:
    """The pattern in which a text stands for a number: that of the field it stands in place of."""
    text = message[start:end].strip(b" ")
    elements = list(compile_pattern(source, codec).elements) if source else []
    index = sum(span.end <= start for span in spans if span.element in elements)
    fields = [n for n, e in enumerate(elements) if e.kind in NUMBERS]
    inside = next(
        (n for n in fields if any(s.element == elements[n] and s.start <= start < s.end for s in spans)), None
    )
    target = inside if inside is not None else min(fields, key=lambda n: abs(n - index), default=None)
    if target is None or not text:
        raise ValueError(
            "There is no number yet that this could stand in place of. Say first where the number is."
        )
    field = elements[target]
    if text in [token.text for token in field.tokens if token.quality is quality]:
        return source
    kept = tuple(token for token in field.tokens if token.text != text)
    elements[target] = replace(field, tokens=(*kept, Token(text, quality)))
    made = source_of(elements, codec)
    compile_pattern(made, codec)
    return made
