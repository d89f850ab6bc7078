"""Values as registers that others read: what is in them, and the answer to a request."""

import struct
from collections.abc import Sequence
from enum import IntEnum

STRIDE = 4
"""Registers of the header, and of each channel."""

MOST = 125
"""Registers that one request may ask for (MODBUS Application Protocol 1.1b3, 6.3)."""


class RegisterState(IntEnum):
    """What the third register of a channel says."""

    MEASURED = 0
    LAST = 1
    """Not measured now: the last value that was."""
    MISSING = 2


def register_image(now: int, values: Sequence[tuple[float | None, int, int]]) -> bytes:
    """All registers, high byte first. The header: seconds since 1970 UTC (two registers), milliseconds, number of channels. Of each channel: the value
    as a 32-bit float (IEEE 754, high word first; NaN where it is missing), its RegisterState, its age in tenths of a second (65 535: as much or more).

    `now`: microseconds since 1970 UTC; `values`: the value, its age and how old it may be, both in microseconds.
    """
    seconds, rest = divmod(now, 1_000_000)
    image = bytearray(struct.pack(">IHH", seconds, rest // 1000, len(values)))
    for value, age, patience in values:
        state = RegisterState.MISSING
        packed = struct.pack(">f", float("nan"))
        if value is not None:
            try:
                packed = struct.pack(">f", value)
                state = RegisterState.LAST if age > patience else RegisterState.MEASURED
            except OverflowError:  # beyond what 32 bits hold: no number is better than infinity
                pass
        image += packed + struct.pack(">HH", state, min(65_535, max(0, age) // 100_000))
    return bytes(image)


def answer(image: bytes, pdu: bytes) -> bytes:
    """The answer of a server whose holding and input registers are both `image` (application protocol, 6.3, 6.4 and 7): function 3 or 4, or an exception:
    1 another function, 2 an address that is not there, 3 a count that cannot be; 6 where there is nothing yet."""
    function = pdu[0] if pdu else 0
    if function not in (3, 4):
        return bytes((function | 0x80, 1))
    if len(pdu) != 5:
        return bytes((function | 0x80, 3))
    first, count = struct.unpack(">HH", pdu[1:])
    if not 1 <= count <= MOST:
        return bytes((function | 0x80, 3))
    if not image:
        return bytes((function | 0x80, 6))
    if (first + count) * 2 > len(image):
        return bytes((function | 0x80, 2))
    data = image[first * 2 : (first + count) * 2]
    return bytes((function, len(data))) + data
