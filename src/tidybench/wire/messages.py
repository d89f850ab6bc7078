"""Typed messages between recorder and web server, JSON on the wire.

The recorder publishes `Status` and samples; it answers each request with one `Answer`. `PROTOCOL`
changes when an older side would misunderstand; both sides say theirs first (`Hello`).
Times are microseconds since 1970 UTC.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, TypeAdapter

from tidybench.runs.folder import RowRule

PROTOCOL = 3
TOPIC_SAMPLES, TOPIC_STATUS, TOPIC_TAPE = b"s", b"t", b"l"

Stages = Literal["Port", "Bytes", "Messages", "Readings", "Channels"]


class StageStatus(BaseModel):
    """A bead of the reading path."""

    name: Stages
    state: Literal["passing", "losses", "stopped", "nothing"]
    words: str
    sentence: str
    offer: Literal[
        "", "work out the settings", "take the port back", "give it more time", "remove the echo"
    ] = ""
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
    without pause."""

    id: str
    name: str
    talks: Literal["when asked", "on its own", "on its key"]
    link: str
    kind: Literal["serial", "tcp", "udp", "file"]
    settings: str
    sends_end: str
    asked_per_s: float | None
    has_queries: bool
    messages_per_s: float
    answer_ms: float | None
    stages: list[StageStatus]
    simulated: bool
    released: bool
    modem: ModemStatus | None
    identity: IdentityStatus | None


class LimitsStatus(BaseModel):
    """Where a channel should stay, as in its set-up, and how it stands: its state, and since when."""

    low: float | None = None
    high: float | None = None
    low_caution: float | None = None
    high_caution: float | None = None
    hysteresis: float = 0.0
    delay_s: float = 0.0
    after_start_s: float = 0.0
    stuck_s: float | None = None
    settled_band: float | None = None
    state: Literal["", "starting", "within", "low caution", "high caution", "low", "high", "stuck"] = ""
    since: int = 0


class ChannelStatus(BaseModel):
    """A channel in force; `number` stands in its samples' records. `zero`: what is taken off its values, since `zeroed_at`;
    `own_zero`: the instrument zeroes itself. `expression`: of a calculated one, `problem`: why it gives nothing."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    low: float | None
    high: float | None
    limits: LimitsStatus = LimitsStatus()
    zero: float = 0.0
    zeroed_at: int = 0
    own_zero: bool = False
    expression: str = ""
    problem: str = ""


class CrossingStatus(BaseModel):
    """A limit that was crossed and not acknowledged yet. `back_at`: when the value came back, 0 while it has not."""

    id: int
    at: int
    channel: int
    name: str
    state: str
    words: str
    back_at: int = 0


class OverdueStatus(BaseModel):
    """A calibration that is overdue: of an instrument or of a channel's sensor."""

    name: str
    due: str
    words: str


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


class PortInfo(BaseModel):
    """A serial port of the computer the recorder runs on. `name` is for set-ups, `device` what the system
    calls it today, `label` the person's own; `used_by` are instruments of this bench, `holder` other programs."""

    name: str
    device: str
    label: str
    description: str
    maker: str
    product: str
    usb_ids: str
    serial_number: str
    place: str
    holder: str
    remedy: str
    used_by: list[str]
    simulated: bool


class Status(BaseModel):
    """Everything the recorder says of itself, a few times a second."""

    at: int
    session: str
    pid: int
    instruments: list[InstrumentStatus]
    channels: list[ChannelStatus]
    ports: list[PortInfo]
    run: RunStatus | None
    disk: DiskStatus
    crossings: list[CrossingStatus] = []
    overdue: list[OverdueStatus] = []


class TapeLine(BaseModel):
    """One event for the eye: `text` has one character per byte where bytes went over the link; `why` says
    which query or command was sent."""

    n: int
    at: int
    link: str
    kind: str
    text: str
    why: str = ""


class TapeUpdate(BaseModel):
    """The newest lines of the tape; `left_out` says how many were not sent for the eye's sake."""

    lines: list[TapeLine]
    left_out: int = 0


class SetupText(BaseModel):
    """A set-up in force."""

    id: str
    text: str


class Hello(BaseModel):
    kind: Literal["hello"] = "hello"
    protocol: int = PROTOCOL
    version: str = ""


class ApplySetups(BaseModel):
    kind: Literal["apply set-ups"] = "apply set-ups"
    setups: list[SetupText]
    calculations: str = ""


class ZeroChannel(BaseModel):
    """Zero a channel at its present value, or undo the last time that was done."""

    kind: Literal["zero channel"] = "zero channel"
    channel: str
    undo: bool = False


class Acknowledge(BaseModel):
    """A person has seen these crossings."""

    kind: Literal["acknowledge"] = "acknowledge"
    crossings: list[int]
    by: str = ""


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


class CorrectMark(BaseModel):
    """Another text for a mark of the run in progress, which is known by its time."""

    kind: Literal["correct mark"] = "correct mark"
    at: int
    text: str


class ReleasePort(BaseModel):
    kind: Literal["release port"] = "release port"
    link: str


class TakeBackPort(BaseModel):
    kind: Literal["take back port"] = "take back port"
    link: str


class LabelPort(BaseModel):
    """A label of the person's own for a port; empty takes it away."""

    kind: Literal["label port"] = "label port"
    name: str
    label: str


class SendCommand(BaseModel):
    """A person's command, one character a byte. Answered with its order; ask on with GetOrder."""

    kind: Literal["send command"] = "send command"
    link: str
    data: str
    wait_ms: float = 600.0


class GetOrder(BaseModel):
    kind: Literal["get order"] = "get order"
    order: int


class ReadOnce(BaseModel):
    """Ask an instrument's queries once, now."""

    kind: Literal["read once"] = "read once"
    instrument: str


class StartSearch(BaseModel):
    """Something that is looked for on ports; it goes on by itself, is asked for with GetSearch and can be
    stopped. What each kind needs:

    "settings": `ports` (one), `query` (one character a byte; "" for listening alone).
    "addresses": `ports` (one), `baud` … `parity`, `query` ("" for Modbus; else a text with <address>), `first`, `last`.
    "listen round": `ports`, `baud`.
    "loop-back": `ports` (one), `baud` … `parity`.
    """

    kind: Literal["start search"] = "start search"
    search: Literal["settings", "addresses", "listen round", "loop-back"]
    ports: Annotated[list[str], Field(min_length=1, max_length=64)]
    query: Annotated[str, Field(max_length=1000)] = ""
    baud: Annotated[int, Field(ge=50, le=12_000_000)] = 9600
    data_bits: Literal[5, 6, 7, 8] = 8
    parity: Literal["none", "even", "odd", "mark", "space"] = "none"
    stop_bits: float = 1
    first: Annotated[int, Field(ge=0, le=999)] = 1
    last: Annotated[int, Field(ge=0, le=999)] = 32


class GetSearch(BaseModel):
    kind: Literal["get search"] = "get search"
    search: int


class StopSearch(BaseModel):
    kind: Literal["stop search"] = "stop search"
    search: int


class SearchRow(BaseModel):
    """One finding: what was tried, what came (one character a byte), what it is worth (0 to 1), in words."""

    what: str
    data: str
    score: float
    words: str
    bytes_per_s: float = 0.0
    settings: dict[str, int | float | str] = {}


class SearchStatus(BaseModel):
    """A search as it is right now. `done`: over; `sentence`: what it does, or what came of it."""

    id: int
    search: str
    done: bool
    progress: float
    sentence: str
    rows: list[SearchRow]
    found: SearchRow | None = None


class OrderStatus(BaseModel):
    """A person's command: its number on the tape (0 until it was sent), the lines of its answer."""

    id: int
    n: int
    done: bool
    lines: list[str]
    why: str


class GetStatus(BaseModel):
    kind: Literal["get status"] = "get status"


class GetHistory(BaseModel):
    """Answered with the packed samples of the ring since `since` in a second frame."""

    kind: Literal["get history"] = "get history"
    since: int = 0


class GetTape(BaseModel):
    """The newest `last` lines before number `before` (0: the newest of all) that pass the filters."""

    kind: Literal["get tape"] = "get tape"
    last: Annotated[int, Field(ge=1, le=100_000)] = 200
    before: int = 0
    after: int = 0
    link: str = ""
    direction: Literal["", "in", "out", "events"] = ""
    find: Annotated[str, Field(max_length=200)] = ""


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
    | CorrectMark
    | ReleasePort
    | TakeBackPort
    | LabelPort
    | SendCommand
    | GetOrder
    | ReadOnce
    | StartSearch
    | GetSearch
    | StopSearch
    | GetStatus
    | GetHistory
    | GetTape
    | GetPorts
    | GetSetups
    | ZeroChannel
    | Acknowledge,
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
    order: OrderStatus | None = None
    search: SearchStatus | None = None
    setups: list[SetupText] = []
    zeroed: str = ""
