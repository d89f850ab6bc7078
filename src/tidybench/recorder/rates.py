"""How fast counts grow."""

import time


class Rates:
    """Rates of growing counts, each over some seconds."""

    OVER = 3.0

    def __init__(self) -> None:
        self._kept: dict[tuple[str, str], tuple[float, int, float]] = {}

    def of(self, key: str, what: str, count: int) -> float:
        """How many a second `count` grows by; 0 until that is known."""
        now = time.monotonic()
        kept = self._kept.get((key, what))
        if kept is None:
            self._kept[key, what] = (now, count, 0.0)
            return 0.0
        at, before, rate = kept
        if count < before:  # counted from 0 again: the link was opened again
            before = 0
        # The first answer comes after a second, so that a new instrument shows life at once.
        if now - at >= (self.OVER if rate else 1.0):
            rate = (count - before) / (now - at)
            self._kept[key, what] = (now, count, rate)
        return rate
