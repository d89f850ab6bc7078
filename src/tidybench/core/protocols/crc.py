"""Cyclic redundancy checks, by the parameters that their standards give."""

from dataclasses import dataclass
from functools import cache


@dataclass(slots=True, frozen=True)
class Crc:
    """A check of `width` bits: polynomial without its highest term, start value, whether bits go in
    and out lowest first, and what the result is exclusively ored with."""

    width: int
    polynomial: int
    start: int
    reflected: bool
    last: int

    def of(self, data: bytes) -> int:
        """The check of these bytes."""
        table, width = _table(self), self.width
        if self.reflected:
            value = _mirrored(self.start, width)
            for byte in data:
                value = value >> 8 ^ table[(value ^ byte) & 0xFF]
        else:
            value, top, mask = self.start, width - 8, (1 << width) - 1
            for byte in data:
                value = (value << 8 & mask) ^ table[value >> top ^ byte]
        return value ^ self.last


@cache
def _table(crc: Crc) -> tuple[int, ...]:
    entries = []
    mirrored, top, mask = _mirrored(crc.polynomial, crc.width), 1 << (crc.width - 1), (1 << crc.width) - 1
    for byte in range(256):
        value = byte if crc.reflected else byte << (crc.width - 8)
        for _ in range(8):
            if crc.reflected:
                value = value >> 1 ^ (mirrored if value & 1 else 0)
            else:
                value = (value << 1 ^ (crc.polynomial if value & top else 0)) & mask
        entries.append(value)
    return tuple(entries)


def _mirrored(value: int, width: int) -> int:
    return int(f"{value:0{width}b}"[::-1], 2)


CRCS: dict[str, Crc] = {
    "crc-8": Crc(8, 0x07, 0x00, False, 0x00),  # ITU-T I.432.1 without its final exclusive or
    "crc-16 modbus": Crc(16, 0x8005, 0xFFFF, True, 0x0000),  # MODBUS over Serial Line 1.02, 6.2.2
    "crc-16 arc": Crc(16, 0x8005, 0x0000, True, 0x0000),
    "crc-16 ccitt": Crc(16, 0x1021, 0xFFFF, False, 0x0000),
    "crc-16 xmodem": Crc(16, 0x1021, 0x0000, False, 0x0000),
    "crc-16 x25": Crc(16, 0x1021, 0xFFFF, True, 0xFFFF),  # ITU-T X.25, 2.2.7.4
    "crc-32": Crc(32, 0x04C11DB7, 0xFFFFFFFF, True, 0xFFFFFFFF),  # IEEE 802.3, 3.2.9
}
