"""Comparisons that are kept with the first of their runs, and their report."""

import time
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi import Path as InPath
from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench import __version__
from tidybench.core.values.exact import Exact
from tidybench.core.values.statistics import Statistics
from tidybench.records.models import Run, RunChannel
from tidybench.records.trends import trends
from tidybench.report.comparison_report import ComparedLane, comparison_report
from tidybench.report.trends import POINTS, Series
from tidybench.runs.kept_comparisons import (
    ComparedAnswer,
    ComparedRun,
    KeptComparison,
    forget_comparison,
    keep_comparison,
    kept_comparisons,
)
from tidybench.runs.kept_list import KeptError
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import SealError, seal_of
from tidybench.web.compare_routes import Compare, compared
from tidybench.web.context import context_of
from tidybench.web.given import Moment
from tidybench.web.question_routes import read_kept
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of
from tidybench.web.statistics_routes import channel_statistics

router = APIRouter(prefix="/api/runs", responses=REFUSALS)


class AlignedRun(Exact):
    """A run of a comparison, and the time that it is aligned at."""

    run: uuid.UUID
    at: Moment


class AskedOf(Exact):
    """What was asked of one of them; `place` counts them from 0."""

    place: Annotated[int, Field(ge=0, le=11)]
    asked: Compare


class KeepComparison(Exact):
    """A comparison to be kept with the run of the address, which is its first. Each answer is found anew. `start`, `end`: the stretch, by the first run's time."""

    members: Annotated[list[AlignedRun], Field(min_length=2, max_length=12)]
    channel: Annotated[str, Field(min_length=1, max_length=200)]
    start: Moment
    end: Moment
    answers: Annotated[list[AskedOf], Field(max_length=12)] = []
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""


@router.get("/{key}/comparisons")
def comparisons_of_run(request: Request, key: uuid.UUID) -> list[KeptComparison]:
    """Those that are kept with the run, in the order they were made."""
    folder, _ = folder_of(request, key)
    return read_kept(lambda: kept_comparisons(folder))


@router.post("/{key}/comparisons", status_code=201)
def keep_a_comparison(request: Request, key: uuid.UUID, body: KeepComparison) -> KeptComparison:
    """Keep a comparison in the run's folder. What was sealed stays as it is."""
    folder, _ = folder_of(request, key)
    if body.members[0].run != key:
        raise HTTPException(400, "A comparison is kept with its first run.")
    if body.start >= body.end:
        raise HTTPException(400, "The stretch ends before it begins.")
    with Session(context_of(request).engine) as session:
        members = [_member(session, one) for one in body.members]
        band, answers = "", []
        for one in body.answers:
            if one.place >= len(members):
                raise HTTPException(400, f"There is no run {one.place + 1} in this comparison.")
            answer, band = compared(session, one.asked)
            answers.append(ComparedAnswer(place=one.place, answer=answer))
    kept = KeptComparison(
        number=0,
        kept_at=time.time_ns() // 1000,
        version=__version__,
        by=body.by,
        note=body.note,
        members=members,
        channel=body.channel,
        start=body.start,
        end=body.end,
        band=band,
        answers=answers,
    )
    try:
        return keep_comparison(folder, kept)
    except KeptError as error:
        raise HTTPException(409, str(error)) from None
    except OSError as error:
        raise HTTPException(507, f"The comparison cannot be written: {error.strerror}.") from error


def _member(session: Session, one: AlignedRun) -> ComparedRun:
    run = session.get(Run, one.run)
    if run is None:
        raise HTTPException(404, "The logbook has no such run.")
    try:
        fingerprint = seal_of(Path(run.folder)).fingerprint
    except (SealError, OSError):
        fingerprint = ""
    return ComparedRun(
        run=run.id, at=one.at, name=run.name, item=run.item, begun_at=run.begun_at, fingerprint=fingerprint
    )


@router.delete("/{key}/comparisons/{number}", status_code=204)
def forget_a_comparison(
    request: Request, key: uuid.UUID, number: Annotated[int, InPath(ge=1, le=2**31)]
) -> None:
    """Take a comparison out again."""
    folder, _ = folder_of(request, key)
    try:
        forget_comparison(folder, number, time.time_ns() // 1000)
    except KeptError as error:
        raise HTTPException(404, str(error)) from None
    except OSError as error:
        raise HTTPException(507, f"It cannot be written: {error.strerror}.") from error


@router.get("/{key}/comparisons/{number}/report", response_class=Response)
def comparison_page(
    request: Request, key: uuid.UUID, number: Annotated[int, InPath(ge=1, le=2**31)]
) -> Response:
    """A comparison that is kept, as one HTML page that prints, whole in itself. Curves and numbers are those of the runs as they are."""
    folder, _ = folder_of(request, key)
    kept = next((one for one in read_kept(lambda: kept_comparisons(folder)) if one.number == number), None)
    if kept is None:
        raise HTTPException(404, "The run has no such comparison any more. Look at its comparisons again.")
    try:
        own = read_state(folder).channels
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error
    with Session(context_of(request).engine) as session:
        for one in kept.members:
            if session.get(Run, one.run) is None:
                raise HTTPException(409, f"{one.name}, begun then, is not in the logbook any more.")
        drawn = [_drawn(session, kept, one) for one in kept.members]
    lanes = []
    for channel in own:
        if channel.clock or channel.states:
            continue
        found = [_same(each, channel.id, channel.name, channel.unit) for each in drawn]
        if found[0] is not None and (any(found[1:]) or channel.id == kept.channel):
            series = [one[1] if one is not None else None for one in found]
            lanes.append(
                ComparedLane(channel, series, [one[2] if one is not None else None for one in found])
            )
    page = comparison_report(kept, lanes)
    return Response(page, media_type="text/html; charset=utf-8")


Found = tuple[RunChannel, Series, Statistics]


def _drawn(session: Session, kept: KeptComparison, member: ComparedRun) -> list[Found]:
    """The channels of a run over the stretch, at the first run's times."""
    shift = member.at - kept.members[0].at
    start, end = kept.start + shift, kept.end + shift
    channels = session.scalars(
        select(RunChannel).where(RunChannel.run_id == member.run).order_by(RunChannel.position)
    ).all()
    series = trends(session, member.run, [one.number for one in channels], start, end, POINTS)
    told = channel_statistics(session, member.run, channels, start, end)
    return [
        (
            channel,
            Series(
                series[channel.number].times - shift,
                series[channel.number].values,
                series[channel.number].qualities,
            ),
            one.statistics,
        )
        for channel, one in zip(channels, told, strict=True)
    ]


def _same(found: Sequence[Found], id: str, name: str, unit: str) -> Found | None:
    """The channel of a run that is another one's: of one id, or of one name, and of one unit."""
    units = [one for one in found if one[0].unit == unit]
    return next(
        (one for one in units if one[0].key == id), next((one for one in units if one[0].name == name), None)
    )
