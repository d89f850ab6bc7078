"""What is wanted of a test point."""

from typing import Annotated

from pydantic import Field, model_validator

from tidybench.core.plan.ends import Band
from tidybench.core.setup.part import Identifier, Part
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.point import Quantity, Stage

Span = Annotated[float, Field(ge=0.1, le=86_400, allow_inf_nan=False)]


class PointChannel(Part):
    """`band`: highest less lowest within which it is steady, in its unit; None: it is not waited for. `low`, `high`: the tolerance of its
    mean."""

    band: Band | None = None
    low: Finite | None = None
    high: Finite | None = None

    @model_validator(mode="after")
    def _order(self) -> "PointChannel":
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"the tolerance ends ({self.high}) before it begins ({self.low})")
        return self


class PointRule(Part):
    """How a run's points are taken. `channels`, by id: those that are averaged. All that have a band must have been steady for `steady_s`
    seconds; then `average_s` seconds are averaged, in which they must stay so. `give_up_s`: seconds after which it is given up."""

    channels: Annotated[dict[Identifier, PointChannel], Field(min_length=1, max_length=256)]
    steady_s: Span = 10.0
    average_s: Span = 10.0
    give_up_s: Span = 300.0

    @model_validator(mode="after")
    def _long_enough(self) -> "PointRule":
        waits = self.steady_s if any(one.band is not None for one in self.channels.values()) else 0
        if waits + self.average_s > self.give_up_s:
            raise ValueError(
                f"it would be given up after {self.give_up_s:g} s, before it can be steady and averaged "
                f"({waits + self.average_s:g} s)"
            )
        return self


class PointOrder(Part):
    """A point that is to be taken now. `sets`: set values; `typed`: what was read by eye. `stage`: of a point of a calibration."""

    rule: PointRule
    name: Annotated[str, Field(max_length=120)] = ""
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""
    stage: Stage = ""
    sets: Annotated[list[Quantity], Field(max_length=20)] = []
    typed: Annotated[list[Quantity], Field(max_length=20)] = []


class OrderedPoint(Part):
    """A point that is being taken: its number, and when it was ordered (microseconds since 1970 UTC)."""

    number: int
    at: int
    order: PointOrder
