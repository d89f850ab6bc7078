"""Modbus replies: registers and coils by a register map."""

import math
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from tidybench.core.protocols.modbus import EXCEPTIONS
from tidybench.core.quality import Quality
from tidybench.core.reading.element import Field
from tidybench.core.reading.form import ErrorReply, Read
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.modbus import RegisterPart

FUNCTIONS = {"coil": 1, "discrete": 2, "holding": 3, "input": 4}
"""MODBUS Application Protocol 1.1b3, 6.1 to 6.4."""

MAX_REGISTERS, MAX_BITS = 125, 2000
"""In one request (the same)."""

_CODES = {
    "uint16": "H", "int16": "h", "uint32": "I", "int32": "i", "uint64": "Q", "int64": "q", "float32": "f", "float64": "d", "bit": "H"
}  # fmt: skip


@dataclass(slots=True, frozen=True)
class Request:
    """Neighbouring addresses of one table, fetched at once."""

    function: int
    first: int
    count: int
    registers: tuple[RegisterPart, ...]


def requests(registers: Sequence[RegisterPart], together: int) -> list[Request]:
    """As few requests as fetch all registers, without reading along more than `together` addresses
    that nobody wants between two that somebody does."""
    found: list[Request] = []
    for table, function in FUNCTIONS.items():
        most = MAX_BITS if table in ("coil", "discrete") else MAX_REGISTERS
        group: list[RegisterPart] = []
        end = 0
        for one in sorted((r for r in registers if r.table == table), key=lambda r: (r.at, r.size)):
            far = (
                one.at > end + together or max(end, one.at + one.size) - group[0].at > most
                if group
                else False
            )
            if far:
                found.append(Request(function, group[0].at, end - group[0].at, tuple(group)))
                group = []
            end = max(end, one.at + one.size) if group else one.at + one.size
            group.append(one)
        if group:
            found.append(Request(function, group[0].at, end - group[0].at, tuple(group)))
    return found


class RegistersForm:
    """Reads the reply to one request: unit, function, byte count, data (after the check came out right)."""

    def __init__(self, unit: int, request: Request) -> None:
        self._unit, self._request = unit, request

    @property
    def numbers(self) -> tuple[str, ...] | None:
        return tuple(one.name for one in self._request.registers)

    def read(self, message: bytes) -> Read:
        request = self._request
        if len(message) < 3 or message[0] != self._unit:
            return Stop(
                1, f"an answer of unit {self._unit}", f"one of {message[0]}" if message else "nothing"
            )
        if message[1] == request.function | 0x80:
            return ErrorReply(f"exception {message[2]}, {EXCEPTIONS.get(message[2], 'of its own')}")
        if message[1] != request.function:
            return Stop(2, f"function {request.function}", str(message[1]))
        bits = request.function <= 2
        size = -(-request.count // 8) if bits else request.count * 2
        data = message[3:]
        if message[2] != size or len(data) != size:
            return Stop(3, f"an answer with {size} bytes", f"one with {len(data)}")
        return {
            one.name: _bit(data, one.at - request.first) if bits else _value(data, one, request.first)
            for one in request.registers
        }


def _bit(data: bytes, index: int) -> Field:
    return Quality.OK, float(data[index // 8] >> index % 8 & 1)


def _value(data: bytes, one: RegisterPart, first: int) -> Field:
    begin = (one.at - first) * 2
    raw = data[begin : begin + one.size * 2]
    words = [raw[n : n + 2] for n in range(0, len(raw), 2)]
    if one.low_first:
        words.reverse()
    raw = b"".join(word[::-1] if one.swapped else word for word in words)
    value = struct.unpack(f">{_CODES[one.holds]}", raw)[0]
    if value in one.none or (isinstance(value, float) and not math.isfinite(value)):
        return Quality.NO_READING, math.nan
    if one.bit is not None:
        value = value >> one.bit & 1
    return Quality.OK, float(value)


def raw_registers(one: RegisterPart, value: float) -> list[int]:
    """The registers that hold a value; raises ValueError with a sentence where they cannot."""
    code = _CODES[one.holds]
    try:
        if code in "fd":
            packed = struct.pack(f">{code}", value)
        elif value != int(value):
            raise ValueError(f"{one.name} holds whole numbers; {value:g} is none.")
        else:
            packed = struct.pack(f">{code}", int(value))
    except (struct.error, OverflowError):
        raise ValueError(f"{value:g} does not fit {one.name}, which holds {one.holds}.") from None
    order: Literal["little", "big"] = "little" if one.swapped else "big"
    registers = [int.from_bytes(packed[n : n + 2], order) for n in range(0, len(packed), 2)]
    return registers[::-1] if one.low_first else registers
