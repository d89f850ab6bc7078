"""A limit that was crossed."""

from dataclasses import dataclass
from typing import ClassVar, Literal

State = Literal[
    "", "starting", "within", "low caution", "high caution", "low", "high", "stuck", "caution", "alarm"
]
"""How a channel stands to its limits; “”: nothing to judge by. “caution” and “alarm” are those of a channel of states."""

SERIOUS: tuple[State, ...] = ("low", "high", "stuck", "alarm")
CALLING: tuple[State, ...] = ("low caution", "high caution", "caution")


@dataclass(slots=True)
class Crossing:
    """A channel's state that changed: when (microseconds since 1970 UTC), to what, at which value. An event of the tape
    as well. `channel`: its number, 0 where only its name is known. `limit`: the one that was crossed; None where the
    value came back or is stuck, and of states. `words`: all of it as a sentence. `word`: of a state, its word."""

    kind: ClassVar[str] = "crossing"
    at: int
    channel: int
    state: State
    before: State
    value: float
    limit: float | None = None
    name: str = ""
    words: str = ""
    word: str = ""
