"""What a triggered capture takes, and upon what."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.setup.part import Identifier
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.core.values.figure import figure

MOST_SAMPLES, MOST_BEFORE = 100_000, 20_000
"""Samples of one capture, and of those from before its trigger: whoever gathers them has others to log meanwhile."""

TriggerKind = Literal["now", "level", "message", "command", "time"]


class Trigger(Exact):
    """Upon what it is taken: at once; when a channel passes a `level` (`rising`, `falling`, or either way), having been back by `hysteresis`
    meanwhile; when something with `text` in it comes from an instrument; when a command of an instrument is given (“” for any of its); at
    a time of the day (`at`, as in 14:30 or 14:30:00)."""

    kind: TriggerKind = "now"
    channel: Annotated[str, Field(max_length=64)] = ""
    level: Finite | None = None
    edge: Literal["rising", "falling", "either"] = "rising"
    hysteresis: Annotated[float, Field(ge=0, le=1e300, allow_inf_nan=False)] = 0.0
    instrument: Annotated[str, Field(max_length=64)] = ""
    text: Annotated[str, Field(max_length=200)] = ""
    command: Annotated[str, Field(max_length=64)] = ""
    at: Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?$", max_length=8)] | None = None

    @model_validator(mode="after")
    def _whole(self) -> "Trigger":
        if self.kind == "level" and (not self.channel or self.level is None):
            raise ValueError("a level wants a channel and a value")
        if self.kind == "message" and (not self.instrument or not self.text):
            raise ValueError("a message wants an instrument and a text that is in it")
        if self.kind == "command" and not self.instrument:
            raise ValueError("a command wants its instrument")
        if self.kind == "time" and self.at is None:
            raise ValueError("a time wants the hour and the minute, as in 14:30")
        return self

    def words(self, name: str = "", unit: str = "") -> str:
        """What it waits for; `name` and `unit` of its channel, or the name of its instrument."""
        if self.kind == "level" and self.level is not None:
            way = {"rising": "above", "falling": "below", "either": "past"}[self.edge]
            return f"{name or self.channel} {way} {figure(self.level)}{f' {unit}' if unit else ''}"
        if self.kind == "message":
            return f"“{self.text}” from {name or self.instrument}"
        if self.kind == "command":
            return (
                f"a command to {name or self.instrument}"
                if not self.command
                else f"{self.command} of {name or self.instrument}"
            )
        return f"{self.at}" if self.kind == "time" else "the next sample"


class CaptureOrder(Exact):
    """`samples` of the first of `channels` (others of the same messages come along), `before` of them from before the trigger; `times`: so many
    captures one after the other. `own_time`: against the device's own clock, where its messages have one."""

    name: Annotated[str, Field(max_length=80, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    channels: Annotated[list[Identifier], Field(min_length=1, max_length=8)]
    samples: Annotated[int, Field(ge=2, le=MOST_SAMPLES)] = 1000
    before: Annotated[int, Field(ge=0, le=MOST_BEFORE)] = 0
    trigger: Trigger = Trigger()
    times: Annotated[int, Field(ge=1, le=1000)] = 1
    own_time: bool = False

    @model_validator(mode="after")
    def _fits(self) -> "CaptureOrder":
        if self.before >= self.samples:
            raise ValueError(
                f"of {self.samples} samples at most {self.samples - 1} can be from before the trigger"
            )
        if len(set(self.channels)) < len(self.channels):
            raise ValueError("a channel is there twice")
        return self
