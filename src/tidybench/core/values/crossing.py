"""A limit that was crossed."""

from dataclasses import dataclass
from typing import ClassVar, Literal

State = Literal[
    "",
    "starting",
    "within",
    "low caution",
    "high caution",
    "low",
    "high",
    "stuck",
    "caution",
    "alarm",
    "stopped",
    "unmeasured",
    "back",
]
"""How a channel stands to its limits; “”: nothing to judge by. “caution” and “alarm” are those of a channel of states.
“stopped”: an instrument's reading path has stopped; “unmeasured”: nothing is known of a channel that has limits; “back”: either
is over."""

OUTAGES: tuple[State, ...] = ("stopped", "unmeasured", "back")
SERIOUS: tuple[State, ...] = ("low", "high", "stuck", "alarm", "stopped", "unmeasured")
CALLING: tuple[State, ...] = ("low caution", "high caution", "caution")


@dataclass(slots=True)
class Crossing:
    """A channel's state that changed: when (microseconds since 1970 UTC), to what, at which value (None where nothing is
    measured). An event of the tape as well. `channel`: its number, 0 where only its name is known, and of an instrument. `limit`: the one that was crossed; None where the
    value came back or is stuck, and of states. `words`: all of it as a sentence. `word`: of a state, its word."""

    kind: ClassVar[str] = "crossing"
    at: int
    channel: int
    state: State
    before: State
    value: float | None
    limit: float | None = None
    name: str = ""
    words: str = ""
    word: str = ""
