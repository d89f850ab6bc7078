"""state.json: what a run is and how it stands."""

from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from tidybench.core.plan.begins import Begins
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import OrderedPoint, PointRule
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.tape.events import Hole
from tidybench.core.values.counts import RunCounts
from tidybench.core.values.finding import Finding
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.whole import read_newest, write_whole

STATE = "state.json"
RunEnd = Literal["ended", "interrupted"]


class RunState(BaseModel):
    """What a run is and how it stands. Times in microseconds since 1970 UTC. `later`: the numbers of channels that came
        after it began; they are in the samples, not in the CSV. `rows` and `stats` (by
        channel number) are exact at line `summed` of the tape, 0 for never. `holes`: what could not be kept. `mended`: how
        many samples there were when it was put in order after a crash. `begun_by`: what began it, "" for a person. `lead_us`: so many
        microseconds at its beginning are from memory, and `lead_sequence`: the last number of them, 0 for none.
        `glance`: what was found before it began. `order`, `notes`, `fields`, `begins`, `ends`, `points`, `calibrates` and `carry_on` are as the plan had them
    (core.plan.run_plan); `ends` as it was changed since, at `ends_given_at` (0: at the beginning); `chosen`: the plan's channels, none for all. `ordered`: the
    test point that is being taken."""

    format: Literal[1] = 1
    id: str
    bench: str
    bench_key: str = ""
    name: Annotated[str, Field(max_length=120)]
    item: Annotated[str, Field(max_length=120)] = ""
    operator: Annotated[str, Field(max_length=120)] = ""
    order: Annotated[str, Field(max_length=120)] = ""
    notes: Annotated[str, Field(max_length=4000)] = ""
    fields: dict[str, str] = {}
    row_rule: RowRule = Field(default_factory=RowRule)
    chosen: list[str] = []
    begins: Begins = Field(default_factory=Begins)
    begun_by: str = ""
    lead_us: int = 0
    lead_sequence: int = 0
    glance: list[Finding] = []
    ends: Ends = Field(default_factory=Ends)
    ends_given_at: int = 0
    carry_on: bool = False
    points: PointRule | None = None
    calibrates: CalibrationPlan | None = None
    copy_to: str = ""
    begun_at: int
    ended_at: int | None = None
    status: Literal["logging"] | RunEnd = "logging"
    reason: str = ""
    csv: str
    channels: list[RunChannel]
    later: dict[str, int] = {}
    counts: RunCounts = Field(default_factory=RunCounts)
    repairs: list[str] = []
    rows: int = 0
    summed: int = 0
    stats: dict[str, list[Any]] = {}
    holes: list[Hole] = []
    mended: int | None = None
    ordered: OrderedPoint | None = None

    @property
    def pressed_at(self) -> int:
        """When it was begun; what is from memory lies before that."""
        return self.begun_at + self.lead_us

    @property
    def numbers(self) -> dict[str, int]:
        """The numbers of all its channels, by id."""
        return {**self.later, **{channel.id: channel.number for channel in self.channels}}


def plan_of(state: RunState) -> RunPlan:
    """What a run was planned to be: what another one like it begins with."""
    named = state.model_dump(include=set(RunPlan.model_fields) - {"channels"})
    return RunPlan.model_validate({**named, "channels": state.chosen})


def state_text(state: RunState) -> str:
    """What stands in state.json."""
    return state.model_dump_json(indent=1)


def write_state(folder: Path, state: RunState) -> None:
    """Write state.json, and wait until it is on the disk."""
    write_whole(folder / STATE, state_text(state))


def read_state(folder: Path) -> RunState:
    """Read state.json; raises OSError or ValueError."""
    return read_newest(folder / STATE, RunState.model_validate_json)
