"""A register or coil of a Modbus device written, and what its reply and the read-back say."""

import struct
from collections.abc import Callable
from dataclasses import dataclass

from tidybench.core.protocols.modbus import frame
from tidybench.core.reading.form import ErrorReply
from tidybench.core.reading.register_writing import write_pdu
from tidybench.core.reading.registers import RegistersForm, Request, requests
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.modbus import RegisterPart

CLOSE = 1e-6
"""Share by which a read-back may differ: a device may keep fewer digits."""

Exchange = Callable[[bytes], bytes | None]
"""Sends a frame; gives the answer's unit, function and data (checked), None where no good one came."""


@dataclass(slots=True, frozen=True)
class Written:
    """What came of a write. `read_back` is None where it could not be read."""

    good: bool
    read_back: float | None
    sentence: str


def write_register(kind: str, unit: int, one: RegisterPart, value: float, exchange: Exchange) -> Written:
    """Write a value and read it back. `kind`: the framing, as in `frame`. Raises ValueError, see `write_pdu`."""
    pdu = write_pdu(one, value)
    answer = exchange(frame(kind, unit, pdu))
    if answer is None:
        return Written(
            False,
            None,
            f"No good answer came to the writing of {one.name}: it is not known whether it was done.",
        )
    refused = RegistersForm(unit, Request(pdu[0], one.at, 1, ())).read(answer)
    if isinstance(refused, ErrorReply):
        return Written(False, None, f"The device refuses to write {one.name}: {refused.text}.")
    if answer[:1] != bytes([unit]) or answer[1:6] != pdu[:5]:
        return Written(
            False, None, f"What came upon the writing of {one.name} is no answer to it ({answer.hex(' ')})."
        )
    [request] = requests([one], 0)
    found = exchange(frame(kind, unit, struct.pack(">BHH", request.function, request.first, request.count)))
    got = RegistersForm(unit, request).read(found) if found is not None else None
    if got is None or isinstance(got, Stop | ErrorReply):
        return Written(True, None, f"{one.name} was written, but it could not be read back.")
    quality, back = got[one.name]
    if not quality.measured or isinstance(back, str):
        return Written(True, None, f"{one.name} was written; read back, it says that it has no reading.")
    if abs(back - value) > CLOSE * max(1.0, abs(value)):
        return Written(False, back, f"{one.name} was written as {value:g}, but reads back as {back:g}.")
    return Written(True, back, f"{one.name} is {back:g} now, read back.")
