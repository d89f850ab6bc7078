"""What quiets a channel, and what thins it out."""

from typing import Annotated, Literal

from pydantic import Field

from tidybench.core.setup.part import Part


class MeanFilter(Part):
    """The mean of the last `count` values."""

    kind: Literal["mean"]
    count: Annotated[int, Field(ge=2, le=10_000)] = 5


class MedianFilter(Part):
    """The median of the last `count` values."""

    kind: Literal["median"]
    count: Annotated[int, Field(ge=3, le=1_001)] = 5


class ExponentialFilter(Part):
    """A first-order lag of this time constant, in seconds."""

    kind: Literal["exponential"]
    time_constant_s: Annotated[float, Field(gt=0, le=86_400)] = 1.0


class SpikeFilter(Part):
    """A value further than `jump` from the last one is left out, until `patience` of them in a row say so."""

    kind: Literal["spikes"]
    jump: Annotated[float, Field(gt=0, le=1e300, allow_inf_nan=False)]
    patience: Annotated[int, Field(ge=1, le=100)] = 2


class HumFilter(Part):
    """A notch at the mains' frequency, where samples come more than twice as often."""

    kind: Literal["hum"]
    mains: Literal[50, 60] = 50


FilterPart = Annotated[
    MeanFilter | MedianFilter | ExponentialFilter | SpikeFilter | HumFilter, Field(discriminator="kind")
]


class ThinningPart(Part):
    """Fewer samples: every n-th, or one for every stretch of `every_s` seconds: its mean, lowest or highest."""

    keep: Literal["every", "mean", "min", "max"] = "mean"
    every: Annotated[int, Field(ge=2, le=1_000_000)] | None = None
    every_s: Annotated[float, Field(gt=0, le=86_400)] | None = None

    def interval(self, before: float) -> float:
        """Seconds between two samples that are left, of those `before` apart."""
        return before * (self.every or 1) if self.keep == "every" else max(before, self.every_s or 0.0)

    def problem(self) -> str:
        """What is missing, "" for nothing."""
        if self.keep == "every":
            return "" if self.every else "thinning: say which one is kept: every = 10"
        return "" if self.every_s else f"thinning: say for how long a {self.keep} is taken: every_s = 1"
