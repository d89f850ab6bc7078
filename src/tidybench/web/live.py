"""What the live socket says."""

from typing import Any, Literal

from pydantic import BaseModel

from tidybench.core.tape.shown import TapeLine
from tidybench.wire.status import Status


class LiveTape(BaseModel):
    """The newest lines of the tape; `left_out`: how many are not shown live."""

    lines: list[TapeLine]
    left_out: int = 0


class LiveMessage(BaseModel):
    """A text frame of the live socket; binary frames are samples (docs/formats/samples.md). A “change” says what is different in
    the status of `since`: pairs of a path (keys and places) and the value that stands there now. Who has another status asks
    for a whole one."""

    kind: Literal["status", "change", "away", "tape", "skipped"]
    since: int = 0
    changes: list[tuple[list[str | int], Any]] = []
    status: Status | None = None
    tape: LiveTape | None = None
    why: str = ""
