"""The steps of a procedure, as they are written. `line` counts from 1; expressions are texts with the column they begin at."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Literal

ASKED = 8 * 3_600_000_000
"""Microseconds that a person has for an answer unless the step says otherwise."""

Else = Literal["stop", "go on", "ask"]
"""What happens where a step comes to nothing; a person may be asked."""


@dataclass(slots=True, frozen=True)
class Formula:
    """An expression as it is written, and the column of its first character."""

    text: str
    column: int


@dataclass(slots=True, frozen=True)
class Words:
    """A text with values in it: `{opening}` stands for what a name means when the step is carried out."""

    text: str
    column: int


@dataclass(slots=True, frozen=True)
class Tell:
    """`set INSTRUMENT.COMMAND to EXPRESSION` (`only`), or `send INSTRUMENT.COMMAND with FIELD = EXPRESSION, …`."""

    line: int
    instrument: str
    command: str
    column: int
    only: Formula | None
    values: tuple[tuple[str, Formula], ...]
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class Wait:
    """`wait 5 s`. Microseconds."""

    line: int
    span: int


@dataclass(slots=True, frozen=True)
class WaitUntil:
    """`wait until CONDITION, at most 2 min`. Microseconds."""

    line: int
    condition: Formula
    at_most: int
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class WaitSteady:
    """`wait until CHANNEL is steady within BAND for 10 s, at most 2 min`. Microseconds."""

    line: int
    channel: str
    column: int
    band: Formula
    span: int
    at_most: int
    otherwise: Else = "stop"


Answer = Literal["yes or no", "number", "text", "picture"]
"""What a person answers with."""


@dataclass(slots=True, frozen=True)
class Ask:
    """`ask "…"`: yes, or the procedure stops; `ask NAME "…" [unit]`: a number; `ask NAME "…" text`, `ask "…" picture`: with or
    without a name. Microseconds."""

    line: int
    words: Words
    name: str = ""
    unit: str = ""
    at_most: int = 0
    answer: Answer = "yes or no"


@dataclass(slots=True, frozen=True)
class Mark:
    """`mark "…"`, in the run that is on; `say "…"` (`only_said`): in the log of the procedure alone."""

    line: int
    words: Words
    only_said: bool = False


@dataclass(slots=True, frozen=True)
class Point:
    """`take point "…", averaging 10 s`: of all channels with numbers; it waits until the point is taken. Microseconds."""

    line: int
    words: Words
    span: int
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class Read:
    """`read NAME = CHANNEL, at most 30 s`: its next reading, with or without a name; what is asked on demand is asked for it. Microseconds."""

    line: int
    channel: str
    column: int
    name: str
    at_most: int
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class Draw:
    """`draw "NAME" with NAME = EXPRESSION, …`: one row of a curve; the first is what it is drawn over."""

    line: int
    words: Words
    values: tuple[tuple[str, Formula], ...]
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class Capture:
    """`capture CHANNEL, CHANNEL: 1000 samples, 100 before, at most 30 s`: from this moment on; the step ends when it is taken. Microseconds."""

    line: int
    channels: tuple[str, ...]
    column: int
    samples: int
    before: int
    at_most: int
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class ZeroIt:
    """`zero CHANNEL`: its present value is taken off from then on."""

    line: int
    channel: str
    column: int
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class BeginRun:
    """`begin run "…"`: each reading; `begin run from plan "…"` (`planned`): as the plan of this name says, now."""

    line: int
    words: Words
    planned: bool = False


@dataclass(slots=True, frozen=True)
class EndRun:
    """`end run`."""

    line: int


@dataclass(slots=True, frozen=True)
class Let:
    """`let NAME = EXPRESSION`."""

    line: int
    name: str
    value: Formula


@dataclass(slots=True, frozen=True)
class CarryOut:
    """`carry out "NAME" with FIELD = EXPRESSION, …`: another procedure. It has names of its own; what it asks under the name of a field is
    answered by that."""

    line: int
    words: Words
    values: tuple[tuple[str, Formula], ...] = ()
    otherwise: Else = "stop"


@dataclass(slots=True, frozen=True)
class If:
    """`if CONDITION`, and `else`."""

    line: int
    condition: Formula
    then: "tuple[Step, ...]"
    otherwise: "tuple[Step, ...]" = ()


@dataclass(slots=True, frozen=True)
class For:
    """`for NAME = 20, 40, 60 [%]`, or `for NAME = 20 to 100 step 20 [%]`; `repeat 5 times` has no name."""

    line: int
    name: str
    unit: str
    values: tuple[float, ...]
    body: "tuple[Step, ...]"


Step = (
    Tell
    | Wait
    | WaitUntil
    | WaitSteady
    | Ask
    | Mark
    | Point
    | Read
    | Draw
    | Capture
    | ZeroIt
    | BeginRun
    | EndRun
    | Let
    | CarryOut
    | If
    | For
)


@dataclass(slots=True, frozen=True)
class Procedure:
    """A whole one. `always`: carried out at its end, whatever happened."""

    name: str
    steps: tuple[Step, ...]
    always: tuple[Step, ...] = field(default=())


def steps_in(steps: Iterable[Step]) -> Iterator[Step]:
    """All steps, those within others too, in the order of their lines."""
    for step in steps:
        yield step
        if isinstance(step, If):
            yield from steps_in((*step.then, *step.otherwise))
        elif isinstance(step, For):
            yield from steps_in(step.body)


def plans_in(steps: Iterable[Step]) -> set[str]:
    """The names of the plans that runs are begun from."""
    return {step.words.text for step in steps_in(steps) if isinstance(step, BeginRun) and step.planned}


def carried_out_in(steps: Iterable[Step]) -> set[str]:
    """The names of the procedures that are carried out by these steps."""
    return {step.words.text for step in steps_in(steps) if isinstance(step, CarryOut)}


@dataclass(slots=True, frozen=True)
class Problem:
    """What is wrong with a line, and where; line and column count from 1."""

    line: int
    column: int
    what: str


class ProcedureError(ValueError):
    """A text that is no procedure; `problems` in the order of its lines."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        super().__init__("\n".join(f"Line {one.line}, column {one.column}: {one.what}" for one in problems))
