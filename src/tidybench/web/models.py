"""What the API takes and gives, beside the recorder's own messages. Times in microseconds since 1970 UTC."""

import uuid
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from tidybench.core.setup import ChannelPart, FramingPart, LinkPart, Setup
from tidybench.core.setup.calculated import Calculations
from tidybench.core.setup.framing import CheckPart
from tidybench.core.teaching.pointing import Meaning
from tidybench.runs.again import Beside, Version
from tidybench.runs.folder import RowRule
from tidybench.wire.messages import Status, TapeUpdate


class LiveMessage(BaseModel):
    """A text frame of the live socket; binary frames are samples (docs/formats/samples.md)."""

    kind: Literal["status", "away", "tape", "skipped"]
    status: Status | None = None
    tape: TapeUpdate | None = None
    why: str = ""


class Begin(BaseModel):
    """A run to begin."""

    name: Annotated[str, Field(max_length=120)]
    item: Annotated[str, Field(max_length=120)] = ""
    operator: Annotated[str, Field(max_length=120)] = ""
    row_rule: RowRule = "steady rows"


class End(BaseModel):
    """Which run to end: another window may have begun another one meanwhile."""

    run: uuid.UUID


class NewMark(BaseModel):
    """A mark for the run in progress."""

    text: Annotated[str, Field(max_length=500)]
    by: Annotated[str, Field(max_length=120)] = ""


class PortOrder(BaseModel):
    """A port to release or take back."""

    link: Annotated[str, Field(max_length=200)]


class Part(BaseModel):
    """One part of the bench's health."""

    well: bool
    words: str


class Health(BaseModel):
    """Whether everything is well."""

    well: bool
    recorder: Part
    database: Part
    links: Part
    disk: Part


class SetupInfo(BaseModel):
    """A set-up in force."""

    key: str
    name: str
    version: int
    saved_at: int
    text: str


class SetupSaved(BaseModel):
    """A set-up was kept; `sentence` says whether it is in force."""

    key: str
    version: int
    in_force: bool
    sentence: str


class SetupBody(BaseModel):
    """A set-up as TOML."""

    text: Annotated[str, Field(max_length=500_000)]


class SetupForm(BaseModel):
    """A set-up as text and as data: whole, and only what its text gives."""

    key: str
    version: int
    saved_at: int
    text: str
    setup: Setup
    given: dict[str, Any]


class SetupChange(BaseModel):
    """Some keys of a set-up: tables are merged, null takes a key away."""

    changes: dict[str, Any]


class NewInstrument(BaseModel):
    """A link, as in a set-up's [link], and what to call the instrument; `like`: a set-up of the library to begin with."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    link: dict[str, Any]
    like: Annotated[str, Field(max_length=80)] = ""


class LibraryEntry(BaseModel):
    """A set-up that comes with Tidy Bench: what it is called, what it is for, its TOML, its serial settings."""

    key: str
    name: str
    about: str
    text: str
    link: LinkPart


class MessageSpan(BaseModel):
    """Which characters of a message a field takes: from `start` up to `end`, counted from 0."""

    start: int
    end: int
    name: str
    kind: str


class PreviewRow(BaseModel):
    """One message as a set-up would read it; `why` it is not understood, and from which character on
    (`column`, from 1; 0 for none). `spans` and which `pattern` reads it (from 0) only for the newest message of
    each query that a pattern reads."""

    at: int
    message: str
    query: str
    fields: dict[str, str]
    why: str
    column: int
    spans: list[MessageSpan]
    pattern: int | None = None


class RemedyInfo(BaseModel):
    """What one press would do about messages that are not understood: a pattern in place of number
    `number`, one more where that is null, one more error pattern; or a `token` for the reader."""

    words: str
    source: str
    number: int | None
    error: bool
    token: str
    stands_for: Literal["", "none", "over", "under"]


class Failure(BaseModel):
    """Messages of one look that are not understood: the newest of them, how many, what could be done."""

    message: str
    query: str
    why: str
    column: int
    count: int
    remedies: list[RemedyInfo]


class Preview(BaseModel):
    """The last messages, newest first, as a changed set-up would read them; `trouble` where it cannot be used
    yet, the rows are then as the kept one reads them."""

    rows: list[PreviewRow]
    failures: list[Failure]
    trouble: str


class Pointed(BaseModel):
    """A part of a message, and what it is said to be; the pattern so far may be empty."""

    source: Annotated[str, Field(max_length=2000)] = ""
    message: Annotated[str, Field(min_length=1, max_length=4096)]
    start: Annotated[int, Field(ge=0)]
    end: Annotated[int, Field(ge=1)]
    meaning: Meaning
    name: Annotated[str, Field(max_length=80)] = ""
    unit: Annotated[str, Field(max_length=20)] = ""
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"


class SetupVersionInfo(BaseModel):
    """A version of a set-up, and the lines in which it differs from the one before: `- ` gone, `+ ` new."""

    version: int
    saved_at: int
    text: str
    changes: list[str]


class RegisterValue(BaseModel):
    """A register of the kept register map, and what to write into it."""

    name: Annotated[str, Field(max_length=80)]
    value: Annotated[float, Field(allow_inf_nan=False)]


class RegisterWritten(BaseModel):
    """What came of it, in a sentence; `read_back` where it could be read."""

    good: bool
    read_back: float | None
    sentence: str


class AgainBody(BaseModel):
    """A corrected set-up to read a run again with; kept as another version, or only tried."""

    text: Annotated[str, Field(max_length=500_000)]
    keep: bool = False


class FrozenSetup(BaseModel):
    """A set-up as it was when a run began."""

    id: str
    name: str
    text: str


class AgainInfo(BaseModel):
    """What a run can be read again with, and the versions there are besides what was logged."""

    setups: list[FrozenSetup]
    versions: list[Version]


class AgainOutcome(BaseModel):
    """Each channel as it was logged and as it is read again; `kept` where it became a version."""

    channels: list[Beside]
    kept: Version | None


class PatternSource(BaseModel):
    """A pattern."""

    source: str


class ReadingProposal(BaseModel):
    """A way to read the messages of a query (or, without one, what is heard), as parts of a set-up."""

    query: str | None
    title: str
    reads: int
    of: int
    reasons: list[str]
    reading: dict[str, Any]
    check: str | CheckPart
    channels: list[ChannelPart]


class FramingSuggestion(BaseModel):
    """A way to cut the bytes into messages, and what it would cut."""

    framing: FramingPart
    reason: str
    examples: list[str]


class Proposals(BaseModel):
    """What the last messages suggest."""

    framings: list[FramingSuggestion]
    readings: list[ReadingProposal]


class Command(BaseModel):
    """What to send, one character a byte, and how long to wait for the answer to begin."""

    data: Annotated[str, Field(min_length=1, max_length=4000)]
    wait_ms: Annotated[float, Field(ge=0, le=60_000)] = 600.0


class PortLabel(BaseModel):
    """A port and its label; empty takes it away."""

    name: Annotated[str, Field(max_length=200)]
    label: Annotated[str, Field(max_length=200)]


class StandIn(BaseModel):
    """A simulated instrument of the demo and the faults it shows."""

    name: str
    title: str
    can: list[str]
    faults: list[str]
    key: bool
    overrun: int


class StandIns(BaseModel):
    """The demo's simulated instruments; `valve` is the opening of the loop's valve, 0 to 1."""

    valve: float
    empty: bool
    stand_ins: list[StandIn]


class StandInOrder(BaseModel):
    """What a simulated instrument, or the loop, is to do."""

    stand_in: Annotated[str, Field(max_length=80)] = ""
    fault: Annotated[str, Field(max_length=80)] = ""
    on: bool = True
    key: bool = False
    valve: Annotated[float, Field(ge=0, le=1)] | None = None
    valve_by_itself: bool = False
    empty: bool | None = None


class RunRow(BaseModel):
    """A run in the logbook's list."""

    id: uuid.UUID
    name: str
    item: str
    operator: str
    begun_at: int
    ended_at: int | None
    status: str
    reason: str
    channels: int
    samples: int
    complete: bool


class RunPage(BaseModel):
    """Some runs of the logbook, newest first."""

    runs: list[RunRow]
    total: int


class RunNumbers(BaseModel):
    """A channel of a run and what it came to."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    low: float | None
    high: float | None
    samples: int
    measured: int
    minimum: float | None
    maximum: float | None
    mean: float | None


class MarkRow(BaseModel):
    """A mark of a run."""

    at: int
    text: str
    by: str


class CrossingRow(BaseModel):
    """A limit that was crossed in a run, or the value's coming back; `limit` is the one that was crossed."""

    at: int
    channel: str
    state: str
    value: float
    limit: float | None


class RunDetail(RunRow):
    """One run, whole."""

    row_rule: str
    folder: str
    csv: str
    polls: int
    missed: int
    gave_up: int
    repairs: list[str]
    numbers: list[RunNumbers]
    marks: list[MarkRow]
    crossings: list[CrossingRow]


class Refusal(BaseModel):
    """Why something was not done."""

    detail: str


class CalculationsForm(BaseModel):
    """The calculated channels: the document as TOML, and as data."""

    text: str
    calculations: Calculations


class CalculationsBody(BaseModel):
    """Calculated channels to keep: as TOML, or as data."""

    text: Annotated[str, Field(max_length=500_000)] | None = None
    calculations: Calculations | None = None


class CalculatedChecked(BaseModel):
    """What is wrong with a calculated channel ("" for nothing), at which column of its expression (0: no place)."""

    id: str
    problem: str
    column: int
    interval_s: float


class ZeroDone(BaseModel):
    """A channel was zeroed, or a zero undone."""

    at: int
    sentence: str


class Acknowledged(BaseModel):
    """Crossings that a person has seen."""

    crossings: Annotated[list[int], Field(max_length=200)]
    by: Annotated[str, Field(max_length=120)] = ""


class TryScaling(BaseModel):
    """Steps of scaling, and a value to try them with (null: none)."""

    scale: Annotated[float, Field(allow_inf_nan=False)] = 1.0
    offset: Annotated[float, Field(allow_inf_nan=False)] = 0.0
    scaling: Annotated[list[dict[str, Any]], Field(max_length=20)]
    value: Annotated[float, Field(allow_inf_nan=False)] | None = None


class ScalingStepShown(BaseModel):
    """What a value is after a step; null where none is left, and why (as a quality)."""

    words: str
    value: float | None
    quality: int


class ScalingTried(BaseModel):
    """The value step by step; of each step that is a calibration, what is left at its points."""

    steps: list[ScalingStepShown]
    residuals: list[list[float]]


class LaneData(BaseModel):
    """A lane of the Bench: its channels by id, how high it is beside the others, its scale (null: automatic)."""

    channels: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=200)]
    weight: Annotated[float, Field(ge=0.25, le=8)] = 1.0
    scale: tuple[float, float] | None = None
    log: bool = False


class LayoutData(BaseModel):
    """How the Bench is laid out: its lanes in order, and the channels that stand in none. A channel that is not named
    joins those of its unit."""

    lanes: Annotated[list[LaneData], Field(max_length=200)] = []
    hidden: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=1000)] = []


class NamedLayout(BaseModel):
    """A layout under its name."""

    name: str
    data: LayoutData


class MarkText(BaseModel):
    """A mark, known by its time, and the text it is to have."""

    at: int
    text: Annotated[str, Field(max_length=500)]
