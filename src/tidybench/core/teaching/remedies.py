"""What one press could mend about a message that was not understood."""

import re
from dataclasses import dataclass, replace
from typing import Literal

from tidybench.core.quality import Quality
from tidybench.core.reading.element import NUMBERS, Element, Token
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.source import literal_source, source_of

_WORDS = {
    Quality.NO_READING: "is “no reading”",
    Quality.OVER: "is over range",
    Quality.UNDER: "is under range",
}
MAX_TOKEN = 24


@dataclass(slots=True, frozen=True)
class Remedy:
    """What it does, in words, and the pattern afterwards. `number`: which pattern it replaces, counted from
    0; None for one more. `error`: one more pattern of the instrument's own error replies. `token`: what a
    reader that is no pattern is to take for `stands_for`; there is no pattern then."""

    words: str
    source: str
    number: int | None
    error: bool = False
    token: str = ""
    stands_for: Literal["", "none", "over", "under"] = ""


def token_remedies(cell: str) -> list[Remedy]:
    """What a text in place of a number could be said to be, to a reader that is no pattern."""
    if not cell or len(cell) > MAX_TOKEN:
        return []
    order: tuple[Literal["none", "over", "under"], ...] = ("none", "over", "under")
    if re.search(r"[A-Za-z]", cell):
        order = ("over", "none", "under")
    words = {"none": "is “no reading”", "over": "is over range", "under": "is under range"}
    return [Remedy(f"“{cell}” {words[one]}", "", None, token=cell, stands_for=one) for one in order]


def remedies(sources: list[str], message: bytes, encoding: str = "ascii") -> list[Remedy]:
    """Remedies that make the message understood, the likeliest first. Each has been tried."""
    codec = ENCODINGS[encoding]
    found: list[Remedy] = []
    stopped: list[tuple[int, int, Pattern]] = []
    for number, source in enumerate(sources):
        try:
            pattern = compile_pattern(source, codec)
        except PatternError:
            continue
        got = pattern.read(message)
        if not isinstance(got, Stop):
            return []
        stopped.append((-got.column, number, pattern))
    for _, number, pattern in sorted(stopped, key=lambda one: one[:2])[:2]:
        found += _mended(pattern, message, number, codec)
    if message.strip() and not re.search(rb"\d", message):
        words = f"“{message.decode('latin-1')[:40]}” says nothing: pass it over"
        found.append(Remedy(words, literal_source(message, codec), None))
    if message.strip():
        found.append(
            Remedy("it is an error of the instrument's own", _error_source(message, codec), None, error=True)
        )
    return [remedy for remedy in found if _helps(remedy, message, codec)]


def _helps(remedy: Remedy, message: bytes, codec: str) -> bool:
    try:
        return not isinstance(compile_pattern(remedy.source, codec).read(message), Stop)
    except PatternError:
        return False


def _mended(pattern: Pattern, message: bytes, number: int, codec: str) -> list[Remedy]:
    spans, _ = align(pattern.elements_of(message), message)
    index = len(spans)
    elements = list(pattern.elements)
    if (
        pattern.counted is not None
        or index >= len(elements)
        or any(e.kind == "optional" for e in elements[:index])
    ):
        return []
    position = spans[-1].end if spans else 0
    element = elements[index]
    found: list[Remedy] = []
    if element.kind in NUMBERS:
        text = _token_at(elements, index, message, position)
        if text and len(text) <= MAX_TOKEN:
            shown = text.decode("latin-1")
            likely = (
                [Quality.OVER, Quality.NO_READING]
                if re.search(rb"[A-Za-z]", text)
                else [Quality.NO_READING, Quality.OVER]
            )
            for quality in [*likely, Quality.UNDER]:
                made = replace(element, tokens=(*element.tokens, Token(text, quality)))
                source = source_of([*elements[:index], made, *elements[index + 1 :]], codec)
                found.append(Remedy(f"“{shown}” {_WORDS[quality]} ({element.name})", source, number))
    for last in range(index + 1, len(elements) + 1):
        # The shortest stretch from here on that may be absent so that the rest fits.
        parts = tuple(elements[index:last])
        if any(part.kind == "optional" for part in parts):
            break
        shortest = next(
            (
                mended
                for cut, rest in _cuts(parts, message[position : position + 1])
                if _helps(
                    mended := _absent(elements[:index], cut, [*rest, *elements[last:]], number, codec),
                    message,
                    codec,
                )
            ),
            None,
        )
        if shortest is not None:
            found.append(shortest)
            break
    return found


def _absent(
    before: list[Element], parts: tuple[Element, ...], after: list[Element], number: int, codec: str
) -> Remedy:
    source = source_of([*before, Element(1, "optional", parts=parts), *after], codec)
    return Remedy(f"“{_shown(parts, codec)}” may be absent", source, number)


def _cuts(parts: tuple[Element, ...], char: bytes) -> list[tuple[tuple[Element, ...], list[Element]]]:
    """A stretch as it is, and, where it ends with a literal, cut before each place at which the message may go on."""
    cuts: list[tuple[tuple[Element, ...], list[Element]]] = [(parts, [])]
    last = parts[-1]
    if last.kind == "literal" and char:
        for at in range(1, len(last.text)):
            if last.text[at : at + 1] == char:
                head, tail = replace(last, text=last.text[:at]), replace(last, text=last.text[at:])
                cuts.append(((*parts[:-1], head), [tail]))
    return cuts


def _shown(parts: tuple[Element, ...], codec: str) -> str:
    return source_of(parts, codec).strip()


def _token_at(elements: list[Element], index: int, message: bytes, position: int) -> bytes:
    """The characters that stand where a number was expected: up to what follows it in the pattern."""
    element = elements[index]
    rest = message[position:]
    if element.width:
        return rest[: element.width].strip(b" ")
    following = elements[index + 1] if index + 1 < len(elements) else None
    lead = len(rest) - len(rest.lstrip(b" "))
    if following is None:
        return rest.strip(b" ")
    if following.kind == "literal":
        end = rest.find(following.text)
        return rest[:end].strip(b" ") if end >= 0 else b""
    end = rest.find(b" ", lead)
    return rest[lead : end if end >= 0 else len(rest)]


def _error_source(message: bytes, codec: str) -> str:
    """Messages that begin like this one: its first word, then anything."""
    head = re.match(rb"[A-Za-z_*!?#-]+", message)
    start = head[0] if head else message[:1]
    return literal_source(start, codec) + ("<*>" if len(message) > len(start) else "")
