"""Commands that people give by hand."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.exact import Exact


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
