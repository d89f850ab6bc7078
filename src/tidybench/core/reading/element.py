"""The parts of a message pattern: literals, blanks, fields, and parts that may be absent."""

import math
import re
import struct
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from tidybench.core.quality import Quality
from tidybench.core.reading import moment

Kind = Literal[
    "number", "int", "hex", "bits", "duration", "datetime", "hexfloat", "uint", "sint", "float", "bcd",
    "word", "text", "choice", "unit", "quality",
]  # fmt: skip
KINDS: tuple[Kind, ...] = (
    "number", "int", "hex", "bits", "duration", "datetime", "hexfloat", "uint", "sint", "float", "bcd",
    "word", "text", "choice", "unit", "quality",
)  # fmt: skip
NUMBERS = frozenset(
    ("number", "int", "hex", "bits", "duration", "datetime", "hexfloat", "uint", "sint", "float", "bcd")
)
BINARY = frozenset(("uint", "sint", "float", "bcd"))
"""Numbers that are bytes and no digits; their width counts bytes."""
CHOICES = frozenset(("choice", "unit", "quality"))
WIDTHS: dict[str, tuple[int, ...]] = {
    "uint": tuple(range(1, 9)), "sint": tuple(range(1, 9)), "float": (2, 4, 8), "bcd": tuple(range(1, 8)),
    "hexfloat": (4, 8, 16),
}  # fmt: skip
"""The widths that kinds can have which must have one."""
_FLOATS = {2: "e", 4: "f", 8: "d"}
Value = float | str
Field = tuple[Quality, Value]
"""What one field read: OK or FLAGGED with its value, any other quality with NaN."""

NOTHING: Field = (Quality.NO_READING, math.nan)

_SHAPES = {
    "hex": rb" *+[0-9A-Fa-f]++",
    "bits": rb" *+[01]++",
    "duration": rb" *+[+-]?+[0-9]++:[0-9]{2}(?::[0-9]{2})?+(?:\.[0-9]++)?+",
    "hexfloat": rb" *+[0-9A-Fa-f]++",
}
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
    flag: bytes = b""  # stands before or behind a number that is not to be relied on
    stop: bytes = b""  # text and skip: the literal they end at; empty at the end of the pattern
    width: int = 0  # exactly this many characters; 0 for as many as fit
    decimals: int = 0  # of a number that is sent without its point
    comma: bool = False
    thousands: bytes = b""  # what may stand between groups of three digits
    behind: bool = False  # the sign stands behind the digits
    exponent: bytes = b""  # a letter besides E and e that begins an exponent
    signed: bool = False  # hex: two's complement of its width
    reverse: bool = False  # the last character was sent first
    low: bool = False  # bytes: the low one first
    counted: str = ""  # of a list whose count stands in the message: the field that says it
    layout: str = ""  # datetime: how it is written; "" for ISO 8601
    bits: tuple[str, ...] = ()  # names of the bits of a whole number, the lowest first; "" for none
    bit_counts: tuple[int, ...] = ()  # how many bits each of them has
    choices: tuple[bytes, ...] = ()
    qualities: tuple[Quality, ...] = ()  # quality: what each choice says of the numbers
    factors: tuple[float, ...] = ()  # unit: what each choice multiplies the field `of` by
    of: str = ""  # unit and quality: the number it belongs to; quality: all of them unless given
    of_said: bool = False  # whether the pattern says which
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
        return self.kind in ("number", "int") and not (
            self.tokens
            or self.flag
            or self.width
            or self.comma
            or self.thousands
            or self.behind
            or self.exponent
            or self.bits
        )

    @property
    def names(self) -> tuple[str, ...]:
        """The fields it gives: its own, and those of its bits."""
        return (self.name, *(name for name in self.bits if name))


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
    if kind in CHOICES:
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


@lru_cache(maxsize=256)
def _shape(kind: str, comma: bool, thousands: bytes, behind: bool, exponent: bytes, layout: str) -> bytes:
    """What a number looks like."""
    if kind == "datetime":
        return b" *+" + moment.expression_of(layout)
    if kind in _SHAPES:
        return _SHAPES[kind]
    digits = b"[0-9]++"
    if thousands:
        digits = b"(?:[0-9]{1,3}(?:" + re.escape(thousands) + b"[0-9]{3})++(?![0-9])|[0-9]++)"
    if kind == "number":
        point = b"," if comma else rb"\."
        digits = (
            b"(?:" + digits + b"(?:" + point + b"[0-9]*+)?+|" + point + b"[0-9]++)"
            b"(?:[eE" + re.escape(exponent) + b"][+-]?+[0-9]++)?+"
        )
    return b" *+" + digits + b"(?: *+[+-])?+" if behind else b" *+[+-]?+ *+" + digits


@lru_cache(maxsize=256)
def _whole(
    kind: str, comma: bool, thousands: bytes, behind: bool, exponent: bytes, layout: str
) -> "re.Pattern[bytes]":
    return re.compile(_shape(kind, comma, thousands, behind, exponent, layout))


def _notation(element: Element) -> tuple[str, bool, bytes, bool, bytes, str]:
    return (
        element.kind,
        element.comma,
        element.thousands,
        element.behind,
        element.exponent,
        element.layout,
    )


def _number(element: Element) -> bytes:
    number = _shape(*_notation(element))
    # The longest wins: a token that continues a number ("0L") goes before it, others after.
    # Tokens that are themselves numbers are compared by value in `convert`.
    words = [t.text for t in element.tokens if as_number(element, t.text) is None]
    before = [w for w in words if re.match(number, w)]
    after = [w for w in words if w not in before]
    after.sort(key=len, reverse=True)
    before.sort(key=len, reverse=True)
    choices = [b" *+" + re.escape(w) for w in before]
    flag = b"(?: *+" + re.escape(element.flag) + b")?+" if element.flag else b""
    choices.append(flag + number + flag)
    choices += [b" *+" + re.escape(w) for w in after]
    return b"(?>" + b"|".join(choices) + b")"


def as_number(element: Element, text: bytes) -> float | None:
    """The number that these characters are in the element's notation; None where they are none."""
    if element.kind in BINARY:
        return None
    if element.reverse:
        text = text[::-1]
    if _whole(*_notation(element)).fullmatch(text) is None:
        return None
    if element.kind == "datetime":
        return moment.seconds_of(element.layout, text)
    digits = text.replace(b" ", b"")
    if element.kind == "hex":
        return _hex(digits, element.signed)
    if element.kind == "bits":
        return float(int(digits, 2)) if len(digits) <= MAX_BITS else None
    if element.kind == "duration":
        return _seconds(digits)
    if element.kind == "hexfloat":
        return (
            _unpacked(bytes.fromhex(digits.decode()), element.low) if len(digits) == element.width else None
        )
    if element.behind and digits[-1:] in (b"+", b"-"):
        digits = digits[-1:] + digits[:-1]
    if element.thousands:
        digits = digits.replace(element.thousands, b"")
    if element.comma:
        digits = digits.replace(b",", b".")
    if element.exponent:
        digits = digits.replace(element.exponent, b"E")
    if element.decimals and b"." not in digits:
        digits = _with_point(digits, element.decimals)
    value = float(digits)
    return value if math.isfinite(value) else None


def _hex(digits: bytes, signed: bool) -> float | None:
    if len(digits) > MAX_HEX:
        return None
    value = int(digits, 16)
    half = 1 << 4 * len(digits) - 1
    return float(value - 2 * half if signed and value >= half else value)


def _seconds(digits: bytes) -> float | None:
    """Minutes and seconds, or hours, minutes and seconds; None where one of them is sixty or more."""
    sign = -1.0 if digits.startswith(b"-") else 1.0
    first, *rest = digits.lstrip(b"+-").split(b":")
    if any(float(one) >= 60 for one in rest):
        return None
    total = float(first)
    for one in rest:
        total = total * 60 + float(one)
    return sign * total


def _unpacked(data: bytes, low: bool) -> float | None:
    """An IEEE 754 number (binary16, 32 or 64); None where it is none, or endless."""
    value = float(struct.unpack(("<" if low else ">") + _FLOATS[len(data)], data)[0])
    return value if math.isfinite(value) else None


def _bcd(data: bytes, low: bool) -> float | None:
    """Two digits a byte; a last half byte of C or F is plus, of D minus (packed decimal)."""
    digits = (data[::-1] if low else data).hex()
    sign = 1.0
    if digits[-1] in "cdf":
        sign, digits = (-1.0 if digits[-1] == "d" else 1.0), digits[:-1]
    return sign * float(int(digits)) if digits.isdecimal() else None


def whole_number_of(element: Element) -> Callable[[bytes], float] | None:
    """What makes the number of its bytes, where they are a plain whole number; None for everything else."""
    if element.kind not in ("uint", "sint") or element.tokens or element.bits or element.decimals:
        return None
    made, order = int.from_bytes, "little" if element.low else "big"
    if element.kind == "sint":
        return lambda raw: float(made(raw, order, signed=True))  # type: ignore[arg-type]
    return lambda raw: float(made(raw, order))  # type: ignore[arg-type]


def of_bytes(element: Element, raw: bytes) -> float | None:
    """The number that these bytes are; None where they are none."""
    if element.kind == "float":
        return _unpacked(raw, element.low)
    if element.kind == "bcd":
        return _bcd(raw, element.low)
    return float(int.from_bytes(raw, "little" if element.low else "big", signed=element.kind == "sint"))


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
    if element.kind in BINARY:
        if any(token.text == raw for token in element.tokens):
            return next(token.quality for token in element.tokens if token.text == raw), math.nan
        made = of_bytes(element, raw)
        if made is None:
            return None
        return Quality.OK, made / 10.0**element.decimals if element.decimals else made
    quality = Quality.OK
    stripped = raw.strip(b" ")
    if element.flag and stripped.startswith(element.flag):
        quality, stripped = Quality.FLAGGED, stripped[len(element.flag) :]
    elif element.flag and stripped.endswith(element.flag):
        quality, stripped = Quality.FLAGGED, stripped[: -len(element.flag)].rstrip(b" ")
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
    if element.kind in CHOICES:
        what = " or ".join(f"“{text.decode(element.encoding, 'replace')}”" for text in element.choices)
    else:
        ending = shown_byte(element.stop[:1])
        what = {
            "blank": "a blank",
            "number": "a number",
            "int": "a whole number",
            "hex": "a hexadecimal number",
            "bits": "a row of zeros and ones",
            "duration": "minutes and seconds",
            "datetime": f"a time as {element.layout or '2026-11-23T09:30:00'}",
            "hexfloat": "a hexadecimal number",
            "uint": "a whole number in bytes",
            "sint": "a whole number in bytes",
            "float": "a number in bytes (IEEE 754)",
            "bcd": "decimal digits, two a byte",
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
