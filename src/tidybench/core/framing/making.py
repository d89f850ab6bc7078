"""The framer that a set-up asks for."""

from tidybench.core.framing.framer import Framer
from tidybench.core.framing.marks import MarksFramer
from tidybench.core.framing.modbus_rtu import ModbusFramer
from tidybench.core.framing.terminator import TerminatorFramer
from tidybench.core.setup.framing import FramingPart


def make_framer(part: FramingPart, byte_time: float) -> Framer:
    """A new framer. `byte_time`: microseconds a byte takes, 0 where times are not dated back."""
    if part.kind == "between marks":
        start, end = part.start.encode("latin-1"), part.end.encode("latin-1")
        return MarksFramer(start, end, byte_time, part.longest)
    if part.kind == "modbus rtu":
        return ModbusFramer(byte_time)
    return TerminatorFramer(part.terminator_bytes, byte_time, part.longest)
