"""What an instrument can be told: its commands, what is typed into them, and where it keeps its errors."""

from math import isfinite
from typing import Annotated, Literal

from pydantic import Field, StrictBool, StrictFloat, StrictInt, StrictStr, field_validator, model_validator

from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.scaling import Finite
from tidybench.core.setup.talk import Patterns, bytes_only

Does = Literal["reads", "sets", "cannot be undone"]
"""What a command does to its instrument: nothing, something that another command can set otherwise, something final."""

Plain = (
    StrictInt
    | Annotated[StrictFloat, Field(allow_inf_nan=False)]
    | Annotated[StrictStr, Field(max_length=200)]
)
"""What is typed: a number or a text."""


class ArgumentPart(Part):
    """What is typed for one field of a command: its name on the screen, unit, range, or the choices it has; `default` is what
    stands there at first."""

    field: Annotated[str, Field(min_length=1, max_length=60)]
    name: Annotated[str, Field(max_length=80, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    unit: Annotated[str, Field(max_length=20, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    lowest: Finite | None = None
    highest: Finite | None = None
    choices: Annotated[list[Plain], Field(max_length=100)] = []
    default: Plain | None = None

    @property
    def title(self) -> str:
        """What it is called on the screen."""
        return self.name or self.field

    @model_validator(mode="after")
    def _fits(self) -> "ArgumentPart":
        if self.lowest is not None and self.highest is not None and self.lowest > self.highest:
            raise ValueError(f"{self.title}: the lowest value is above the highest")
        if self.choices and (self.lowest is not None or self.highest is not None):
            raise ValueError(f"{self.title}: it has choices or a range, not both")
        if self.default is not None and (why := self.why_not(self.default)):
            raise ValueError(f"the default of {why}")
        return self

    def why_not(self, value: float | str) -> str:
        """Why a value may not be given, in words that begin with the argument's name; "" where it may."""
        unit = f" {self.unit}" if self.unit else ""
        if not isinstance(value, str) and not isfinite(value):
            return f"{self.title} is no number"
        if self.choices and value not in self.choices:
            *others, last = [str(one) for one in self.choices]
            among = f"{', '.join(others)} or {last}" if others else last
            return f"{self.title} is {_figure(value)}: it can be {among}"
        if isinstance(value, str):
            return ""
        if self.lowest is not None and value < self.lowest:
            return f"{self.title} is {_figure(value)}{unit}: the lowest it can be is {_figure(self.lowest)}{unit}"
        if self.highest is not None and value > self.highest:
            return f"{self.title} is {_figure(value)}{unit}: the highest it can be is {_figure(self.highest)}{unit}"
        return ""


def _figure(value: float | str) -> str:
    return f"“{value}”" if value == "" else value if isinstance(value, str) else f"{value:.12g}"


class InstrumentCommandPart(Part):
    """One command: what is sent, as a pattern with a field for each argument, or a register of the map that is written.

    `patterns`: how its answer reads, one of which must fit; none: nothing need come. `errors`: how a refusal reads, besides
    those of the queries. `with_check`: it goes out with check characters, as replies have them. `read_back`: the register is read after it was written. `starts`: the id
    of the curve that comes upon it. `button`: it stands on the Bench.
    """

    id: Identifier
    name: Label
    does: Does = "sets"
    send: Annotated[str, Field(max_length=1000)] = ""
    writes: Annotated[str, Field(max_length=80)] = ""
    argument: Annotated[list[ArgumentPart], Field(max_length=20)] = []
    patterns: Patterns = []
    errors: Patterns = []
    give_up_after_s: Annotated[float, Field(ge=0.005, le=600)] = 1.0
    with_check: StrictBool = False
    read_back: StrictBool = True
    starts: Annotated[str, Field(max_length=64)] = ""
    button: StrictBool = False
    note: Annotated[str, Field(max_length=500)] = ""

    _bytes = field_validator("send")(bytes_only)

    @model_validator(mode="after")
    def _whole(self) -> "InstrumentCommandPart":
        if bool(self.send) == bool(self.writes):
            raise ValueError(
                f"{self.name}: give what is sent (send), or the register that is written (writes)"
            )
        if self.writes and (self.patterns or self.errors):
            raise ValueError(f"{self.name}: the answer to a register that is written is that of Modbus: leave patterns and errors out")  # fmt: skip
        if self.writes and self.with_check:
            raise ValueError(f"{self.name}: Modbus has check characters of its own: leave with_check out")
        if self.starts and (self.writes or self.patterns):
            raise ValueError(
                f"{self.name}: the curve that it starts is its answer: leave writes and patterns out"
            )
        fields = [one.field for one in self.argument]
        twice = sorted({field for field in fields if fields.count(field) > 1})
        if twice:
            raise ValueError(f"{self.name}: the argument “{twice[0]}” is there twice")
        return self


class ErrorQueuePart(Part):
    """Where an instrument keeps what it refused (SCPI-99, volume 2, 21.8: SYSTem:ERRor?): asked after each command that sets,
    until the answer begins with `none`."""

    send: Annotated[str, Field(min_length=1, max_length=200)]
    none: Annotated[str, Field(min_length=1, max_length=80)] = "0"
    wait_s: Annotated[float, Field(gt=0, le=60)] = 0.5

    _bytes = field_validator("send")(bytes_only)


class SafeCommandPart(Part):
    """A command of the instrument, with what is sent in it."""

    command: Identifier
    values: Annotated[dict[str, Plain], Field(max_length=20)] = {}


class SafePart(Part):
    """What leaves the instrument harmless: sent when a procedure that gave it commands is stopped or fails, and when Tidy Bench
    ends; where `run_ends`, when a run ends in any way; where `watch` is given, when that channel has not been measured for
    `watch_s`."""

    commands: Annotated[list[SafeCommandPart], Field(min_length=1, max_length=20)]
    run_ends: StrictBool = False
    watch: Identifier | None = None
    watch_s: Annotated[float, Field(ge=0.1, le=3600)] = 5.0
