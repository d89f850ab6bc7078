"""What an expression remembers: values over a window of time, integrals, since when.

Each takes a value (None: there is none just now) at a time in microseconds, and gives its own. A hole stays a hole: nothing is
taken from before it into an integral or a slope.
"""

from bisect import bisect_left, insort
from collections import deque
from collections.abc import Callable
from math import sqrt
from typing import Protocol

MOST = 36_000
"""Values a window keeps at most: an hour at 10 a second. Older ones go first."""

AFRESH = 1000
"""Values after which sums are added up anew, so that nothing creeps in."""


class Window(Protocol):
    """Remembers."""

    def take(self, at: int, value: float | None) -> float | None:
        """The newest value comes; gives what the window says now."""


class Sums:
    """Mean, standard deviation or slope by least squares of the values of the last `span` microseconds."""

    def __init__(self, span: int, what: str) -> None:
        self._span, self._what = span, what
        self._kept: deque[tuple[int, float]] = deque(maxlen=MOST)
        self._base_time, self._base = 0, 0.0
        self._since = 0
        self._sums = [0.0, 0.0, 0.0, 0.0, 0.0]  # t, t², v, v², t v; against the bases

    def take(self, at: int, value: float | None) -> float | None:
        kept = self._kept
        while kept and (kept[0][0] <= at - self._span or len(kept) == MOST):
            self._add(*kept.popleft(), -1.0)
        if value is None and self._what == "slope":
            kept.clear()
        if value is not None:
            kept.append((at, value))
            self._since += 1
            if self._since >= AFRESH or len(kept) == 1:
                self._afresh()
            else:
                self._add(at, value, 1.0)
        return self._value() if kept else None

    def _afresh(self) -> None:
        self._since = 0
        self._base_time, self._base = self._kept[-1]
        self._sums = [0.0] * 5
        for at, value in self._kept:
            self._add(at, value, 1.0)

    def _add(self, at: int, value: float, sign: float) -> None:
        t, v, sums = (at - self._base_time) / 1e6, value - self._base, self._sums
        sums[0] += sign * t
        sums[1] += sign * t * t
        sums[2] += sign * v
        sums[3] += sign * v * v
        sums[4] += sign * t * v

    def _value(self) -> float | None:
        count = len(self._kept)
        t, tt, v, vv, tv = self._sums
        if self._what == "mean":
            return self._base + v / count
        if count < 2:
            return None
        if self._what == "sd":
            return sqrt(max(vv - v * v / count, 0.0) / (count - 1))
        spread = tt - t * t / count
        return (tv - t * v / count) / spread if spread > 1e-12 else None


class Extreme:
    """The lowest or highest value of the last `span` microseconds."""

    def __init__(self, span: int, highest: bool) -> None:
        self._span, self._sign = span, 1.0 if highest else -1.0
        self._kept: deque[tuple[int, float]] = deque(maxlen=MOST)

    def take(self, at: int, value: float | None) -> float | None:
        kept = self._kept
        while kept and kept[0][0] <= at - self._span:
            kept.popleft()
        if value is not None:
            # What is both older and smaller will never be the highest again.
            while kept and kept[-1][1] <= value * self._sign:
                kept.pop()
            kept.append((at, value * self._sign))
        return kept[0][1] * self._sign if kept else None


class Median:
    """The median of the last `span` microseconds."""

    def __init__(self, span: int) -> None:
        self._span = span
        self._kept: deque[tuple[int, float]] = deque(maxlen=MOST)
        self._sorted: list[float] = []

    def take(self, at: int, value: float | None) -> float | None:
        kept, ordered = self._kept, self._sorted
        while kept and (kept[0][0] <= at - self._span or len(kept) == MOST):
            del ordered[bisect_left(ordered, kept.popleft()[1])]
        if value is not None:
            kept.append((at, value))
            insort(ordered, value)
        if not ordered:
            return None
        half = len(ordered) // 2
        return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


class Integral:
    """By trapezoids, in value x seconds: since the beginning (of the run, where one is on), or over `span`."""

    def __init__(self, span: int | None) -> None:
        self._span = span
        self._total = 0.0
        self._last: tuple[int, float] | None = None
        self._kept: deque[tuple[int, float]] = deque(maxlen=MOST)
        self._since = 0

    def take(self, at: int, value: float | None) -> float | None:
        kept = self._kept
        if value is not None and self._last is not None and at > self._last[0]:
            area = (value + self._last[1]) / 2 * (at - self._last[0]) / 1e6
            self._total += area
            if self._span is not None:
                kept.append((at, area))
        self._last = None if value is None else (at, value)
        if self._span is not None:
            while kept and kept[0][0] <= at - self._span:
                self._total -= kept.popleft()[1]
            self._since += 1
            if self._since >= AFRESH:
                self._total, self._since = sum(area for _, area in kept), 0
        return self._total if value is not None else None


class Since:
    """Seconds since a condition was last true; None before it ever was."""

    def __init__(self) -> None:
        self._at: int | None = None

    def take(self, at: int, value: float | None) -> float | None:
        if value:
            self._at = at
        return None if self._at is None else (at - self._at) / 1e6


MAKERS: dict[str, Callable[[int], Window]] = {
    "mean_over": lambda span: Sums(span, "mean"),
    "sd_over": lambda span: Sums(span, "sd"),
    "rate": lambda span: Sums(span, "slope"),
    "min_over": lambda span: Extreme(span, highest=False),
    "max_over": lambda span: Extreme(span, highest=True),
    "median_over": Median,
}
"""Functions of a value and a window, by name."""
