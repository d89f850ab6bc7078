"""Procedures: starting one, stopping it, and how it stands."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.procedure.run import Question
from tidybench.core.procedure.steps import Answer
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact

By = Annotated[str, Field(max_length=80)]
AnswerText = Annotated[str, Field(max_length=200)]


class StartProcedure(Exact):
    """Carry this text out. `by`: who asks; `plans`: those that it begins runs from, by their names; `called`: the texts of the procedures that
    it carries out, by name."""

    kind: Literal["start procedure"] = "start procedure"
    text: Annotated[str, Field(max_length=200_000)]
    by: By = ""
    plans: dict[str, RunPlan] = {}
    called: dict[str, str] = {}


class StopProcedure(Exact):
    """The steps end at once; what is always done is done."""

    kind: Literal["stop procedure"] = "stop procedure"
    id: int
    by: By = ""


class PauseProcedure(Exact):
    """Nothing goes on until it is told to (`on` false)."""

    kind: Literal["pause procedure"] = "pause procedure"
    id: int
    on: bool
    by: By = ""


class SkipWait(Exact):
    """What is waited for now is not waited for any longer."""

    kind: Literal["skip wait"] = "skip wait"
    id: int
    by: By = ""


class AnswerQuestion(Exact):
    """A person's answer to what the procedure asks: yes or no, a number or a text. `question`: its number."""

    kind: Literal["answer question"] = "answer question"
    id: int
    question: int
    value: bool | Finite | AnswerText
    by: By = ""


class AnswerWithPicture(Exact):
    """A picture that was asked for; `upload`: its name in the folder of uploads, from where it goes into the run's."""

    kind: Literal["answer with picture"] = "answer with picture"
    id: int
    question: int
    upload: Annotated[str, Field(pattern=r"^[0-9a-f]{32}\.(jpg|png|webp)$")]
    by: By = ""


class GetProcedure(Exact):
    """Answered with this procedure, its text and its whole log, while it is carried out or is one of the last that were."""

    kind: Literal["get procedure"] = "get procedure"
    id: int


class LoggedStep(BaseModel):
    """A line of what was done; `line` of the text, 0 for none. Microseconds."""

    at: int
    line: int
    words: str
    good: bool


class QuestionStatus(BaseModel):
    """What a person is asked. `number` tells it from the others of its procedure; `unit`: of a number that is wanted."""

    number: int
    line: int
    text: str
    answer: Answer
    unit: str


class InsideStatus(BaseModel):
    """A procedure that is being carried out by another one, and its present line."""

    name: str
    line: int


class ProcedureStatus(BaseModel):
    """A procedure that is carried out, or was. Microseconds; `line`: the present step, `inside`: the procedures that it is carrying out there,
    the innermost last; `instruments`: those that it drives. `waits`: what for, `progress`: how near it is, `channels`: those that are
    looked at for that, `until`: at most until when. `log`: the newest lines. In the status of the bench `text` is "", there are no
    texts of those that it carries out (`called`, by name), and the log is short."""

    id: int
    name: str
    text: str
    called: dict[str, str] = {}
    by: str
    state: Literal["running", "paused", "at its end", "ended"]
    line: int
    inside: list[InsideStatus]
    instruments: list[str]
    waits: str
    progress: str
    channels: list[str]
    until: int | None
    question: QuestionStatus | None
    begun_at: int
    ended_at: int | None
    why: str
    failed: bool
    log: list[LoggedStep]


def question_status(asked: Question | None) -> QuestionStatus | None:
    """A question as it is sent."""
    if asked is None:
        return None
    return QuestionStatus(
        number=asked.number, line=asked.line, text=asked.text, answer=asked.answer, unit=asked.unit
    )
