"""How recorder and web server talk: requests, answers, the version both must speak.

The recorder publishes its status, samples and tape; it answers each request with one `Answer`. `PROTOCOL` changes when an older
side would misunderstand; both sides say theirs first (`Hello`). Times are microseconds since 1970 UTC.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, TypeAdapter

from tidybench.core.values.exact import Exact
from tidybench.core.values.finding import Finding
from tidybench.logs import LoggedError
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.commands import (
    ActStatus,
    CommandStatus,
    GetAct,
    GetCommand,
    GiveCommand,
    SendCommand,
    WriteRegister,
)
from tidybench.wire.crossings import Acknowledge
from tidybench.wire.curves import CaptureStatus, CurveRowsAnswer, GetCurve, StartCapture, StopCapture
from tidybench.wire.forwarding import ApplyForwarding, GetForwarding
from tidybench.wire.instruments import ReadOnce
from tidybench.wire.ports import GetPorts, LabelPort, PortInfo, ReleasePort, TakeBackPort
from tidybench.wire.procedures import (
    AnswerQuestion,
    AnswerWithPicture,
    GetProcedure,
    PauseProcedure,
    ProcedureStatus,
    SkipWait,
    StartProcedure,
    StopProcedure,
)
from tidybench.wire.reactions import (
    ApplyReactions,
    ArmReaction,
    CarryOutReaction,
    GetReactions,
    KeptReactions,
    SeeReaction,
)
from tidybench.wire.runs import (
    AddMark,
    ArmedStatus,
    ArmRun,
    BeginArmed,
    BeginRun,
    CallOff,
    ChangeEnds,
    CorrectMark,
    CorrectPoint,
    EndRun,
    GetGlance,
    RunStatus,
    StopPoint,
    TakePoint,
)
from tidybench.wire.searches import GetSearch, SearchStatus, StartSearch, StopSearch
from tidybench.wire.setups import ApplySetups, GetSetups, SetupText
from tidybench.wire.status import GetErrors, GetHistory, GetStatus, Status
from tidybench.wire.tape import GetTape

PROTOCOL = 11
TOPIC_SAMPLES, TOPIC_STATUS, TOPIC_TAPE = b"s", b"t", b"l"
"""Of what is published. Behind them: packed samples; a Status; how many lines were left out, and lines of the tape."""


class Hello(Exact):
    """Which version of this protocol one speaks, and of which version of Tidy Bench one is."""

    kind: Literal["hello"] = "hello"
    protocol: int = PROTOCOL
    version: str = ""


Request = Annotated[
    Hello
    | GetStatus
    | GetErrors
    | GetHistory
    | GetTape
    | ApplySetups
    | GetSetups
    | BeginRun
    | EndRun
    | ArmRun
    | GetGlance
    | CallOff
    | BeginArmed
    | ChangeEnds
    | AddMark
    | CorrectMark
    | TakePoint
    | StopPoint
    | CorrectPoint
    | GetPorts
    | ReleasePort
    | TakeBackPort
    | LabelPort
    | SendCommand
    | GiveCommand
    | WriteRegister
    | GetAct
    | StartProcedure
    | GetProcedure
    | StopProcedure
    | PauseProcedure
    | SkipWait
    | AnswerQuestion
    | AnswerWithPicture
    | ApplyReactions
    | GetReactions
    | ArmReaction
    | SeeReaction
    | CarryOutReaction
    | GetCommand
    | GetCurve
    | StartCapture
    | StopCapture
    | GetForwarding
    | ApplyForwarding
    | ReadOnce
    | StartSearch
    | GetSearch
    | StopSearch
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
    armed: ArmedStatus | None = None
    glance: list[Finding] = []
    ports: list[PortInfo] = []
    command: CommandStatus | None = None
    act: ActStatus | None = None
    procedure: ProcedureStatus | None = None
    search: SearchStatus | None = None
    curve: CurveRowsAnswer | None = None
    capture: CaptureStatus | None = None
    forwarding: str = ""
    setups: list[SetupText] = []
    calculations: str = ""
    reactions: KeptReactions | None = None
    fresh: bool = False
    zeroed: str = ""
    errors: list[LoggedError] = []
