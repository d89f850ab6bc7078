"""The run in progress: how it stands, and what is done to it."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.plan.begins import Begins
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.counts import RunCounts
from tidybench.core.values.exact import Exact
from tidybench.core.values.mark import Mark
from tidybench.core.values.point import Quantity, Stage
from tidybench.core.values.row_rule import RowRule


class ArmedStatus(Exact):
    """A run that waits for what begins it. `begins_at`: by the clock, None where it waits for something else. Times in microseconds
    since 1970 UTC."""

    id: str
    name: str
    item: str
    operator: str
    begins: Begins
    begins_at: int | None
    armed_at: int
    troubles: list[str]


class TakingStatus(Exact):
    """A test point that is being taken. `unsteady`: the channels, by name, that are waited for; `since`, `until`: the stretch that is
    averaged, None before it has begun; `gives_up_at`. Times in microseconds since 1970 UTC."""

    number: int
    name: str
    unsteady: list[str]
    begun_at: int
    since: int | None
    until: int | None
    gives_up_at: int


class RunStatus(Exact):
    """The run in progress. `begun_by`: what began it, "" for a person; `lead_us`: so many microseconds at its beginning are from memory. `points`:
    how many versions of test points there are. `ends_at`: when it ends by the clock, in microseconds, None where it does not. `unsettled`: the channels, by
    name, that keep it from ending as settled."""

    id: str
    name: str
    item: str
    operator: str
    order: str
    row_rule: RowRule
    ends: Ends
    ends_at: int | None
    unsettled: list[str]
    carry_on: bool
    begun_at: int
    begun_by: str
    lead_us: int
    folder: str
    csv: str
    rows: int
    saved_at: int
    counts: RunCounts
    troubles: list[str]
    repairs: list[str]
    marks: list[Mark]
    points: int
    taking: TakingStatus | None
    calibrates: CalibrationPlan | None


class GetGlance(RunPlan):
    """What is there to be said before a run begins that is planned so?"""

    kind: Literal["get glance"] = "get glance"


class BeginRun(RunPlan):
    kind: Literal["begin run"] = "begin run"


class ArmRun(RunPlan):
    """Wait for what begins this run."""

    kind: Literal["arm run"] = "arm run"


class CallOff(BaseModel):
    """The run that waits is not to begin."""

    kind: Literal["call off"] = "call off"
    armed: str


class BeginArmed(BaseModel):
    """Begin the run that waits now."""

    kind: Literal["begin armed"] = "begin armed"
    armed: str


class ChangeEnds(BaseModel):
    """Something else ends the run in progress: later, sooner, otherwise."""

    kind: Literal["change ends"] = "change ends"
    run: str
    ends: Ends


class EndRun(BaseModel):
    kind: Literal["end run"] = "end run"
    run: str
    reason: str = "ended by a person"


class AddMark(BaseModel):
    """Mark the moment `ago_ms` before this one: when the person pressed, not when the sentence was written. `by`: empty for the
    run's operator."""

    kind: Literal["add mark"] = "add mark"
    text: str
    by: str = ""
    ago_ms: float = 0.0


class TakePoint(BaseModel):
    """Take a test point of the run in progress."""

    kind: Literal["take point"] = "take point"
    order: PointOrder


class StopPoint(BaseModel):
    """The point that is being taken: average at once, steady or not (`now`), or give it up."""

    kind: Literal["stop point"] = "stop point"
    number: int
    now: bool = False


class CorrectPoint(BaseModel):
    """Another version of a point of the run in progress: what a person gave. What was measured stays."""

    kind: Literal["correct point"] = "correct point"
    number: int
    version: int
    name: str
    note: str
    stage: Stage = ""
    sets: list[Quantity]
    typed: list[Quantity]
    void: bool
    by: str = ""


class CorrectMark(BaseModel):
    """Another text for a mark of the run in progress, which is known by its time."""

    kind: Literal["correct mark"] = "correct mark"
    at: int
    text: str
