"""Time stamps: the monotonic clock, anchored to UTC."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

STEP = 500_000
"""A difference (microseconds) from the wall clock that counts as a step or a sleep."""


@dataclass(slots=True, frozen=True)
class Step:
    """The computer's clock moved by this many microseconds; `taken`: and our time with it."""

    by: int
    taken: bool

    @property
    def words(self) -> str:
        """The step as a sentence of the tape."""
        moved = f"the computer's clock moved by {self.by / 1e6:.3f} s"
        return moved if self.taken else f"{moved}; the run's time goes on without it"


class Clock:
    """Microseconds since 1970 UTC that never go backward."""

    def __init__(
        self,
        wall: Callable[[], int] = time.time_ns,
        monotonic: Callable[[], int] = time.monotonic_ns,
        not_before: int = 0,
    ) -> None:
        """`not_before`: the newest time in a run that goes on; a clock that was set back meanwhile must not repeat it."""
        self._wall, self._monotonic = wall, monotonic
        self._seen = wall() - monotonic()
        self._offset = max(self._seen, not_before * 1000 - monotonic())
        self._lock = threading.Lock()
        self.behind = (self._offset - self._seen) // 1000
        """By how much the computer's clock was behind at the start, 0 where it was not."""

    def now(self) -> int:
        """The time now."""
        return (self._monotonic() + self._offset) // 1000

    def check(self, may_go_back: bool) -> Step | None:
        """Compare with the wall clock; gives a step it has made since the last look. Our time follows forward at once, and
        backward only where it may."""
        with self._lock:
            offset = self._wall() - self._monotonic()
            by = (offset - self._seen) // 1000
            stepped = abs(by) >= STEP
            if stepped:
                self._seen = offset
            back = offset < self._offset
            if not back or may_go_back:
                if abs(offset - self._offset) // 1000 >= STEP:
                    self._offset = offset
                    return Step(by, True) if stepped else None
                return None
            return Step(by, False) if stepped else None
