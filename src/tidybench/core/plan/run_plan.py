"""What a run is called, how its rows are made, what begins it and what ends it."""

from typing import Annotated

from pydantic import Field

from tidybench.core.plan.begins import Begins
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import PointRule
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.values.row_rule import RowRule

Short = Annotated[str, Field(max_length=120)]


class RunPlan(Part):
    """`order`: the order's number. `fields`: the shop's own, by name. `channels`: those that have columns in the CSV, by id; none for all of
    them. What has no column is kept with the samples and on the tape all the same. `carry_on`: it goes on after everything was
    stopped or the power failed. `points`: how its test points are taken."""

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
