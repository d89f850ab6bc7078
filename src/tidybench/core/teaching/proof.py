"""Proof that a way to read leaves nothing out, made apart from how it was found."""

import itertools
import re
from collections.abc import Sequence

from tidybench.core.reading.element import NUMBERS
from tidybench.core.reading.form import ErrorReply, Learns
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.pattern import Pattern, PatternError
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.talk import ListenPart
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.question import shown_text


def unaccounted(listen: ListenPart, messages: Sequence[bytes], encoding: str, left: set[int]) -> str:
    """What this way to read leaves out of these messages, in a sentence; "" for nothing. `left`: places of messages that
    it need not read."""
    try:
        forms = make_forms(listen, encoding)
    except PatternError as error:
        return f"These messages cannot be said as a pattern: {error.what}"
    for place, message in enumerate(messages):
        if place in left:
            continue
        for form in forms:
            if isinstance(form, Learns) and form.learn(message):
                break
            got = form.read(message)
            if isinstance(got, Stop):
                continue
            if isinstance(form, Pattern) and not isinstance(got, ErrorReply):
                why = _beside(form, message)
                if why:
                    return why
            break
        else:
            return f"Nothing reads “{shown_text(message)}”: point at its parts by hand"
    return ""


def _beside(pattern: Pattern, message: bytes) -> str:
    """Whether something that belongs to a number stands beside it, outside of every field."""
    spans, whole = align(pattern.elements_of(message), message)
    if not whole:
        return f"“{shown_text(message)}” is not accounted for to its end"
    taken = bytearray(len(message))
    for span in spans:
        if span.element.name:
            taken[span.start : span.end] = b"\1" * (span.end - span.start)
        elif span.element.kind == "skip":
            return f"something in “{shown_text(message)}” would be skipped"
    numbers = [span for span in spans if span.element.kind in NUMBERS]
    for one, other in itertools.pairwise(numbers):
        between = message[one.end : other.start]
        behind = message[other.end : other.end + 1]
        if re.fullmatch(rb" *(?:[xX*]? *10 *[\^*]+| +[eEdD]) *", between):
            return f"a power of ten stands apart from its number in “{shown_text(message)}”"
        if between.strip() == b"'" and behind == b'"':
            return f"feet and inches, or minutes and seconds, are one number in two parts in “{shown_text(message)}”"
    for span in numbers:
        after, before = (
            message[span.end : span.end + 1],
            message[span.start - 1 : span.start] if span.start else b"",
        )
        outside = [
            one
            for one, at in ((after, span.end), (before, span.start - 1))
            if one and 0 <= at < len(message) and not taken[at]
        ]
        head = re.search(rb"([A-Za-z]?) ?(?<![\w.])\d[\d./-]*:$", message[: span.start])
        if head and not head[1] and re.match(rb"\d", message[span.start : span.end]):
            return f"“{shown_text(message)}” has a date or a time in it that touches other digits"
        if any(re.fullmatch(rb"[0-9.]", one) for one in outside):
            return f"digits stand beside “{shown_text(message[span.start : span.end])}” in “{shown_text(message)}”"
    return ""
