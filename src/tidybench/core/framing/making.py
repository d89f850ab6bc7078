"""The framer and the check that a set-up asks for."""

from functools import partial

from tidybench.core.framing.block import BlockFramer
from tidybench.core.framing.check import CHECKERS, Checker, CheckRule
from tidybench.core.framing.counted import Count, CountedFramer
from tidybench.core.framing.fixed import FixedFramer
from tidybench.core.framing.framer import Framer
from tidybench.core.framing.marks import MarksFramer
from tidybench.core.framing.modbus_rtu import ModbusFramer
from tidybench.core.framing.silence import SilenceFramer
from tidybench.core.framing.terminator import TerminatorFramer
from tidybench.core.setup.framing import CheckPart, FramingPart

MODBUS_TCP_LENGTH = Count(at=4, size=2, plus=6)
"""MODBUS Messaging on TCP/IP 1.0b, 3.1.3."""


def make_framer(part: FramingPart, byte_time: float) -> Framer:
    """A new framer. `byte_time`: microseconds a byte takes, 0 where times are not dated back."""
    start, end, longest = part.start.encode("latin-1"), part.end.encode("latin-1"), part.longest
    silence = round(part.silence_ms * 1000)
    if part.kind == "between marks":
        return MarksFramer(start, end, byte_time, longest, part.behind)
    if part.kind == "fixed length":
        return FixedFramer(part.length, start, silence, byte_time)
    if part.kind == "silence":
        return SilenceFramer(silence, byte_time, longest)
    if part.kind == "counted":
        count = part.count
        assert count is not None
        return CountedFramer(
            Count(count.at, count.size, count.written, count.plus), start, byte_time, longest
        )
    if part.kind == "ieee 488.2":
        return BlockFramer(part.terminator_bytes or b"\n", byte_time, max(longest, 65_536))
    if part.kind == "modbus rtu":
        return ModbusFramer(byte_time)
    if part.kind == "modbus ascii":
        return MarksFramer(b":", b"\r\n", byte_time, 513)
    if part.kind == "modbus tcp":
        return CountedFramer(MODBUS_TCP_LENGTH, byte_time=byte_time, longest=260)
    return TerminatorFramer(part.terminator_bytes, byte_time, longest, part.prompt.encode("latin-1"))


def _without(size: int, message: bytes) -> bytes:
    """What stands behind an end mark, and nothing says how to check."""
    return message[:-size]


def make_check(part: FramingPart) -> Checker | None:
    """What proves a message whole; None where nothing does."""
    if isinstance(part.check, CheckPart):
        check = part.check
        before, start = (part.end, part.start) if part.behind else (check.before, "")
        return CheckRule(
            check.kind, check.written, check.skip, before.encode("latin-1"), check.covers_before, check.negated,
            start.encode("latin-1") if check.covers_start else b"",
        )  # fmt: skip
    if part.behind:
        return partial(_without, len(part.end) + part.behind)
    return CHECKERS.get(part.checked_by)
