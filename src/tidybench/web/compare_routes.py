"""Runs beside each other: by which time they are aligned, and how far one lies off another."""

import uuid
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.analysis.agreement import agreement
from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.stretch import AnalysisError
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.records.blocks import first_past
from tidybench.records.models import Run, RunChannel
from tidybench.runs.alignment import Alignment, AlignmentError, by_clock, by_crossing, by_mark
from tidybench.runs.run_state import read_state
from tidybench.runs.said import corrected
from tidybench.web.context import context_of
from tidybench.web.given import Moment
from tidybench.web.question_routes import channel_stretch
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of

router = APIRouter(prefix="/api", responses=REFUSALS)


class Aligned(BaseModel):
    """The time of a run that stands over those of others, microseconds since 1970 UTC."""

    at: int


class OfRun(Exact):
    """A channel of a run, by its id, and the time that it is aligned at."""

    run: uuid.UUID
    at: Moment
    channel: Annotated[str, Field(min_length=1, max_length=200)]


class Compare(Exact):
    """A channel of a run less that of a reference, from `start` to before `end` by the reference's time. `allowed`, `percent`: the band, in the channel's unit and of the
    reference's value; null for no verdict."""

    of: OfRun
    reference: OfRun
    start: Moment
    end: Moment
    allowed: Annotated[Finite, Field(ge=0)] | None = None
    percent: Annotated[Finite, Field(ge=0)] | None = None


@router.post("/runs/{key}/alignment")
def align(request: Request, key: uuid.UUID, by: Alignment) -> Aligned:
    """When it happened in a run."""
    folder, _ = folder_of(request, key)
    try:
        state = corrected(folder, read_state(folder))
        match by.by:
            case "begin":
                return Aligned(at=state.begun_at)
            case "mark":
                return Aligned(at=by_mark(folder, by.text))
            case "crossing":
                return Aligned(at=by_crossing(folder, by.text))
            case "clock":
                return Aligned(at=by_clock(state, by.clock))
            case "level":
                return Aligned(at=_past(request, key, by))
    except AlignmentError as error:
        raise HTTPException(409, f"{state.name}: {error}") from None
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error


def _past(request: Request, key: uuid.UUID, by: Alignment) -> int:
    with Session(context_of(request).engine) as session:
        channel = session.scalars(
            select(RunChannel).where(RunChannel.run_id == key, RunChannel.key == by.channel)
        ).one_or_none()
        if channel is None:
            raise AlignmentError(f"It has no channel “{by.channel}”.")
        found = first_past(session, key, channel.number, by.level, by.rising)
    if found is None:
        raise AlignmentError(f"{channel.name} never passes {by.level:g} {channel.unit}".rstrip() + ".")
    return found


@router.post("/compare")
def compare(request: Request, asked: Compare) -> StretchAnswer:
    """How far a channel lies off that of a reference, and whether it stays within a band about it. Times are the reference's."""
    shift = asked.of.at - asked.reference.at
    with Session(context_of(request).engine) as session:
        for one in (asked.of.run, asked.reference.run):
            if session.get(Run, one) is None:
                raise HTTPException(404, "The logbook has no such run.")
        try:
            mine = channel_stretch(
                session, asked.of.run, asked.of.channel, asked.start + shift, asked.end + shift
            )
            reference = channel_stretch(
                session, asked.reference.run, asked.reference.channel, asked.start, asked.end
            )
            return agreement(mine.moved(-shift), reference, asked.allowed, asked.percent)
        except AnalysisError as error:
            raise HTTPException(409, str(error)) from None
