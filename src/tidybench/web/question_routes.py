"""Questions about a stretch of a run, and the answers that are kept with it."""

import time
import uuid
from collections.abc import Callable
from typing import Annotated, TypeVar

from fastapi import APIRouter, HTTPException, Request
from fastapi import Path as InPath
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidybench import __version__
from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.questions import MOST, TWO, StretchQuestion, answer_of
from tidybench.core.analysis.stretch import AnalysisError, Samples, Stretch, stretch_of
from tidybench.core.values.exact import Exact
from tidybench.records.blocks import series_of
from tidybench.records.models import Run, RunChannel, SampleBlock
from tidybench.runs.kept_answers import KeptAnswer, forget_answer, keep_answer, kept_answers
from tidybench.runs.kept_list import KeptError
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of

T = TypeVar("T")

router = APIRouter(prefix="/api/runs", responses=REFUSALS)


class KeepAnswer(Exact):
    """Ask, and keep what is found with the run. `by`: who asks; `note`: what is said of it."""

    question: StretchQuestion
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""


@router.post("/{key}/questions")
def ask(request: Request, key: uuid.UUID, question: StretchQuestion) -> StretchAnswer:
    """What a stretch of a run says. Nothing is kept of it."""
    with Session(context_of(request).engine) as session:
        if session.get(Run, key) is None:
            raise HTTPException(404, "The logbook has no such run.")
        try:
            one = channel_stretch(session, key, question.channel, question.start, question.end)
            other = (
                channel_stretch(session, key, question.other, question.start, question.end)
                if question.kind in TWO and question.other
                else None
            )
            return answer_of(question, one, other)
        except AnalysisError as error:
            raise HTTPException(409, str(error)) from None


@router.get("/{key}/answers")
def answers(request: Request, key: uuid.UUID) -> list[KeptAnswer]:
    """The answers that are kept with a run, in the order they were asked."""
    folder, _ = folder_of(request, key)
    return read_kept(lambda: kept_answers(folder))


def read_kept(read: Callable[[], list[T]]) -> list[T]:
    """What is kept with a run; 404 with a sentence where its folder cannot be read."""
    try:
        return read()
    except OSError as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error.strerror}.") from error


@router.post("/{key}/answers", status_code=201)
def keep(request: Request, key: uuid.UUID, body: KeepAnswer) -> KeptAnswer:
    """Ask, and keep the answer in the run's folder. What was sealed stays as it is."""
    folder, _ = folder_of(request, key)
    found = ask(request, key, body.question)
    now = time.time_ns() // 1000
    try:
        return keep_answer(folder, body.question, found, body.by, body.note, __version__, now)
    except KeptError as error:
        raise HTTPException(409, str(error)) from None
    except OSError as error:
        raise HTTPException(507, f"The answer cannot be written: {error.strerror}.") from error


@router.delete("/{key}/answers/{number}", status_code=204)
def forget(request: Request, key: uuid.UUID, number: Annotated[int, InPath(ge=1, le=2**31)]) -> None:
    """Take an answer out again."""
    folder, _ = folder_of(request, key)
    try:
        forget_answer(folder, number, time.time_ns() // 1000)
    except KeptError as error:
        raise HTTPException(404, str(error)) from None
    except OSError as error:
        raise HTTPException(507, f"It cannot be written: {error.strerror}.") from error


def channel_stretch(session: Session, run: uuid.UUID, channel: str, start: int, end: int) -> Stretch:
    """A channel's samples of a run, from `start` to before `end` (microseconds since 1970 UTC). Raises AnalysisError."""
    about = session.scalars(
        select(RunChannel).where(RunChannel.run_id == run, RunChannel.key == channel)
    ).one_or_none()
    if about is None:
        raise AnalysisError(f"The run has no channel “{channel}”.")
    if start >= end:
        raise AnalysisError("The stretch ends before it begins.")
    # A day too much is seen before it is read.
    count = session.scalar(
        select(func.coalesce(func.sum(SampleBlock.count), 0)).where(
            SampleBlock.run_id == run,
            SampleBlock.number == about.number,
            SampleBlock.first_time >= start,
            SampleBlock.last_time < end,
        )
    )
    if (count or 0) > MOST:
        raise AnalysisError(
            f"The stretch has more than {MOST} samples of {about.name}, the most that are taken for a question. Choose a shorter stretch."
        )
    series = series_of(session, run, about.number, start, end)
    return stretch_of(
        about.key,
        about.name,
        about.unit,
        about.decimals,
        Samples(series.times, series.values, series.qualities),
        tuple(about.states),
        about.interval_s,
    )
