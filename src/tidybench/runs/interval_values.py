"""What a channel's samples of one interval come to, as they arrive."""

from math import isfinite

from tidybench.core.quality import Quality


class IntervalValues:
    """Mean, minimum and maximum of what was measured, and how many samples were not. The sum is compensated (Neumaier, 1974), so
    that the mean of an hour has no error that counts."""

    __slots__ = ("_lost", "_sum", "flagged", "maximum", "measured", "minimum", "missing", "newest")

    def __init__(self) -> None:
        self.clear()

    def clear(self) -> None:
        """Another interval."""
        self.measured = self.missing = self.flagged = 0
        self.newest = 0  # the quality of the newest that was not measured
        self._sum = self._lost = 0.0
        self.minimum = self.maximum = 0.0

    def add(self, quality: int, value: float) -> None:
        """A sample of it."""
        if quality > Quality.FLAGGED or not isfinite(value):
            self.missing += 1
            self.newest = quality if quality > Quality.FLAGGED else Quality.OVER
            return
        if self.measured == 0:
            self.minimum = self.maximum = value
        elif value < self.minimum:
            self.minimum = value
        elif value > self.maximum:
            self.maximum = value
        self.measured += 1
        self.flagged += quality
        old = self._sum
        new = old + value
        self._lost += (old - new) + value if abs(old) >= abs(value) else (value - new) + old
        self._sum = new

    @property
    def mean(self) -> float:
        """Of what was measured; not finite where the sum is out of range."""
        return (self._sum + self._lost) / self.measured

    @property
    def flag(self) -> str:
        """Why there is no value, or what of it was not measured or is unsettled, with how many samples; "" where all is well."""
        code = Quality(self.newest).code
        if not self.measured:
            return code if self.missing else "no-sample"
        if self.missing:
            return f"{code}*{self.missing}"
        return f"{Quality.FLAGGED.code}*{self.flagged}" if self.flagged else ""
