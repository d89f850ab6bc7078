"""A condition on one channel's value, that must hold for a time."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.batch import NAN
from tidybench.core.quality import Quality
from tidybench.core.setup.part import Identifier, Part
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.figure import figure

Side = Literal["above", "below", "beyond its limits"]


class Condition(Part):
    """`value`: the level, of “above” and “below”, in the channel's unit. `for_s`: seconds that it must hold without a break."""

    channel: Identifier
    side: Side
    value: Finite | None = None
    for_s: Annotated[float, Field(ge=0, le=86_400, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _level(self) -> "Condition":
        if (self.value is None) != (self.side == "beyond its limits"):
            raise ValueError(
                "“beyond its limits” takes no value: the channel's limits count"
                if self.value is not None
                else f"“{self.side}” needs a value"
            )
        return self

    def words(self, name: str, unit: str) -> str:
        """In one line."""
        level = "" if self.value is None else f" {figure(self.value)}{f' {unit}' if unit else ''}"
        held = f" for {figure(self.for_s)} s" if self.for_s else ""
        return f"{name} {self.side}{level}{held}"


class ConditionWatch:
    """Whether a condition has held for its time. A sample that was not measured is a break, and so is silence of more than `patience`
    microseconds. `fulfilled_at`: when it first had, None where it has not."""

    def __init__(self, condition: Condition, patience: int) -> None:
        self._side, self._for = condition.side, round(condition.for_s * 1e6)
        self._patience, self._heard = patience, 0
        self._value = NAN if condition.value is None else condition.value
        self._since: int | None = None
        self.fulfilled_at: int | None = None

    def take(self, at: int, quality: int, value: float) -> None:
        """One sample of the channel, in order; `at` in microseconds."""
        if at - self._heard > self._patience:
            self._since = None
        self._heard = at
        holds = value > self._value if self._side == "above" else value < self._value
        self._hold(at, holds and quality <= Quality.FLAGGED)

    def judged(self, at: int, beyond: bool) -> None:
        """How the channel stands to its limits at `at`."""
        self._hold(at, beyond)

    def _hold(self, at: int, holds: bool) -> None:
        if not holds:
            self._since = None
            return
        if self._since is None:
            self._since = at
        if self.fulfilled_at is None and at - self._since >= self._for:
            self.fulfilled_at = at
