"""What an expression remembers: values over a window of time, integrals, since when.

Each takes a value (None: there is none just now) at a time in microseconds, and gives its own. A hole stays a hole: nothing is
taken from before it into an integral or a slope.
"""

from bisect import bisect_left, insort
from collections import deque
from collections.abc import Callable
from math import isfinite, sqrt
from typing import Any, Protocol

from tidybench.core.sliding import Sliding

MAX_KEPT = 36_000
"""Values a window keeps at most: an hour at 10 a second. Older ones go first."""


class Window(Protocol):
    """Remembers."""

    def take(self, at: int, value: float | None) -> float | None:
        """The newest value comes, never one that is not finite; gives what the window says now."""

    def state(self) -> list[Any]:
        """What it remembers, as JSON."""

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave."""


def _finite(value: float) -> float | None:
    return value if isfinite(value) else None


Moments = tuple[int, float, float, float, float, float]
"""Of a stretch: how many, mean time (s) and value, and about these means the sums of t², v² and t v."""


def _joined(one: Moments, other: Moments) -> Moments:
    """Chan, Golub and LeVeque 1983: the moments of two stretches together."""
    n1, t1, v1, tt1, vv1, tv1 = one
    n2, t2, v2, tt2, vv2, tv2 = other
    count = n1 + n2
    dt, dv, share = t2 - t1, v2 - v1, n2 / count
    weight = n1 * share
    return (
        count,
        t1 + dt * share,
        v1 + dv * share,
        tt1 + tt2 + dt * dt * weight,
        vv1 + vv2 + dv * dv * weight,
        tv1 + tv2 + dt * dv * weight,
    )


class Sums:
    """Mean, standard deviation or slope by least squares of the values of the last `span` microseconds."""

    def __init__(self, span: int, what: str) -> None:
        self._span, self._what = span, what
        self._base = 0  # times are counted from here: seconds as a double keep their digits
        self._kept: Sliding[tuple[int, float], Moments] = Sliding(self._single, _joined)

    def _single(self, one: tuple[int, float]) -> Moments:
        return 1, (one[0] - self._base) / 1e6, one[1], 0.0, 0.0, 0.0

    def take(self, at: int, value: float | None) -> float | None:
        kept = self._kept
        while kept and (kept.oldest[0] <= at - self._span or len(kept) == MAX_KEPT):
            kept.leave()
        if value is None and self._what == "slope":
            kept.clear()
        if value is not None:
            if not kept:
                self._base = at
            kept.append((at, value))
        return self._value()

    def _value(self) -> float | None:
        moments = self._kept.total
        if moments is None:
            return None
        count, _, mean, tt, vv, tv = moments
        if self._what == "mean":
            return _finite(mean)
        if count < 2:
            return None
        if self._what == "sd":
            return _finite(sqrt(vv / (count - 1)))
        return _finite(tv / tt) if tt > 1e-12 else None

    def state(self) -> list[Any]:
        return [self._base, *self._kept.state()]

    def restore(self, state: list[Any]) -> None:
        self._base = state[0]
        front, back = ([(at, value) for at, value in part] for part in state[1:])
        self._kept.restore(front, back)


class Extreme:
    """The lowest or highest value of the last `span` microseconds."""

    def __init__(self, span: int, highest: bool) -> None:
        self._span, self._sign = span, 1.0 if highest else -1.0
        self._kept: deque[tuple[int, float]] = deque(maxlen=MAX_KEPT)

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

    def state(self) -> list[Any]:
        return list(self._kept)

    def restore(self, state: list[Any]) -> None:
        self._kept = deque(((at, value) for at, value in state), maxlen=MAX_KEPT)


class Median:
    """The median of the last `span` microseconds."""

    def __init__(self, span: int) -> None:
        self._span = span
        self._kept: deque[tuple[int, float]] = deque(maxlen=MAX_KEPT)
        self._sorted: list[float] = []

    def take(self, at: int, value: float | None) -> float | None:
        kept, ordered = self._kept, self._sorted
        while kept and (kept[0][0] <= at - self._span or len(kept) == MAX_KEPT):
            del ordered[bisect_left(ordered, kept.popleft()[1])]
        if value is not None:
            kept.append((at, value))
            insort(ordered, value)
        if not ordered:
            return None
        half = len(ordered) // 2
        return ordered[half] if len(ordered) % 2 else ordered[half - 1] / 2 + ordered[half] / 2

    def state(self) -> list[Any]:
        return list(self._kept)

    def restore(self, state: list[Any]) -> None:
        self._kept = deque(((at, value) for at, value in state), maxlen=MAX_KEPT)
        self._sorted = sorted(value for _, value in self._kept)


class Integral:
    """By trapezoids, in value x seconds: since the beginning (of the run, where one is on), or over `span`."""

    def __init__(self, span: int | None) -> None:
        self._span = span
        self._total = 0.0
        self._last: tuple[int, float] | None = None
        self._kept: Sliding[tuple[int, float], float] = Sliding(lambda one: one[1], lambda a, b: a + b)

    def take(self, at: int, value: float | None) -> float | None:
        kept = self._kept
        if value is not None and self._last is not None and at > self._last[0]:
            area = (value / 2 + self._last[1] / 2) * ((at - self._last[0]) / 1e6)
            if self._span is None:
                self._total += area
            else:
                if len(kept) == MAX_KEPT:
                    kept.leave()
                kept.append((at, area))
        self._last = None if value is None else (at, value)
        if self._span is not None:
            while kept and kept.oldest[0] <= at - self._span:
                kept.leave()
        if value is None:
            return None
        return _finite(self._total if self._span is None else kept.total or 0.0)

    def state(self) -> list[Any]:
        return [self._total, list(self._last) if self._last is not None else None, *self._kept.state()]

    def restore(self, state: list[Any]) -> None:
        total, last, front, back = state
        self._total = total
        self._last = None if last is None else (last[0], last[1])
        self._kept.restore([(at, area) for at, area in front], [(at, area) for at, area in back])


class Since:
    """Seconds since a condition was last true; None before it ever was."""

    def __init__(self) -> None:
        self._at: int | None = None

    def take(self, at: int, value: float | None) -> float | None:
        if value:
            self._at = at
        return None if self._at is None else (at - self._at) / 1e6

    def state(self) -> list[Any]:
        return [self._at]

    def restore(self, state: list[Any]) -> None:
        [self._at] = state


MAKERS: dict[str, Callable[[int], Window]] = {
    "mean_over": lambda span: Sums(span, "mean"),
    "sd_over": lambda span: Sums(span, "sd"),
    "rate": lambda span: Sums(span, "slope"),
    "min_over": lambda span: Extreme(span, highest=False),
    "max_over": lambda span: Extreme(span, highest=True),
    "median_over": Median,
}
"""Functions of a value and a window, by name."""
