"""What begins a run."""

from typing import Annotated

from pydantic import Field, model_validator

from tidybench.core.plan.condition import Condition
from tidybench.core.plan.ends import ClockTime
from tidybench.core.setup.part import Identifier, Part
from tidybench.core.values.figure import figure

MOST_BEFORE = 3600
"""Seconds that the memory of samples goes back."""


class Begins(Part):
    """With nothing given a person begins the run. `at`: a clock time. `when`: a channel has passed a level, or is beyond its limits; where
    that holds already the run begins at once. `reading`: the next value that is read of this channel, as of a gauge that sends one
    when its key is pressed. `before_s`: so many seconds before that come along from memory."""

    at: ClockTime | None = None
    when: Condition | None = None
    reading: Identifier | None = None
    before_s: Annotated[float, Field(ge=0, le=MOST_BEFORE, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _one(self) -> "Begins":
        if sum(one is not None for one in (self.at, self.when, self.reading)) > 1:
            raise ValueError(
                "a run begins at a time, or on a level, or with a reading: give one of at, when, reading"
            )
        return self

    @property
    def waits(self) -> bool:
        """Whether it begins by itself, later."""
        return self.at is not None or self.when is not None or self.reading is not None

    @property
    def channels(self) -> list[str]:
        """The ids of the channels that it looks at."""
        if self.when is not None:
            return [self.when.channel]
        return [self.reading] if self.reading is not None else []

    @property
    def words(self) -> str:
        """In one line, channels by their ids."""
        before = f", with the {figure(self.before_s)} s before" if self.before_s else ""
        if self.at is not None:
            return f"at {self.at}{before}"
        if self.when is not None:
            return self.when.words(self.when.channel, "") + before
        if self.reading is not None:
            return f"with the next reading of {self.reading}{before}"
        return "when a person begins it" + before
