"""The uncertainty of a mean by its own samples (JCGM 100:2008, the Guide to the Expression of Uncertainty in Measurement)."""

from math import hypot, sqrt

COVERAGE = 2.0
"""The coverage factor of what is told (6.3.3: about 95 per cent)."""


class Scatter:
    """The standard uncertainty of a mean by its own samples (Type A, 4.2.3): their standard deviation over the root of how many of them count as
    independent. Samples that resemble the one before, as those of a slow or filtered reading do, count for fewer (4.2.7): n (1 - r) / (1 + r), with r
    the correlation of neighbours. Feed it every measured value, in order."""

    def __init__(self) -> None:
        self._origin = 0.0
        self._count = 0
        self._sum = self._squares = self._products = 0.0  # of values less the first one
        self._last = 0.0

    def add(self, value: float) -> None:
        """One measured value."""
        if not self._count:
            self._origin = value
        apart = value - self._origin
        if self._count:
            self._products += self._last * apart
        self._count += 1
        self._sum += apart
        self._squares += apart * apart
        self._last = apart

    @property
    def standard_uncertainty(self) -> float | None:
        """Of the mean; None for fewer than two values."""
        n = self._count
        if n < 2:
            return None
        mean = self._sum / n
        spread = self._squares - n * mean * mean
        if spread <= 0:
            return 0.0
        # Each has a neighbour on both sides but the first, which is the origin and so 0, and the last.
        both = self._products - mean * (2 * self._sum - self._last) + (n - 1) * mean * mean
        resembles = min(max(both / spread + 1 / n, 0.0), 1.0)
        independent = min(max(n * (1 - resembles) / (1 + resembles), 1.0), float(n))
        return sqrt(spread / (n - 1) / independent)


def expanded(*standard: float) -> float:
    """The expanded uncertainty (k = 2) of independent standard uncertainties together (5.1.2, 6.2.1)."""
    return COVERAGE * hypot(*standard)
