"""Time stamps: the monotonic clock, anchored to UTC."""

import threading
import time
from collections.abc import Callable

STEP = 500_000
"""A difference (microseconds) from the wall clock that counts as a step or a sleep."""


class Clock:
    """Microseconds since 1970 UTC that never go backward."""

    def __init__(
        self, wall: Callable[[], int] = time.time_ns, monotonic: Callable[[], int] = time.monotonic_ns
    ) -> None:
        self._wall, self._monotonic = wall, monotonic
        self._offset = wall() - monotonic()
        self._lock = threading.Lock()

    def now(self) -> int:
        """The time now."""
        return (self._monotonic() + self._offset) // 1000

    def check(self, may_go_back: bool) -> int:
        """Compare with the wall clock and anchor again after a step; gives the step in
        microseconds, 0 for none. A step backward is taken only where `may_go_back`."""
        with self._lock:
            offset = self._wall() - self._monotonic()
            step = (offset - self._offset) // 1000
            if abs(step) < STEP or (step < 0 and not may_go_back):
                return 0
            self._offset = offset
            return step
