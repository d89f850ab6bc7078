"""Whether a channel is steady: within a band for a time."""

from collections import deque

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
        self._recent: deque[int] = deque(maxlen=MIN_SAMPLES)  # the times of the last ones
        self._newest = 0
        self._since: int | None = None

    def _clear(self) -> None:
        self._highs.clear()
        self._lows.clear()
        self._recent.clear()
        self._since = None

    def take(self, at: int, quality: int, value: float) -> None:
        """One sample; `at` in microseconds."""
        if self._since is not None and at - self._newest > self._patience:
            self._clear()
        if quality > 1 or value != value:  # worse than Quality.FLAGGED
            self._clear()
            return
        if self._since is None:
            self._since = at
        highs, lows, entry = self._highs, self._lows, (at, value)
        while highs and highs[-1][1] <= value:
            highs.pop()
        highs.append(entry)
        while lows and lows[-1][1] >= value:
            lows.pop()
        lows.append(entry)
        start = at - self._for
        while highs[0][0] < start:
            highs.popleft()
        while lows[0][0] < start:
            lows.popleft()
        self._recent.append(at)
        self._newest = at

    def holds(self, now: int) -> bool:
        """Whether it is steady at `now`."""
        if self._since is None or now - self._newest > self._patience:
            return False
        newest, recent = self._newest, self._recent
        enough = len(recent) == MIN_SAMPLES and recent[0] >= newest - self._for
        covered = enough and newest - self._since >= self._for
        return covered and self._highs[0][1] - self._lows[0][1] <= self._band

    @property
    def spread(self) -> float | None:
        """How far highest and lowest are apart within the time; None where nothing was measured."""
        return self._highs[0][1] - self._lows[0][1] if self._highs else None
