"""What the recorder asks of the system and of the interpreter, so that polls start on time."""

import contextlib
import gc
import os

PRIORITY = -10
"""The recorder's nice value, where it may be had and real time may not."""


def priority() -> None:
    """Ahead of browsers and databases, where the system lets us (root, or limits that grant it)."""
    with contextlib.suppress(OSError, AttributeError):
        # The lowest real-time priority: since Linux 6.6 a low nice value no longer makes a thread that
        # wakes up run at once. The kernel keeps a share of the time for all others.
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
        return
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, PRIORITY)


def collector() -> None:
    """Keep the garbage collector short: what is there at the start is never looked at again, and what
    comes later dies without its help, so it need not come often."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)
