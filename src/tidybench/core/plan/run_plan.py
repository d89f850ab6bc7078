"""What a run is called, how its rows are made, what begins it and what ends it."""

from typing import Annotated

from pydantic import AfterValidator, Field

from tidybench.core.plan.begins import Begins
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import PointRule
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.values.row_rule import RowRule


def _absolute(text: str) -> str:
    text = text.strip()
    if text and (not text.startswith("/") or "\0" in text):
        raise ValueError(f"“{text}” is no folder's whole path: it begins with a slash (/mnt/results)")
    return text


Short = Annotated[str, Field(max_length=120)]


class RunPlan(Part):
    """`order`: the order's number. `fields`: the shop's own, by name. `channels`: those that have columns in the CSV, by id; none for all of
    them. What has no column is kept with the samples and on the tape all the same. `carry_on`: it goes on after everything was
    stopped or the power failed. `points`: how its test points are taken. `calibrates`: the run calibrates a channel.
    `copy_to`: a folder elsewhere that it is copied to when it has ended."""

    name: Short
    item: Short = ""
    operator: Short = ""
    order: Short = ""
    notes: Annotated[str, Field(max_length=4000)] = ""
    fields: Annotated[dict[Label, Annotated[str, Field(max_length=400)]], Field(max_length=40)] = {}
    channels: Annotated[list[Identifier], Field(max_length=4096)] = []
    row_rule: RowRule = Field(default_factory=RowRule)
    begins: Begins = Field(default_factory=Begins)
    ends: Ends = Field(default_factory=Ends)
    carry_on: bool = False
    points: PointRule | None = None
    calibrates: CalibrationPlan | None = None
    copy_to: Annotated[str, Field(max_length=400), AfterValidator(_absolute)] = ""
