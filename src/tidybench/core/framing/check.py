"""Check characters: what proves a message whole.

`nmea`: NMEA 0183, `$` or `!`, the sentence, `*`, and the XOR of all between them as two hexadecimal
digits. All others: how it is calculated, where the check stands, what it covers, how it is written.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import reduce
from operator import xor
from typing import Literal

from tidybench.core.protocols.crc import CRCS

Checker = Callable[[bytes], bytes | None]
"""Gives the message without its check characters, or None where they are wrong or missing."""

Written = Literal["hex", "high first", "low first", "decimal"]


def xor_of(data: bytes) -> int:
    """The exclusive or of all bytes."""
    return reduce(xor, data, 0)


def _sum(data: bytes) -> int:
    return sum(data) & 0xFF


def lrc_of(data: bytes) -> int:
    """The two's complement of the sum of all bytes (MODBUS over Serial Line 1.02, 6.2.1)."""
    return -sum(data) & 0xFF


_SUMS: dict[str, Callable[[bytes], int]] = {"xor": xor_of, "sum": _sum, "lrc": lrc_of}
KINDS = (*_SUMS, *CRCS)


@dataclass(slots=True, frozen=True)
class CheckRule:
    """How a message is checked.

    `kind`: a key of `KINDS`. `skip`: bytes at the beginning that are not covered. `before`: text that
    stands before the check characters; covered only where `covers_before`. `negated`: what is
    written is the one's complement. `start`: what was cut off in front and is covered all the same.
    """

    kind: str
    written: Written = "hex"
    skip: int = 0
    before: bytes = b""
    covers_before: bool = False
    negated: bool = False
    start: bytes = b""

    @property
    def bits(self) -> int:
        """How many bits the check has."""
        return CRCS[self.kind].width if self.kind in CRCS else 8

    @property
    def size(self) -> int:
        """How many characters it takes."""
        if self.written == "hex":
            return self.bits // 4
        return len(str((1 << self.bits) - 1)) if self.written == "decimal" else self.bits // 8

    def checksum(self, covered: bytes) -> int:
        """The check of these bytes."""
        crc = CRCS.get(self.kind)
        value = crc.of(covered) if crc is not None else _SUMS[self.kind](covered)
        return value ^ (1 << self.bits) - 1 if self.negated else value

    def __call__(self, message: bytes) -> bytes | None:
        """The message without its check characters, or None where they are wrong or missing."""
        tail = len(message) - self.size
        body_end = tail - len(self.before)
        if body_end < self.skip or message[body_end:tail] != self.before:
            return None
        found = self._read(message[tail:])
        covered = self.start + message[self.skip : tail if self.covers_before else body_end]
        return message[:body_end] if found == self.checksum(covered) else None

    def append_check(self, body: bytes) -> bytes:
        """A message with its check characters behind it."""
        covered = self.start + body[self.skip :] + (self.before if self.covers_before else b"")
        value = self.checksum(covered)
        if self.written == "hex":
            written = f"{value:0{self.size}X}".encode()
        elif self.written == "decimal":
            written = f"{value:0{self.size}d}".encode()
        else:
            written = value.to_bytes(self.size, "big" if self.written == "high first" else "little")
        return body + self.before + written

    def _read(self, written: bytes) -> int:
        if self.written in ("high first", "low first"):
            return int.from_bytes(written, "big" if self.written == "high first" else "little")
        allowed = b"0123456789" if self.written == "decimal" else b"0123456789abcdefABCDEF"
        if written.strip(allowed):
            return -1
        return int(written, 10 if self.written == "decimal" else 16)


def nmea(body: bytes) -> bytes | None:
    """NMEA 0183, clause 5.3: `$GPXDR,...*hh`."""
    if body[:1] not in (b"$", b"!") or body[-3:-2] != b"*":
        return None
    return body[:-3] if _hex(body[-2:]) == xor_of(body[1:-3]) else None


def modbus_lrc(body: bytes) -> bytes | None:
    """MODBUS over Serial Line 1.02, 2.5.2: hexadecimal digits, the last two the LRC. Gives the bytes."""
    try:
        frame = bytes.fromhex(body.decode("ascii")) if body.isalnum() else b""
    except ValueError:
        return None
    return frame[:-1] if len(frame) >= 3 and frame[-1] == lrc_of(frame[:-1]) else None


def modbus_tcp(body: bytes) -> bytes | None:
    """MODBUS Messaging on TCP/IP 1.0b, 3.1.3: the header gives way to the unit and the function."""
    return body[6:] if len(body) >= 8 and body[2:4] == b"\0\0" else None


def _hex(digits: bytes) -> int:
    try:
        return int(digits, 16) if digits.isalnum() else -1
    except ValueError:
        return -1


CHECKERS: dict[str, Checker] = {
    "nmea": nmea,
    "xor hex": CheckRule("xor"),
    "modbus crc": CheckRule("crc-16 modbus", "low first"),
    "modbus lrc": modbus_lrc,
    "modbus tcp": modbus_tcp,
}
"""Those that have a name of their own."""
