"""Filters and thinning, sample by sample. Each restarts after a break: nothing is filtered across a gap."""

from bisect import bisect_left, insort
from collections import deque
from collections.abc import Callable
from math import cos, exp, isfinite, pi, sin
from operator import add
from typing import Any, Protocol

from tidybench.core.quality import Quality
from tidybench.core.setup.filters import (
    ExponentialFilter,
    FilterPart,
    HumFilter,
    MeanFilter,
    MedianFilter,
    SpikeFilter,
    ThinningPart,
)
from tidybench.core.sliding import Sliding

QUALITY = 8.0
"""Of the notch: its width is the mains' frequency / 8."""


class Filter(Protocol):
    """Takes measured values, with their times in microseconds."""

    def take(self, at: int, value: float) -> float | None:
        """The filtered value; None where this one is left out."""

    def restart(self) -> None:
        """A break: start again."""

    def state(self) -> list[Any]:
        """What it remembers, as JSON."""

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave."""


class Mean:
    """Of the last values."""

    def __init__(self, count: int) -> None:
        self._count = count
        self._values: Sliding[float, float] = Sliding(float, add)

    def take(self, at: int, value: float) -> float | None:
        values, count = self._values, self._count
        if len(values) == count:
            values.leave()
        values.append(value)
        mean = (values.total or 0.0) / len(values)
        if isfinite(mean):
            return mean
        # The sum is larger than any number; the mean need not be.
        return sum(one / len(values) for part in values.state() for one in part)

    def restart(self) -> None:
        self._values.clear()

    def state(self) -> list[Any]:
        return [*self._values.state()]

    def restore(self, state: list[Any]) -> None:
        front, back = state[:2]
        # Before 2026-11-26: the values, their sum, and how often it was added to.
        self._values.restore(front, back if isinstance(back, list) else [])


class Median:
    """Of the last values."""

    def __init__(self, count: int) -> None:
        self._values: deque[float] = deque(maxlen=count)
        self._sorted: list[float] = []

    def take(self, at: int, value: float) -> float | None:
        values, ordered = self._values, self._sorted
        if len(values) == values.maxlen:
            del ordered[bisect_left(ordered, values[0])]
        values.append(value)
        insort(ordered, value)
        half = len(ordered) // 2
        return ordered[half] if len(ordered) % 2 else ordered[half - 1] / 2 + ordered[half] / 2

    def restart(self) -> None:
        self._values.clear()
        self._sorted.clear()

    def state(self) -> list[Any]:
        return list(self._values)

    def restore(self, state: list[Any]) -> None:
        self._values.clear()
        self._values.extend(state)
        self._sorted = sorted(state)


class Exponential:
    """A first-order lag; unequal intervals are allowed for."""

    def __init__(self, time_constant_s: float) -> None:
        self._constant = time_constant_s * 1e6
        self._last: tuple[int, float] | None = None

    def take(self, at: int, value: float) -> float | None:
        if self._last is not None:
            before, old = self._last
            share = 1 - exp(-max(at - before, 0) / self._constant)
            value = old + (value - old) * share
        self._last = at, value
        return value

    def restart(self) -> None:
        self._last = None

    def state(self) -> list[Any]:
        return list(self._last) if self._last is not None else []

    def restore(self, state: list[Any]) -> None:
        self._last = (state[0], state[1]) if state else None


class Spikes:
    """Leaves out what jumps, until it has jumped so often that it is no spike."""

    def __init__(self, jump: float, patience: int) -> None:
        self._jump, self._patience = jump, patience
        self._last: float | None = None
        self._odd = 0

    def take(self, at: int, value: float) -> float | None:
        if self._last is not None and abs(value - self._last) > self._jump and self._odd < self._patience:
            self._odd += 1
            return None
        self._last, self._odd = value, 0
        return value

    def restart(self) -> None:
        self._last, self._odd = None, 0

    def state(self) -> list[Any]:
        return [self._last, self._odd]

    def restore(self, state: list[Any]) -> None:
        self._last, self._odd = state


class Hum:
    """A second-order notch. It takes the interval from the samples and waits until it is steady."""

    def __init__(self, mains: float) -> None:
        self._mains = mains
        self._memory: list[float] = []  # two inputs and two outputs back
        self._interval = 0.0
        self._last = 0

    def take(self, at: int, value: float) -> float | None:
        gap, self._last = at - self._last, at
        if not self._memory:
            self._memory = [value] * 4
            return value
        self._interval = float(gap) if not self._interval else self._interval * 0.95 + gap * 0.05
        rate = 1e6 / self._interval if self._interval > 0 else 0.0
        if rate <= 2 * self._mains:
            return value  # too slow: hum cannot be told from the signal
        angle = 2 * pi * self._mains / rate
        alpha, turn = sin(angle) / (2 * QUALITY), 2 * cos(angle)
        x1, x2, y1, y2 = self._memory
        out = (value - turn * x1 + x2 + turn * y1 - (1 - alpha) * y2) / (1 + alpha)
        self._memory = [value, x1, out, y1]
        return out

    def restart(self) -> None:
        self._memory = []

    def state(self) -> list[Any]:
        return [self._memory, self._interval, self._last]

    def restore(self, state: list[Any]) -> None:
        self._memory, self._interval, self._last = list(state[0]), state[1], state[2]


def make_filter(part: FilterPart) -> Filter:
    """The filter a set-up asks for."""
    if isinstance(part, MeanFilter):
        return Mean(part.count)
    if isinstance(part, MedianFilter):
        return Median(part.count)
    if isinstance(part, ExponentialFilter):
        return Exponential(part.time_constant_s)
    if isinstance(part, SpikeFilter):
        return Spikes(part.jump, part.patience)
    assert isinstance(part, HumFilter)
    return Hum(part.mains)


Put = Callable[[int, int, float], None]
"""Puts out quality, time and value."""


class Thinning:
    """Fewer samples. A stretch is put out when the first sample after it comes, at the time of its own end."""

    def __init__(self, part: ThinningPart) -> None:
        self._keep, self._every = part.keep, part.every or 1
        self._span = round((part.every_s or 0) * 1e6)
        self._count = 0
        self._stretch = 0
        self._total = 0.0
        self._measured = 0
        self._low = self._high = 0.0
        self._worst = 0
        self._last_bad = 0

    def take(self, quality: int, at: int, value: float, put: Put) -> None:
        """A sample comes; `put` gets those that go out."""
        if self._keep == "every":
            self._count += 1
            if quality > Quality.FLAGGED:
                # What was not measured is said at once, but once only.
                if quality != self._last_bad:
                    put(quality, at, value)
                self._last_bad, self._count = quality, 0
            elif self._last_bad or self._count >= self._every:
                put(quality, at, value)
                self._last_bad, self._count = 0, 0
            return
        if quality == Quality.LINK_LOST:
            # Nothing may come for long: it is said at once, behind what was gathered.
            self._settle(put, at - 1)
            put(quality, at, value)
            return
        stretch = at // self._span
        if stretch != self._stretch:
            self._settle(put)
            self._stretch = stretch
        if quality <= Quality.FLAGGED:
            self._low = min(self._low, value) if self._measured else value
            self._high = max(self._high, value) if self._measured else value
            self._total += value
            self._measured += 1
        self._worst = max(self._worst, quality)
        self._count += 1

    def _settle(self, put: Put, until: int | None = None) -> None:
        if not self._count:
            return
        end = (self._stretch + 1) * self._span if until is None else until
        value = {"mean": self._total / max(self._measured, 1), "min": self._low, "max": self._high}[
            self._keep
        ]
        if self._measured and not isfinite(value):  # a sum larger than any number
            put(Quality.NO_READING, end, float("nan"))
        elif self._measured:
            # A mean of which a part is missing says so.
            put(Quality.FLAGGED if self._worst else Quality.OK, end, value)
        else:
            put(self._worst, end, float("nan"))
        self._total = 0.0
        self._count = self._measured = self._worst = 0

    def state(self) -> list[Any]:
        """What it remembers, as JSON."""
        return [self._count, self._stretch, self._total, self._measured, self._low, self._high, self._worst,
                self._last_bad]  # fmt: skip

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave."""
        (self._count, self._stretch, self._total, self._measured, self._low, self._high, self._worst,
         self._last_bad) = state  # fmt: skip
