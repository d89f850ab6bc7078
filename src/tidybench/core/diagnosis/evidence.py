"""What a stretch of bytes looks like."""

from collections import Counter
from typing import Literal

NAMES = {13: "CR", 10: "LF", 3: "ETX", 4: "EOT", 0: "NUL", 59: "a semicolon", 62: "“>”", 58: "a colon"}
"""What may end messages, by its name."""

_TEXT = frozenset(range(0x20, 0x7F)) | {9, 10, 13}
_MESSAGE_MARKS = frozenset({0, 2, 3, 4, 5, 6, 21})  # NUL STX ETX EOT ENQ ACK NAK: control, but no noise
MAX_SIGNS = 2
"""Different bytes above ASCII that a text may have: one sign, in UTF-8 two bytes."""
FIRST_SIGN = 0xA0
ParitySeen = Literal["even", "odd"]


def unprintable_share(data: bytes) -> float:
    """The share (0 to 1) of bytes that no text has; 0 for no bytes. Marks of a message (NUL, STX and so
    on) count as text as long as they are few: a wrong baud rate makes many of them. So does a sign that no ASCII has and
    that comes again and again, a degree sign or a micro."""
    if not data:
        return 0.0
    marks = sum(byte in _MESSAGE_MARKS for byte in data)
    strange = [byte for byte in data if byte not in _TEXT and byte not in _MESSAGE_MARKS]
    signs = set(strange)
    is_sign = (
        len(signs) <= MAX_SIGNS and min(signs, default=0) >= FIRST_SIGN and len(strange) <= len(data) / 3
    )
    odd = 0 if is_sign else len(strange)
    return (odd + (marks if marks > len(data) / 3 else 0)) / len(data)


def parity_seen(data: bytes) -> ParitySeen | None:
    """Which parity makes these bytes 7-bit text read with 8 data bits; None where none does.

    A sender with 7 data bits and parity, read as 8-N-1, shows its parity bit as the eighth.
    """
    if len(data) < 6 or not any(byte & 0x80 for byte in data):
        return None
    if any(byte & 0x7F not in _TEXT and byte & 0x7F not in _MESSAGE_MARKS for byte in data):
        return None
    odd = [byte.bit_count() & 1 for byte in data]
    if not any(odd):
        return "even"
    return "odd" if all(odd) else None


def recurring_end(data: bytes) -> tuple[str, int] | None:
    """What recurs in these bytes and may end messages: its name, how often."""
    counted = Counter(byte for byte in data if byte in NAMES)
    if b"\r\n" in data:
        return "CR LF", data.count(b"\r\n")
    if not counted:
        return None
    byte, count = counted.most_common(1)[0]
    return NAMES[byte], count


def shape(line: bytes) -> str:
    """A line with every digit as 9 and every letter as a: lines of one kind have one shape."""
    out: list[str] = []
    for byte in line:
        char = chr(byte)
        out.append(
            "9" if char.isdigit() else "a" if char.isalpha() else "+" if char in "+-" and not out else char
        )
    return "".join(out)


def hex_of(data: bytes, most: int = 8) -> str:
    """The newest bytes in hexadecimal."""
    return data[-most:].hex(" ").upper()
