"""The run in progress: how it stands, and what is done to it."""

from typing import Literal

from pydantic import BaseModel, Field

from tidybench.core.values.counts import RunCounts
from tidybench.core.values.exact import Exact
from tidybench.core.values.mark import Mark
from tidybench.core.values.row_rule import RowRule


class RunStatus(Exact):
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
    counts: RunCounts
    troubles: list[str]
    repairs: list[str]
    marks: list[Mark]


class BeginRun(BaseModel):
    kind: Literal["begin run"] = "begin run"
    name: str
    item: str = ""
    operator: str = ""
    row_rule: RowRule = Field(default_factory=RowRule)


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


class CorrectMark(BaseModel):
    """Another text for a mark of the run in progress, which is known by its time."""

    kind: Literal["correct mark"] = "correct mark"
    at: int
    text: str
