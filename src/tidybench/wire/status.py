"""Everything the recorder says of itself."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.exact import Exact
from tidybench.core.values.verdict import Verdict
from tidybench.wire.channels import ChannelStatus, OverdueStatus
from tidybench.wire.crossings import OpenCrossing
from tidybench.wire.curves import CaptureStatus, CurveStatus
from tidybench.wire.forwarding import DestinationStatus
from tidybench.wire.instruments import InstrumentStatus
from tidybench.wire.ports import PortInfo
from tidybench.wire.procedures import ProcedureStatus
from tidybench.wire.reactions import ReactionStatus
from tidybench.wire.runs import ArmedStatus, RunStatus
from tidybench.wire.safe import SafeStatus


class DiskStatus(Exact):
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
    ports: list[PortInfo]
    run: RunStatus | None
    armed: ArmedStatus | None = None
    procedures: list[ProcedureStatus] = []
    curves: list[CurveStatus] = []
    captures: list[CaptureStatus] = []
    destinations: list[DestinationStatus] = []
    safe: list[SafeStatus] = []
    reactions: list[ReactionStatus] = []
    disk: DiskStatus
    crossings: list[OpenCrossing] = []
    overdue: list[OverdueStatus] = []
    verdict: Verdict = Verdict()
    version: str = ""
    zone: str = ""
    """The bench's time zone by its name (IANA), "" where the computer does not tell."""


class GetStatus(BaseModel):
    kind: Literal["get status"] = "get status"


class GetErrors(BaseModel):
    """The newest warnings and errors that the recorder logged."""

    kind: Literal["get errors"] = "get errors"


class GetHistory(Exact):
    """Answered with the packed samples of the ring since `since`, in the frames behind the answer."""

    kind: Literal["get history"] = "get history"
    since: int = 0
