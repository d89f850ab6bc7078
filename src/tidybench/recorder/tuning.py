"""What the recorder asks of the system and of the interpreter, so that polls start on time."""

import contextlib
import ctypes
import gc
import os
import platform
import struct
import sys

PRIORITY = -10
"""The recorder's nice value, where it may be had and real time may not."""

SLICE = 100_000
"""Nanoseconds that the thread which must be on time asks for at a time, where it has no real-time priority: whoever asks for little is let on at
once (sched_setattr(2), `sched_runtime` of an ordinary thread, Linux 6.12 on)."""

EAGER, PATIENT = 0.00002, 0.001
"""Seconds after which a thread that waits for the interpreter asks for it. One that waits while others make many short system calls never
asks at all if this is longer than those are apart: each of them wakes it, and is back before it."""

_SCHED_SETATTR = {"x86_64": 314, "aarch64": 274, "riscv64": 274, "armv7l": 380, "i686": 351}
_SCHED_ATTR = struct.Struct("=IIQiIQQQII")


def priority() -> None:
    """Ahead of browsers and databases, where the system lets us (root, or limits that grant it)."""
    with contextlib.suppress(OSError, AttributeError):
        # The lowest real-time priority: since Linux 6.6 a low nice value no longer makes a thread that
        # wakes up run at once. The kernel keeps a share of the time for all others.
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
        return
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, PRIORITY)


def ahead() -> None:
    """This thread goes before all others of the process: one that lets it have the interpreter, and is woken for it, must not keep the core."""
    with contextlib.suppress(OSError, AttributeError):
        if os.sched_getscheduler(0) == os.SCHED_RR:
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(2))
        else:
            _ask_for_little()


def _ask_for_little() -> None:
    number = _SCHED_SETATTR.get(platform.machine())
    if number is None:
        return
    nice = os.getpriority(os.PRIO_PROCESS, 0)
    attributes = _SCHED_ATTR.pack(_SCHED_ATTR.size, os.SCHED_OTHER, 0, nice, 0, SLICE, 0, 0, 0, 0)
    # An older kernel takes it and makes nothing of it.
    ctypes.CDLL(None).syscall(ctypes.c_long(number), ctypes.c_int(0), attributes, ctypes.c_uint(0))


def eager() -> None:
    """Whoever waits for the interpreter from now on is given it at once: called by the thread that must be on time, before it waits for the
    clock or for bytes."""
    sys.setswitchinterval(EAGER)


def patient() -> None:
    """Whoever waits for the interpreter from now on leaves it to the thread that has it for a moment: called by the thread that must be on
    time, while it works."""
    sys.setswitchinterval(PATIENT)


def collector() -> None:
    """Keep the garbage collector short: what is there at the start is never looked at again, and what
    comes later dies without its help, so it need not come often."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)
