"""The same notation for what is sent: `VP <opening:number 5.1>` with opening 60 sends `VP 060.0`."""

import math
import struct
from collections.abc import Mapping
from typing import Literal

from tidybench.core.reading import moment
from tidybench.core.reading.element import BINARY, NUMBERS, Element, Value, convert, describe, fields_of
from tidybench.core.reading.pattern_source import PatternError


def check_writable(elements: tuple[Element, ...]) -> None:
    """Raises PatternError where a pattern cannot be written, since it skips something."""
    for element in elements:
        if element.kind == "skip":
            raise PatternError(
                element.column, "nothing says what to send in place of “<*>”.", "Write the characters themselves."
            )  # fmt: skip
        check_writable(element.parts)


def write(elements: tuple[Element, ...], values: Mapping[str, Value]) -> bytes:
    """The bytes with these values in the fields; raises ValueError with a sentence.

    An optional part is written where values for all its fields are given.
    """
    check_writable(elements)
    out = bytearray()
    for element in elements:
        if element.kind == "literal":
            out += element.text
        elif element.kind == "blank":
            out += b" "
        elif element.kind == "optional":
            names = [one.name for one in fields_of(element.parts)]
            if names and all(name in values for name in names):
                out += write(element.parts, values)
        elif element.name not in values:
            raise ValueError(f"There is no value for {element.name}.")
        else:
            out += write_field(element, values[element.name])
    return bytes(out)


def write_field(element: Element, value: Value) -> bytes:
    """The bytes of one field; raises ValueError with a sentence."""
    raw = _number(element, value) if element.kind in NUMBERS else _text(element, value)
    if element.width and len(raw) != element.width:
        what = "too long" if len(raw) > element.width else "too short"
        shown = value if isinstance(value, str) else f"{value:.12g}"
        raise ValueError(f"{shown} is {what} for {element.name}: it has {element.width} characters.")
    return raw


def _number(element: Element, value: Value) -> bytes:
    if isinstance(value, str) or not math.isfinite(value):
        raise ValueError(f"{element.name} wants a number; {value!r} is none.")
    if element.kind in BINARY or element.kind == "hexfloat":
        return _packed(element, value)
    if element.kind == "duration":
        return _duration(value)
    if element.kind == "datetime":
        return moment.written(element.layout, value).encode()
    if element.kind == "hex" and element.signed and -(1 << 4 * element.width - 1) <= value < 0:
        value += 1 << 4 * element.width
    if element.kind != "number" and value != int(value):
        raise ValueError(f"{element.name} wants a whole number; {value:g} is none.")
    if element.kind in ("hex", "bits"):
        if value < 0:
            raise ValueError(f"{element.name} cannot be below zero.")
        digits = f"{int(value):X}" if element.kind == "hex" else f"{int(value):b}"
        return digits.rjust(element.width, "0").encode()
    if element.kind == "int":
        text = f"{int(value):0{element.width}d}"
    elif element.width:
        text = f"{value:0{element.width - (element.behind and value >= 0)}.{element.decimals}f}"
        if not element.decimals and value != int(value):
            raise ValueError(f"{element.name} has no decimals; {value:g} has.")
    else:
        text = repr(int(value)) if value == int(value) and abs(value) < 1e15 else repr(float(value))
    if element.thousands and "e" not in text:
        head, point, tail = text.partition(".")
        sign, digits = (head[0], head[1:]) if head[0] == "-" else ("", head)
        parted = f"{int(digits):,}".replace(",", "\0") if not element.width else digits
        text = sign + parted + point + tail
    text = text.replace(".", ",") if element.comma else text
    text = text.replace("\0", element.thousands.decode())
    if element.behind:
        text = text[1:] + "-" if text.startswith("-") else text + "+"
    return (text[::-1] if element.reverse else text).encode()


def _packed(element: Element, value: float) -> bytes:
    """The bytes of a number; raises ValueError where they cannot hold it."""
    size = element.width // 2 if element.kind == "hexfloat" else element.width
    whole: int = round(value * 10**element.decimals)
    order: Literal["little", "big"] = "little" if element.low else "big"
    try:
        if element.kind in ("float", "hexfloat"):
            packed: bytes = struct.pack(("<" if element.low else ">") + {2: "e", 4: "f", 8: "d"}[size], value)
            return packed.hex().upper().encode() if element.kind == "hexfloat" else packed
        if whole / 10**element.decimals != value:
            raise ValueError(f"{element.name} wants a whole number; {value:g} is none.")
        if element.kind == "bcd":
            digits = f"{-whole}D" if whole < 0 else f"{whole}"
            data = bytes.fromhex(digits.rjust(2 * size, "0"))
            if len(data) > size:
                raise OverflowError
            return data[::-1] if element.low else data
        return whole.to_bytes(size, order, signed=element.kind == "sint")
    except (OverflowError, struct.error):
        raise ValueError(f"{value:g} does not fit into the {size} bytes of {element.name}.") from None


def _duration(value: float) -> bytes:
    minutes, seconds = divmod(abs(value), 60)
    hours, minutes = divmod(minutes, 60)
    text = f"{seconds:09.6f}".rstrip("0").rstrip(".")
    head = f"{hours:.0f}:{minutes:02.0f}" if hours else f"{minutes:.0f}"
    return f"{'-' if value < 0 else ''}{head}:{text}".encode()


def _text(element: Element, value: Value) -> bytes:
    text = str(value)
    try:
        raw = text.encode(element.encoding)
    except UnicodeEncodeError:
        raise ValueError(f"{text!r} cannot be sent as {element.encoding}.") from None
    if element.choices:
        if raw not in element.choices:
            raise ValueError(f"{element.name} is {describe(element)}; {text!r} is none of them.")
    elif element.kind == "word":
        if not raw or any(byte <= 0x20 or byte == 0x7F for byte in raw):
            raise ValueError(f"{element.name} is one word; {text!r} is none.")
    elif element.stop and element.stop in raw:
        raise ValueError(f"{element.name} ends at “{element.stop.decode('latin-1')}” and cannot hold it.")
    elif element.width:
        raw = raw.ljust(element.width)
    assert convert(element, raw) is not None
    return raw
