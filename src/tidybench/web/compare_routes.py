"""Runs beside each other: by which time they are aligned, and how far one lies off another."""

import uuid
from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.analysis.agreement import agreement, within
from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.band import Band, Corner, Corridor, Deviations, Tolerance
from tidybench.core.analysis.stretch import AnalysisError, Stretch
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


class CorridorCorner(Exact):
    """A corner of a corridor, seconds after the moment that runs are aligned at; null: no edge on that side."""

    after_s: Finite
    lower: Finite | None = None
    upper: Finite | None = None


class Compare(Exact):
    """A channel of a run less that of a reference, from `start` to before `end` by the reference's time; without a reference by its own. The band, null or empty for no verdict: `allowed`,
    `percent`: about the reference, in the channel's unit and of its value; `deviations`: so many standard deviations about the mean of the reference and `others`; `corridor`: drawn."""

    of: OfRun
    reference: OfRun | None = None
    start: Moment
    end: Moment
    allowed: Annotated[Finite, Field(ge=0)] | None = None
    percent: Annotated[Finite, Field(ge=0)] | None = None
    deviations: Annotated[Finite, Field(gt=0, le=100)] | None = None
    others: Annotated[list[OfRun], Field(max_length=11)] = []
    corridor: Annotated[list[CorridorCorner], Field(max_length=200)] = []


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
    """How far a channel lies off that of a reference, and whether it stays within a band. Times are the reference's."""
    with Session(context_of(request).engine) as session:
        return compared(session, asked)[0]


def compared(session: Session, asked: Compare) -> tuple[StretchAnswer, str]:
    """The answer, and the band in words, "" for none. Raises HTTPException."""
    first = asked.reference or asked.of
    for one in (asked.of, first, *asked.others):
        if session.get(Run, one.run) is None:
            raise HTTPException(404, "The logbook has no such run.")

    def stretch(one: OfRun) -> Stretch:
        """At the reference's times."""
        shift = one.at - first.at
        found = channel_stretch(session, one.run, one.channel, asked.start + shift, asked.end + shift)
        return found.moved(-shift)

    try:
        band = _band(asked, first, stretch)
        mine = stretch(asked.of)
        if asked.reference is not None:
            return agreement(mine, stretch(asked.reference), band), band.words if band is not None else ""
        if band is None or not asked.corridor:
            raise AnalysisError(
                "Without a reference there is a verdict by a corridor alone: give its corners."
            )
        return within(mine, band, asked.of.channel), band.words
    except AnalysisError as error:
        raise HTTPException(409, str(error)) from None


def _band(asked: Compare, first: OfRun, stretch: Callable[[OfRun], Stretch]) -> Band | None:
    given = [
        asked.allowed is not None or asked.percent is not None,
        asked.deviations is not None,
        bool(asked.corridor),
    ]
    if sum(given) > 1:
        raise AnalysisError(
            "Give one band: about the reference, by deviations of several runs, or a corridor."
        )
    if asked.corridor:
        return Corridor([Corner(one.after_s, one.lower, one.upper) for one in asked.corridor], first.at)
    if asked.deviations is not None:
        return Deviations(asked.deviations, [stretch(one) for one in asked.others])
    if given[0]:
        return Tolerance(stretch(first).unit, asked.allowed, asked.percent)
    return None
