"""Channels as a set-up names them."""

import itertools
from collections.abc import Sequence
from typing import Annotated

from pydantic import Field, model_validator

from tidybench.core.setup.filters import FilterPart, ThinningPart
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.scaling import CalibrationPart, Finite, ScalingStep, UnitLabel

State = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f\x7f]+$")]
Seconds = Annotated[float, Field(ge=0, le=86_400)]


class LimitsPart(Part):
    """Where a channel's value should stay: `low` and `high`, and nearer ones that call for attention only.

    A limit is crossed when the value was beyond it for `delay_s`, and left when it is back by `hysteresis`. Nothing is
    judged for `after_start_s` after its link was opened (or a run has begun). `stuck_s`: a value that has not changed at all for
    so long is said to be stuck. `settled_band`: one that stays within so much is called settled.
    A channel of states has words in their place: those that call for attention (`caution`), and those that are beyond a limit
    (`alarm`).
    """

    low: Finite | None = None
    high: Finite | None = None
    low_caution: Finite | None = None
    high_caution: Finite | None = None
    hysteresis: Annotated[float, Field(ge=0, le=1e300, allow_inf_nan=False)] = 0.0
    delay_s: Seconds = 0.0
    after_start_s: Seconds = 0.0
    stuck_s: Seconds | None = None
    settled_band: Annotated[float, Field(gt=0, le=1e300, allow_inf_nan=False)] | None = None
    caution: Annotated[list[State], Field(max_length=64)] = []
    alarm: Annotated[list[State], Field(max_length=64)] = []

    @model_validator(mode="after")
    def _ordered(self) -> "LimitsPart":
        names = (
            ("the lower limit", self.low),
            ("the lower caution", self.low_caution),
            ("the upper caution", self.high_caution),
            ("the upper limit", self.high),
        )
        given = [(name, value) for name, value in names if value is not None]
        for (name, value), (partner, other) in itertools.pairwise(given):
            if value >= other:
                raise ValueError(f"{name} {value:g} must be below {partner} {other:g}")
        low = self.low if self.low is not None else self.low_caution
        high = self.high if self.high is not None else self.high_caution
        if low is not None and high is not None and self.hysteresis * 2 >= high - low:
            raise ValueError(
                f"the hysteresis {self.hysteresis:g} leaves nothing between {low:g} and {high:g}: make it smaller"
            )
        return self

    @property
    def any(self) -> bool:
        """Whether there is anything to judge."""
        found = (self.low, self.high, self.low_caution, self.high_caution, self.stuck_s)
        return any(value is not None for value in found) or bool(self.caution or self.alarm)

    def problem(self, states: Sequence[str]) -> str:
        """Why these cannot be the limits of a channel with these states, none for numbers; “” where they can."""
        named = [*self.caution, *self.alarm]
        if not states:
            return (
                "limits: caution and alarm are for the words of states; a number has low and high"
                if named
                else ""
            )
        if not {"caution", "alarm", "delay_s", "after_start_s", "stuck_s"} >= set(
            self.model_dump(exclude_defaults=True)
        ):
            return "limits: a channel of states has words (caution, alarm), no levels, hysteresis or settled band"
        other = next((word for word in named if word not in states), None)
        if other is not None:
            return f"limits: “{other}” is none of the states ({', '.join(states)})"
        both = next((word for word in self.caution if word in self.alarm), None)
        return f"limits: “{both}” cannot be a caution and an alarm at once" if both is not None else ""

    @property
    def words(self) -> str:
        """What is given, in words."""
        given = self.model_dump(exclude_defaults=True)
        return (
            ", ".join(f"{key.replace('_', ' ')} {_said(value)}" for key, value in given.items())
            or "no limits"
        )


def _said(value: float | list[str]) -> str:
    return f"{value:g}" if isinstance(value, (int, float)) else " or ".join(value)


class ZeroPart(Part):
    """The instrument's own way to be zeroed: a text that is sent, or a register that 1 is written to."""

    send: Annotated[str, Field(max_length=1000)] | None = None
    write: Label | None = None

    @model_validator(mode="after")
    def _one(self) -> "ZeroPart":
        if (self.send is None) == (self.write is None):
            raise ValueError("zero: give a text to send, or a register to write to")
        return self


class ClockPart(Part):
    """The field is the device's own time: a running time, a count of ticks (with `scale` to seconds), a time of day.
    `wraps_s`: after this many seconds it begins again at 0."""

    wraps_s: Annotated[float, Field(gt=0, le=1e12, allow_inf_nan=False)] | None = None


class CombinePart(Part):
    """A second field of the same message that makes one number with `field`: either the part in front (`high`: the higher
    bits, above so many `bits` of the field; `signed`: two's complement of both), or a power of ten (`exponent`)."""

    high: Label | None = None
    bits: Annotated[int, Field(ge=1, le=48)] = 16
    signed: bool = False
    exponent: Label | None = None

    @model_validator(mode="after")
    def _one(self) -> "CombinePart":
        if (self.high is None) == (self.exponent is None):
            raise ValueError("combine: give a field with the higher bits (high), or one with the exponent")
        return self

    @property
    def other(self) -> str:
        """The second field."""
        return self.high or self.exponent or ""


class ChannelPart(Part):
    """A named series of samples: value = field x scale + offset (with `combine` two fields make one number first), then the steps of `scaling` in order, then its
    zero is taken off, then the filters, then it is thinned out. With `clock` its field is the device's own time, and its
    samples say, in seconds, how long after that each message came. With `states` it is one of these words: its value is
    the place of its word, from 0; when it becomes one of `marks` the run gets a mark. `usual`: the lowest and highest value it usually has.
    """

    id: Identifier
    name: Label
    field: Label
    query: Identifier | None = None
    combine: CombinePart | None = None
    unit: UnitLabel = ""
    scale: Finite = 1.0
    offset: Finite = 0.0
    scaling: Annotated[list[ScalingStep], Field(max_length=20)] = []
    zero: ZeroPart | None = None
    filter: Annotated[list[FilterPart], Field(max_length=5)] = []
    thinning: ThinningPart | None = None
    clock: ClockPart | None = None
    states: Annotated[list[State], Field(max_length=64)] = []
    marks: Annotated[list[State], Field(max_length=64)] = []
    usual: Annotated[list[Finite], Field(min_length=2, max_length=2)] | None = None
    decimals: Annotated[int, Field(ge=0, le=9)] = 2
    limits: LimitsPart = LimitsPart()
    calibration: CalibrationPart | None = None

    @model_validator(mode="after")
    def _thins(self) -> "ChannelPart":
        problem = self.thinning.problem() if self.thinning is not None else ""
        if problem:
            raise ValueError(problem)
        return self

    @model_validator(mode="after")
    def _usual_in_order(self) -> "ChannelPart":
        if self.usual is not None and self.usual[0] > self.usual[1]:
            raise ValueError("usual: the lower value stands first")
        return self

    @model_validator(mode="after")
    def _tells_time(self) -> "ChannelPart":
        if self.clock is None:
            return self
        if self.scaling or self.filter or self.thinning is not None or self.zero is not None:
            raise ValueError("a clock has scale and offset only: no steps, zero, filters or thinning")
        if self.unit != "s":
            raise ValueError("a clock's samples say how late its messages came: give it the unit s")
        if self.clock.wraps_s is not None and self.clock.wraps_s <= 2:
            raise ValueError("wraps_s: a clock that begins again within 2 s tells no time")
        return self

    @model_validator(mode="after")
    def _is_a_state(self) -> "ChannelPart":
        if not self.states:
            return self
        if (
            self.clock is not None
            or self.combine is not None
            or self.scaling
            or self.filter
            or self.thinning is not None
            or self.zero is not None
        ):
            raise ValueError(
                "a channel of states has no steps, zero, filters, thinning, clock or second field"
            )
        if self.unit or self.scale != 1 or self.offset:
            raise ValueError("a channel of states has no unit, scale or offset")
        twice = next((one for one in self.states if self.states.count(one) > 1), None)
        if twice is not None:
            raise ValueError(f"states: “{twice}” stands there twice")
        return self

    @model_validator(mode="after")
    def _marks_fit(self) -> "ChannelPart":
        other = next((word for word in self.marks if word not in self.states), None)
        if other is not None and not self.states:
            raise ValueError("marks: only a channel of states sets marks")
        if other is not None:
            raise ValueError(f"marks: “{other}” is none of the states ({', '.join(self.states)})")
        return self

    @model_validator(mode="after")
    def _limits_fit(self) -> "ChannelPart":
        problem = self.limits.problem(self.states)
        if problem:
            raise ValueError(problem)
        return self

    @property
    def is_plain(self) -> bool:
        """Whether scale and offset are all that is done to it."""
        return not (self.scaling or self.filter or self.thinning is not None or self.clock is not None)
