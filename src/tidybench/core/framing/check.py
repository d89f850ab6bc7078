"""Check characters: what proves a message whole.

`nmea`: NMEA 0183, `$` or `!`, the sentence, `*`, and the XOR of all between them as two hexadecimal
digits. `xor hex`: the last two characters are the XOR of all before them as two hexadecimal digits.
"""

from collections.abc import Callable
from functools import reduce
from operator import xor

from tidybench.core.protocols.modbus import crc_good

Checker = Callable[[bytes], bytes | None]
"""Gives the message without its check characters, or None where they are wrong or missing."""


def xor_of(data: bytes) -> int:
    """The exclusive or of all bytes."""
    return reduce(xor, data, 0)


def nmea(body: bytes) -> bytes | None:
    """NMEA 0183, clause 5.3: `$GPXDR,...*hh`."""
    if body[:1] not in (b"$", b"!") or body[-3:-2] != b"*":
        return None
    return body[:-3] if _hex(body[-2:]) == xor_of(body[1:-3]) else None


def xor_hex(body: bytes) -> bytes | None:
    """The last two characters are the XOR of all before."""
    return body[:-2] if len(body) > 2 and _hex(body[-2:]) == xor_of(body[:-2]) else None


def modbus_crc(body: bytes) -> bytes | None:
    """The last two bytes are the CRC-16 of Modbus, low byte first."""
    return body[:-2] if crc_good(body) else None


def _hex(digits: bytes) -> int:
    try:
        return int(digits, 16) if digits.isalnum() else -1
    except ValueError:
        return -1


CHECKERS: dict[str, Checker] = {"nmea": nmea, "xor hex": xor_hex, "modbus crc": modbus_crc}
