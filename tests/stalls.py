"""Did the machine stand still while a test ran?

Tests of the recorder, the web server and the interface live in real time: a reply is late after half a second,
and that is what they test. On a shared machine whole seconds go missing, and such a test is then red for
nothing. A thread sleeps a moment again and again and notes when it was woken late; with the share of time that
other guests of the host took it says whether a red test may be tried again. On a calm machine it may not.
"""

import threading
import time
from pathlib import Path

NAP = 0.02
LATE = 0.15  # s: a nap that lasts this much longer is a stall
STOLEN = 0.15  # of the time of all cores


class StallWatch:
    """Knows whether the machine stood still, or much of it was taken away, since the test began."""

    def __init__(self) -> None:
        self._worst = 0.0
        self._stolen, self._all = _ticks()
        threading.Thread(target=self._watch, daemon=True, name="stalls").start()

    def begin(self) -> None:
        self._worst = 0.0
        self._stolen, self._all = _ticks()

    def happened(self) -> bool:
        stolen, every = _ticks()
        share = (stolen - self._stolen) / max(1, every - self._all)
        return self._worst > LATE or share > STOLEN

    def _watch(self) -> None:
        while True:
            began = time.monotonic()
            time.sleep(NAP)
            self._worst = max(self._worst, time.monotonic() - began - NAP)


def _ticks() -> tuple[int, int]:
    """Ticks that were stolen, and all of them, from /proc/stat (Linux only; elsewhere none)."""
    try:
        fields = [int(word) for word in Path("/proc/stat").read_text("ascii").split("\n", 1)[0].split()[1:9]]
    except OSError:
        return 0, 0
    return fields[7], sum(fields)
