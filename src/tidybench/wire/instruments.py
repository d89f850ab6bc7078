"""Instruments as they are told, and asking one by hand."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.path import Offer, StageName, StageState
from tidybench.core.values.exact import Exact
from tidybench.wire.commands import ActStatus


class StageStatus(Exact):
    """A bead of the reading path."""

    name: StageName
    state: StageState
    words: str
    sentence: str
    offer: Offer = ""
    figures: str = ""


class ModemStatus(BaseModel):
    """The modem lines of a link, as they are."""

    cts: bool
    dsr: bool
    dcd: bool
    ri: bool


class IdentityStatus(BaseModel):
    """What an instrument said when it was asked who it is."""

    lines: list[str]
    expected: str
    matches: bool


class InstrumentStatus(BaseModel):
    """An instrument as it is right now. `asked_per_s` is null where nothing is asked on a grid, or
    without pause. `acts`: the newest of each of its commands that was given."""

    id: str
    name: str
    group: str
    talks: Literal["when asked", "on its own", "on its key"]
    link: str
    kind: Literal["serial", "tcp", "udp", "file"]
    settings: str
    sends_end: str
    asked_per_s: float | None
    has_queries: bool
    draws: bool = False
    messages_per_s: float
    answer_ms: float | None
    stages: list[StageStatus]
    simulated: bool
    released: bool
    modem: ModemStatus | None
    identity: IdentityStatus | None
    acts: list[ActStatus] = []


class ReadOnce(BaseModel):
    """Ask an instrument's queries once, now."""

    kind: Literal["read once"] = "read once"
    instrument: str
