"""Sums of measured values and of their times that can be joined, without losing digits where a mean is large beside its
spread (Chan, Golub and LeVeque, 1983)."""

from dataclasses import dataclass
from math import sqrt
from typing import Any

import numpy as np

Numbers = np.ndarray[Any, Any]


@dataclass(slots=True)
class Moments:
    """Of `count` values: their mean, lowest and highest, `spread` (sum of squares about the mean); of their times in seconds
    after `origin` (microseconds since 1970 UTC) the mean `time` and the sum of squares `times`; and `both`, the sum of
    products of the two about their means."""

    count: int = 0
    mean: float = 0.0
    spread: float = 0.0
    low: float = float("inf")
    high: float = float("-inf")
    origin: int = 0
    time: float = 0.0
    times: float = 0.0
    both: float = 0.0

    @classmethod
    def of(cls, times: Numbers, values: Numbers) -> "Moments":
        """Of measured values: times in microseconds, arrays of one length."""
        if not len(values):
            return cls()
        origin = int(times[0])
        seconds = (times - origin) / 1e6
        mean, time = float(values.mean()), float(seconds.mean())
        apart, later = values - mean, seconds - time
        return cls(
            len(values),
            mean,
            float(apart @ apart),
            float(values.min()),
            float(values.max()),
            origin,
            time,
            float(later @ later),
            float(later @ apart),
        )

    @classmethod
    def of_rows(cls, times: Numbers, values: Numbers) -> "list[Moments]":
        """Of each row of measured values: arrays of one shape, (rows, values a row), at least one value."""
        origins = times[:, 0]
        seconds = (times - origins[:, None]) / 1e6
        means, middles = values.mean(axis=1), seconds.mean(axis=1)
        apart, later = values - means[:, None], seconds - middles[:, None]
        columns = (
            means,
            np.einsum("ij,ij->i", apart, apart),
            values.min(axis=1),
            values.max(axis=1),
            origins,
            middles,
            np.einsum("ij,ij->i", later, later),
            np.einsum("ij,ij->i", later, apart),
        )
        count = values.shape[1]
        return [
            cls(count, mean, spread, low, high, int(origin), time, square, both)
            for mean, spread, low, high, origin, time, square, both in zip(
                *(one.tolist() for one in columns), strict=True
            )
        ]

    def join(self, other: "Moments") -> None:
        """Take in those of other values."""
        if not other.count:
            return
        if not self.count:
            self.count, self.mean, self.spread = other.count, other.mean, other.spread
            self.low, self.high, self.origin = other.low, other.high, other.origin
            self.time, self.times, self.both = other.time, other.times, other.both
            return
        total = self.count + other.count
        share = other.count / total
        apart = other.mean - self.mean
        later = other.time + (other.origin - self.origin) / 1e6 - self.time
        weight = self.count * share
        self.spread += other.spread + apart * apart * weight
        self.times += other.times + later * later * weight
        self.both += other.both + apart * later * weight
        self.mean += apart * share
        self.time += later * share
        self.count = total
        self.low, self.high = min(self.low, other.low), max(self.high, other.high)

    @property
    def sd(self) -> float | None:
        """Standard deviation of a sample (n - 1); None for fewer than two values."""
        return sqrt(self.spread / (self.count - 1)) if self.count > 1 else None

    @property
    def slope(self) -> float | None:
        """Change per hour, by least squares; None where all values are of one time."""
        return self.both / self.times * 3600.0 if self.times > 0 else None
