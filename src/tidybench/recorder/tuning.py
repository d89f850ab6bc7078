"""What the recorder asks of the system and of the interpreter, so that polls start on time."""

import contextlib
import gc
import os
import sys

PRIORITY = -10
"""The recorder's nice value, where it may be had and real time may not."""

EAGER, PATIENT = float(os.environ.get("EAGER", "0.00002")), float(os.environ.get("PATIENT", "0.001"))
"""Seconds after which a thread that waits for the interpreter asks for it. One that waits while others make many short system calls never
asks at all if this is longer than they are apart: each of them wakes it, and is back before it."""


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
    """This thread goes before all others of the process, where it runs in real time at all: one that wakes up to let it have the interpreter
    must not wait behind it."""
    with contextlib.suppress(OSError, AttributeError):
        if os.sched_getscheduler(0) == os.SCHED_RR:
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(2))


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
