"""Whether the computer's clock is synchronised, as the kernel tells (adjtimex(2))."""

import ctypes

from tidybench.core.plan.glance import ClockState

STA_UNSYNC = 0x0040


class _Timex(ctypes.Structure):
    # The head of struct timex; what follows is not looked at, but is written.
    _fields_ = [
        ("modes", ctypes.c_uint),
        ("offset", ctypes.c_long),
        ("freq", ctypes.c_long),
        ("maxerror", ctypes.c_long),
        ("esterror", ctypes.c_long),
        ("status", ctypes.c_int),
        ("rest", ctypes.c_byte * 512),
    ]


def clock_state() -> ClockState:
    """How the clock is kept; not known where the kernel does not tell."""
    told = _Timex()
    try:
        failed = ctypes.CDLL(None, use_errno=True).adjtimex(ctypes.byref(told)) < 0
    except (OSError, AttributeError):
        failed = True
    if failed:
        return ClockState(None)
    return ClockState(not told.status & STA_UNSYNC, told.maxerror / 1e6)
