"""Commands that people give: typed by hand, and those of a set-up."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.setup.commands import Plain
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.core.values.outcome import Outcome


class SendCommand(Exact):
    """A person's command, one character a byte. Answered with how it stands; ask on with GetCommand."""

    kind: Literal["send command"] = "send command"
    link: str
    data: str
    wait_ms: float = 600.0


class GetCommand(Exact):
    kind: Literal["get command"] = "get command"
    command: int


class CommandStatus(BaseModel):
    """A person's command: its number on the tape (0 until it was sent), the lines of its answer."""

    id: int
    n: int
    done: bool
    lines: list[str]
    why: str


class GiveCommand(Exact):
    """A command of an instrument's set-up, with what was typed. Answered with how it stands; ask on with GetAct. `sure`: it may be
    one that cannot be undone."""

    kind: Literal["give command"] = "give command"
    instrument: str
    command: str
    values: Annotated[dict[str, Plain], Field(max_length=20)] = {}
    by: Annotated[str, Field(max_length=80)] = ""
    sure: bool = False


class WriteRegister(Exact):
    """Write a register or coil of an instrument's register map, and read it back. Answered like GiveCommand."""

    kind: Literal["write register"] = "write register"
    instrument: str
    name: Annotated[str, Field(max_length=80)]
    value: Finite
    by: Annotated[str, Field(max_length=80)] = ""


class GetAct(Exact):
    kind: Literal["get act"] = "get act"
    number: int


class ActStatus(BaseModel):
    """A command of a set-up on its way, or at its end. Times in microseconds; `outcome` is "waiting" and `ended_at` null until then.
    `sent`, `lines`: one character a byte. `words`: what came of it."""

    number: int
    instrument: str
    command: str
    values: dict[str, float | str]
    by: str
    asked_at: int
    sent: str
    outcome: Outcome | Literal["waiting"]
    words: str
    lines: list[str]
    fields: dict[str, float | str]
    ended_at: int | None
