"""Whether a channel is steady: within a band for a time."""

from collections import deque

from tidybench.core.quality import Quality

MIN_SAMPLES = 5
"""Measured samples within the time below which nothing is called steady."""


class Steadiness:
    """Steady is one notion everywhere: over the last `for_us` microseconds all samples were measured, at least MIN_SAMPLES of them, none
    was missing for longer than `patience` microseconds, and highest and lowest are at most `band` apart. What was not
    measured, and a gap, begin it again. Feed it every sample, in order."""

    def __init__(self, for_us: int, band: float, patience: int) -> None:
        self._for, self._band, self._patience = for_us, band, patience
        self._highs: deque[tuple[int, float]] = deque()  # falling: the first is the highest of the window
        self._lows: deque[tuple[int, float]] = deque()
        self._times: deque[int] = deque()
        self._since: int | None = None

    def _clear(self) -> None:
        self._highs.clear()
        self._lows.clear()
        self._times.clear()
        self._since = None

    def take(self, at: int, quality: int, value: float) -> None:
        """One sample; `at` in microseconds."""
        if self._times and at - self._times[-1] > self._patience:
            self._clear()
        if quality > Quality.FLAGGED or value != value:
            self._clear()
            return
        if self._since is None:
            self._since = at
        while self._highs and self._highs[-1][1] <= value:
            self._highs.pop()
        while self._lows and self._lows[-1][1] >= value:
            self._lows.pop()
        self._highs.append((at, value))
        self._lows.append((at, value))
        self._times.append(at)
        start = at - self._for
        for kept in (self._highs, self._lows):
            while kept[0][0] < start:
                kept.popleft()
        while self._times[0] < start:
            self._times.popleft()

    def holds(self, now: int) -> bool:
        """Whether it is steady at `now`."""
        if self._since is None or now - self._times[-1] > self._patience:
            return False
        newest = self._times[-1]
        covered = newest - self._since >= self._for and len(self._times) >= MIN_SAMPLES
        return covered and self._highs[0][1] - self._lows[0][1] <= self._band
