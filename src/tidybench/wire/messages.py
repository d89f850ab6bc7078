"""Typed messages between recorder and web server, JSON on the wire.

The recorder publishes `Status` and samples; it answers each request with one `Answer`. `PROTOCOL`
changes when an older side would misunderstand; both sides say theirs first (`Hello`).
Times are microseconds since 1970 UTC.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, TypeAdapter

from tidybench.runs.folder import RowRule

PROTOCOL = 1
TOPIC_SAMPLES, TOPIC_STATUS, TOPIC_TAPE = b"s", b"t", b"l"

Stages = Literal["Port", "Bytes", "Messages", "Readings", "Channels"]


class StageStatus(BaseModel):
    """A bead of the reading path."""

    name: Stages
    state: Literal["passing", "losses", "stopped", "nothing"]
    words: str
    sentence: str


class InstrumentStatus(BaseModel):
    """An instrument as it is right now."""

    id: str
    name: str
    talks: str
    link: str
    settings: str
    asked_per_s: float | None
    messages_per_s: float
    answer_ms: float | None
    stages: list[StageStatus]
    simulated: bool


class ChannelStatus(BaseModel):
    """A channel in force; `number` stands in its samples' records."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    low: float | None
    high: float | None


class MarkStatus(BaseModel):
    """A mark of the run in progress."""

    at: int
    text: str


class RunStatus(BaseModel):
    """The run in progress."""

    id: str
    name: str
    item: str
    operator: str
    row_rule: RowRule
    begun_at: int
    folder: str
    csv: str
    rows: int
    saved_at: int
    polls: int
    missed: int
    gave_up: int
    troubles: list[str]
    repairs: list[str]
    marks: list[MarkStatus]


class DiskStatus(BaseModel):
    """Room where runs are kept; `hours_left` at the present rate, null where nothing is logged."""

    free_bytes: int
    hours_left: float | None


class Status(BaseModel):
    """Everything the recorder says of itself, a few times a second."""

    at: int
    session: str
    pid: int
    instruments: list[InstrumentStatus]
    channels: list[ChannelStatus]
    released: list[str]
    run: RunStatus | None
    disk: DiskStatus


class TapeLine(BaseModel):
    """One event for the eye: `text` has one character per byte where bytes went over the link."""

    n: int
    at: int
    link: str
    kind: str
    text: str


class TapeUpdate(BaseModel):
    """The newest lines of the tape; `left_out` says how many were not sent for the eye's sake."""

    lines: list[TapeLine]
    left_out: int = 0


class SetupText(BaseModel):
    """A set-up in force."""

    id: str
    text: str


class PortInfo(BaseModel):
    """A serial port of the computer the recorder runs on."""

    name: str
    device: str
    description: str


class Hello(BaseModel):
    kind: Literal["hello"] = "hello"
    protocol: int = PROTOCOL
    version: str = ""


class ApplySetups(BaseModel):
    kind: Literal["apply set-ups"] = "apply set-ups"
    setups: list[SetupText]


class BeginRun(BaseModel):
    kind: Literal["begin run"] = "begin run"
    name: str
    item: str = ""
    operator: str = ""
    row_rule: RowRule = "steady rows"


class EndRun(BaseModel):
    kind: Literal["end run"] = "end run"
    run: str
    reason: str = "ended by a person"


class AddMark(BaseModel):
    kind: Literal["add mark"] = "add mark"
    text: str
    by: str = ""


class ReleasePort(BaseModel):
    kind: Literal["release port"] = "release port"
    link: str


class TakeBackPort(BaseModel):
    kind: Literal["take back port"] = "take back port"
    link: str


class GetStatus(BaseModel):
    kind: Literal["get status"] = "get status"


class GetHistory(BaseModel):
    """Answered with the packed samples of the ring since `since` in a second frame."""

    kind: Literal["get history"] = "get history"
    since: int = 0


class GetTape(BaseModel):
    kind: Literal["get tape"] = "get tape"
    last: Annotated[int, Field(ge=1, le=5000)] = 200


class GetPorts(BaseModel):
    kind: Literal["get ports"] = "get ports"


class GetSetups(BaseModel):
    kind: Literal["get set-ups"] = "get set-ups"


Request = Annotated[
    Hello
    | ApplySetups
    | BeginRun
    | EndRun
    | AddMark
    | ReleasePort
    | TakeBackPort
    | GetStatus
    | GetHistory
    | GetTape
    | GetPorts
    | GetSetups,
    Field(discriminator="kind"),
]
REQUEST: TypeAdapter[Request] = TypeAdapter(Request)

Trouble = Literal["", "invalid", "conflict", "not found", "disk", "version", "failed"]


class Answer(BaseModel):
    """The answer to any request. `trouble` is empty when it was done; else `why` is a sentence."""

    trouble: Trouble = ""
    why: str = ""
    hello: Hello | None = None
    status: Status | None = None
    run: RunStatus | None = None
    tape: list[TapeLine] = []
    ports: list[PortInfo] = []
    setups: list[SetupText] = []
