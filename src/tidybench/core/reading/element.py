"""The parts of a message pattern: literals, blanks, fields, and parts that may be absent."""

import math
import re
from dataclasses import dataclass
from typing import Literal

from tidybench.core.quality import Quality

Kind = Literal["number", "int", "hex", "bits", "word", "text", "choice", "unit"]
KINDS: tuple[Kind, ...] = ("number", "int", "hex", "bits", "word", "text", "choice", "unit")
NUMBERS = frozenset(("number", "int", "hex", "bits"))
Value = float | str
Field = tuple[Quality, Value]
"""What one field read: OK or FLAGGED with its value, any other quality with NaN."""

NOTHING: Field = (Quality.NO_READING, math.nan)

_SHAPES = {
    "number": rb" *+[+-]?+ *+(?:[0-9]++(?:\.[0-9]*+)?+|\.[0-9]++)(?:[eE][+-]?+[0-9]++)?+",
    "comma": rb" *+[+-]?+ *+(?:[0-9]++(?:,[0-9]*+)?+|,[0-9]++)(?:[eE][+-]?+[0-9]++)?+",
    "int": rb" *+[+-]?+ *+[0-9]++",
    "hex": rb" *+[0-9A-Fa-f]++",
    "bits": rb" *+[01]++",
}
_WHOLE = {name: re.compile(shape) for name, shape in _SHAPES.items()}
_WORD = rb"[^\x00- \x7f]"
MAX_HEX, MAX_BITS = 13, 52
"""Digits that a double still holds exactly."""


@dataclass(slots=True, frozen=True)
class Token:
    """A text that stands in place of a number and what it means."""

    text: bytes
    quality: Quality


@dataclass(slots=True, frozen=True)
class Element:
    """One part of a pattern. `column` counts characters of the pattern's source from 1."""

    column: int
    kind: Kind | Literal["literal", "blank", "skip", "optional"]
    text: bytes = b""
    name: str = ""
    unit: str = ""
    tokens: tuple[Token, ...] = ()
    flag: bytes = b""
    stop: bytes = b""  # text and skip: the literal they end at; empty at the end of the pattern
    width: int = 0  # exactly so many characters; 0 for as many as fit
    decimals: int = 0  # of a number that is sent without its point
    comma: bool = False
    choices: tuple[bytes, ...] = ()
    factors: tuple[float, ...] = ()  # unit: what each choice multiplies the field `of` by
    of: str = ""
    exactly: bool = False  # blank: one and no more
    parts: tuple["Element", ...] = ()  # optional
    encoding: str = "latin-1"

    @property
    def is_field(self) -> bool:
        """Whether it takes what changes from message to message."""
        return self.kind not in ("literal", "blank", "optional")

    @property
    def is_number(self) -> bool:
        """Whether a channel can be made from it."""
        return self.kind in NUMBERS

    @property
    def plain(self) -> bool:
        """Whether `float` alone reads it."""
        return self.kind in ("number", "int") and not (self.tokens or self.flag or self.width or self.comma)

    @property
    def shape(self) -> str:
        """Which of the number shapes it has."""
        return "comma" if self.comma else self.kind


def fields_of(elements: tuple[Element, ...]) -> tuple[Element, ...]:
    """All fields with a name, those within optional parts included, from left to right."""
    found: list[Element] = []
    for element in elements:
        if element.kind == "optional":
            found += fields_of(element.parts)
        elif element.name:
            found.append(element)
    return tuple(found)


def expression(element: Element) -> bytes:
    """The regular expression that takes what an element takes, and never gives it back."""
    kind = element.kind
    if kind == "literal":
        return re.escape(element.text)
    if kind == "blank":
        return b" " if element.exactly else b" ++"
    if kind == "optional":
        return b"(?:" + b"".join(map(expression, element.parts)) + b")?+"
    if kind in ("choice", "unit"):
        texts = sorted(element.choices, key=len, reverse=True)
        return b"((?>" + b"|".join(map(re.escape, texts)) + b"))"
    if kind == "skip":
        return b".{%d}" % element.width if element.width else b"(?:" + _up_to(element.stop) + b")"
    if kind == "word":
        return b"(" + _WORD + (b"{%d}" % element.width if element.width else b"++") + b")"
    if element.width:
        return b"(.{%d})" % element.width
    if kind == "text":
        return b"(" + _up_to(element.stop) + b")"
    return b"(" + _number(element) + b")"


def _up_to(stop: bytes) -> bytes:
    if not stop:
        return b".*+"
    first, rest = re.escape(stop[:1]), re.escape(stop)
    other = b"[^" + first + b"]*+"
    return other + b"(?:(?!" + rest + b")" + first + other + b")*+"


def _number(element: Element) -> bytes:
    number = _SHAPES[element.shape]
    # The longest wins: a token that continues a number ("0L") goes before it, others after.
    # Tokens that are themselves numbers are compared by value in `convert`.
    words = [t.text for t in element.tokens if as_number(element, t.text) is None]
    before = [w for w in words if re.match(number, w)]
    after = [w for w in words if w not in before]
    after.sort(key=len, reverse=True)
    before.sort(key=len, reverse=True)
    choices = [b" *+" + re.escape(w) for w in before]
    flag = b"(?: *+" + re.escape(element.flag) + b")?+" if element.flag else b""
    choices.append(flag + number)
    choices += [b" *+" + re.escape(w) for w in after]
    return b"(?>" + b"|".join(choices) + b")"


def as_number(element: Element, text: bytes) -> float | None:
    """The number that these characters are in the element's notation; None where they are none."""
    if _WHOLE[element.shape].fullmatch(text) is None:
        return None
    digits = text.replace(b" ", b"")
    if element.kind == "hex":
        return float(int(digits, 16)) if len(digits) <= MAX_HEX else None
    if element.kind == "bits":
        return float(int(digits, 2)) if len(digits) <= MAX_BITS else None
    if element.comma:
        digits = digits.replace(b",", b".")
    if element.decimals and b"." not in digits:
        digits = _with_point(digits, element.decimals)
    value = float(digits)
    return value if math.isfinite(value) else None


def _with_point(digits: bytes, decimals: int) -> bytes:
    head, e, exponent = digits.partition(b"e" if b"e" in digits else b"E")
    sign, head = (head[:1], head[1:]) if head[:1] in b"+-" else (b"", head)
    head = head.rjust(decimals, b"0")
    return sign + head[:-decimals] + b"." + head[-decimals:] + e + exponent


def convert(element: Element, raw: bytes | None) -> Field | None:
    """What a field's characters mean; None where they look like a number but are none (1e999).

    `raw` is None where the optional part around the field is absent: no reading.
    """
    if raw is None:
        return NOTHING
    if element.kind not in NUMBERS:
        return Quality.OK, raw.decode(element.encoding, "replace")
    quality = Quality.OK
    stripped = raw.strip(b" ")
    if element.flag and stripped.startswith(element.flag):
        quality, stripped = Quality.FLAGGED, stripped[len(element.flag) :]
    for token in element.tokens:
        if stripped == token.text:
            return token.quality, math.nan
    value = as_number(element, stripped)
    if value is None:
        return None
    for token in element.tokens:
        if as_number(element, token.text) == value:
            return token.quality, math.nan
    return quality, value


def describe(element: Element) -> str:
    """What an element would have taken, in words."""
    if element.kind in ("choice", "unit"):
        what = " or ".join(f"“{text.decode(element.encoding, 'replace')}”" for text in element.choices)
    else:
        ending = shown_byte(element.stop[:1])
        what = {
            "blank": "a blank",
            "number": "a number",
            "int": "a whole number",
            "hex": "a hexadecimal number",
            "bits": "a row of zeros and ones",
            "word": "a word",
            "text": f"text up to {ending}",
            "skip": f"something up to {ending}",
        }[element.kind]
    if element.width:
        what = f"{what} of {element.width} characters" if element.is_field else what
    return f"{what} ({element.name})" if element.name else what


def shown_byte(text: bytes) -> str:
    """One byte as people call it; nothing is the end of the message."""
    if not text:
        return "the end of the message"
    names = {b"\r": "CR", b"\n": "LF", b"\t": "TAB", b"\x00": "NUL", b" ": "a blank"}
    return names.get(text) or (f"“{text.decode()}”" if 0x21 <= text[0] < 0x7F else f"the byte {text[0]:02X}")
