"""Destinations: where they are kept, and how they stand."""

from typing import Literal

from pydantic import BaseModel


class DestinationStatus(BaseModel):
    """A destination. `state`: what its link does, `why` it does not send; `sent`: messages that went out, `bytes` of them, since it was put into force;
    `waiting`: messages that wait; `dropped`: those that were dropped since it was too slow, or away; `late_ms`: between a sample's arrival and the
    moment at which its message was handed to the operating system, 99 % of the last thousand; null where nothing went out. `answered`: bytes that came
    back, which nobody reads."""

    id: str
    name: str
    to: str
    on: bool
    state: Literal["off", "opening", "sending", "away", "wrong"]
    why: str
    sent: int
    bytes: int
    waiting: int
    dropped: int
    late_ms: float | None
    answered: int


class GetForwarding(BaseModel):
    """The document that is in force."""

    kind: Literal["get forwarding"] = "get forwarding"


class ApplyForwarding(BaseModel):
    """Another one. `was`: the one that it was changed from; where another was kept meanwhile, it is refused. None: whatever is there."""

    kind: Literal["apply forwarding"] = "apply forwarding"
    text: str
    was: str | None = None
