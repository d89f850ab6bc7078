"""What the live socket says."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.tape.shown import TapeLine
from tidybench.wire.status import Status


class LiveTape(BaseModel):
    """The newest lines of the tape; `left_out`: how many were not sent for the eye's sake."""

    lines: list[TapeLine]
    left_out: int = 0


class LiveMessage(BaseModel):
    """A text frame of the live socket; binary frames are samples (docs/formats/samples.md)."""

    kind: Literal["status", "away", "tape", "skipped"]
    status: Status | None = None
    tape: LiveTape | None = None
    why: str = ""
