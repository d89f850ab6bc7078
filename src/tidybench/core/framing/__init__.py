"""Framing: bytes in, messages out.

A framer is a function of events to messages plus the next deadline it wants. It is told of every
piece of bytes with its time, of every query that was sent (a Modbus reply can only be cut by
someone who knows what was asked), and of deadlines that passed (silence ends a message). The
same bytes with the same times give the same messages, in pieces of any size.
"""

from tidybench.core.framing.framer import Cut, Framer
from tidybench.core.framing.making import make_check, make_framer
from tidybench.core.framing.terminator import TerminatorFramer

__all__ = ["Cut", "Framer", "TerminatorFramer", "make_check", "make_framer"]
