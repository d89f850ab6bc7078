"""Procedures: starting one, stopping it, and how it stands."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact

By = Annotated[str, Field(max_length=80)]


class StartProcedure(Exact):
    """Carry this text out. `by`: who asks; `plans`: those that it begins runs from, by their names."""

    kind: Literal["start procedure"] = "start procedure"
    text: Annotated[str, Field(max_length=200_000)]
    by: By = ""
    plans: dict[str, RunPlan] = {}


class StopProcedure(Exact):
    """The steps end at once; what is always done is done."""

    kind: Literal["stop procedure"] = "stop procedure"
    by: By = ""


class PauseProcedure(Exact):
    """Nothing goes on until it is told to (`on` false)."""

    kind: Literal["pause procedure"] = "pause procedure"
    on: bool
    by: By = ""


class SkipWait(Exact):
    """What is waited for now is not waited for any longer."""

    kind: Literal["skip wait"] = "skip wait"
    by: By = ""


class AnswerQuestion(Exact):
    """A person's answer to what the procedure asks on this line: yes or no, or a number."""

    kind: Literal["answer question"] = "answer question"
    line: int
    value: bool | Finite
    by: By = ""


class GetProcedure(Exact):
    """Answered with the procedure that is carried out, or the last one, with its text and its whole log."""

    kind: Literal["get procedure"] = "get procedure"


class LoggedStep(BaseModel):
    """A line of what was done; `line` of the text, 0 for none. Microseconds."""

    at: int
    line: int
    words: str
    good: bool


class QuestionStatus(BaseModel):
    """What a person is asked. `unit`: of the number that is wanted; null where yes or no is."""

    line: int
    text: str
    unit: str | None


class ProcedureStatus(BaseModel):
    """The procedure that is carried out, or the last one that was. Microseconds; `line`: the present step. `waits`: what for, `progress`: how near it is, `until`:
    at most until when. `log`: the newest lines. In the status of the bench `text` is "", and the log is short."""

    name: str
    text: str
    by: str
    state: Literal["running", "paused", "at its end", "ended"]
    line: int
    waits: str
    progress: str
    until: int | None
    question: QuestionStatus | None
    begun_at: int
    ended_at: int | None
    why: str
    failed: bool
    log: list[LoggedStep]
