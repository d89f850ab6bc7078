"""Statistics of a stretch of time: exact, from the last hour and the records joined."""

import uuid
from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.quality import Quality
from tidybench.core.values.statistics import Gathering, Statistics
from tidybench.records.blocks import sample_at
from tidybench.records.models import Run, RunChannel
from tidybench.records.statistics import gather, of_channels
from tidybench.web.context import Context, context_of
from tidybench.web.given import Moment
from tidybench.web.recent import Sample
from tidybench.web.refusals import REFUSALS
from tidybench.wire.channels import ChannelStatus


class ChannelStatistics(BaseModel):
    """What one channel's samples come to."""

    id: str
    number: int
    statistics: Statistics


class StretchStatistics(BaseModel):
    """Of every channel, from `start` to before `end` (microseconds since 1970 UTC). `why`: what is missing in them, ""
    for nothing."""

    start: int
    end: int
    channels: list[ChannelStatistics]
    why: str = ""


class SampleAt(BaseModel):
    """A channel's sample: `time` in microseconds since 1970 UTC; `value` null where nothing was measured, and then `quality` says
    why."""

    id: str
    time: int
    value: float | None
    quality: int


class SamplesAt(BaseModel):
    """The newest sample of each channel that is not later than `moment`. `why`: what is missing, "" for nothing."""

    moment: int
    samples: list[SampleAt]
    why: str = ""


router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/statistics")
async def statistics(
    request: Request, start: Annotated[Moment, Query()], end: Annotated[Moment, Query()]
) -> StretchStatistics:
    """Of the channels in force, over all runs and what was not logged within the last hour."""
    context = context_of(request)
    if start > end:
        raise HTTPException(400, "The stretch ends before it begins.")
    status = context.hub.status
    channels = status.channels if status is not None else []
    found, firsts = await context.recent.gather({c.number: c.states for c in channels}, start, end)
    why = ""
    ends = {c.number: min(end, firsts.get(c.number, end)) for c in channels}
    if any(start < until for until in ends.values()):
        try:
            found = await run_in_threadpool(_older, context, channels, start, ends, found)
        except SQLAlchemyError:
            # What it had given already is taken out again.
            found, _ = await context.recent.gather({c.number: c.states for c in channels}, start, end)
            why = "The database does not answer: what is older than the last hour is not in these numbers."
    return StretchStatistics(
        start=start,
        end=end,
        channels=[
            ChannelStatistics(
                id=c.id, number=c.number, statistics=found.get(c.number, Gathering(c.states)).statistics
            )
            for c in channels
        ],
        why=why,
    )


def _older(
    context: Context,
    channels: list[ChannelStatus],
    start: int,
    ends: dict[int, int],
    found: dict[int, Gathering],
) -> dict[int, Gathering]:
    """What the records have from `start` to before each channel's end, with what was found already."""
    now = {channel.id: channel for channel in channels}
    latest = max(ends.values())
    with Session(context.engine) as session:
        runs = session.scalars(
            select(Run.id)
            .where(
                Run.bench_id == context.bench_id(session),
                Run.begun_at < latest,
                func.coalesce(Run.ended_at, latest) >= start,
            )
            .order_by(Run.begun_at)
        ).all()
        for run in runs:
            numbers = {n: now[key] for n, key in _keys(session, run).items() if key in now}
            # A channel may have had another number in an earlier run.
            into = {n: found[c.number] for n, c in numbers.items() if c.number in found}
            words = {n: c.states for n, c in numbers.items()}
            until = {n: ends[c.number] for n, c in numbers.items()}
            for number, gathered in gather(session, run, words, start, until, into).items():
                found[numbers[number].number] = gathered
    return found


@router.get("/samples/at")
async def samples_at(request: Request, moment: Annotated[Moment, Query()]) -> SamplesAt:
    """The newest sample of each channel in force that is not later than a moment: the same that the CSV and the records have."""
    context = context_of(request)
    status = context.hub.status
    channels = status.channels if status is not None else []
    found, firsts = await context.recent.at([c.number for c in channels], moment)
    why = ""
    if any(moment < firsts.get(c.number, moment + 1) for c in channels):
        try:
            found = await run_in_threadpool(_older_at, context, channels, moment) | found
        except SQLAlchemyError:
            why = "The database does not answer: what is older than the last hour is not known."
    named = [(c.id, found[c.number]) for c in channels if c.number in found]
    return SamplesAt(moment=moment, samples=[_told(id, *sample) for id, sample in named], why=why)


def _older_at(context: Context, channels: list[ChannelStatus], moment: int) -> dict[int, Sample]:
    now = {channel.id: channel.number for channel in channels}
    found: dict[int, Sample] = {}
    with Session(context.engine) as session:
        run = session.scalars(
            select(Run.id)
            .where(Run.bench_id == context.bench_id(session), Run.begun_at <= moment)
            .order_by(Run.begun_at.desc())
            .limit(1)
        ).one_or_none()
        if run is not None:
            keys = _keys(session, run)
            for number, sample in sample_at(session, run, moment).items():
                if keys.get(number) in now:
                    found[now[keys[number]]] = Sample(*sample)
    return found


def _keys(session: Session, run: uuid.UUID) -> dict[int, str]:
    rows = session.execute(select(RunChannel.number, RunChannel.key).where(RunChannel.run_id == run))
    return {row.number: row.key for row in rows}


def _told(id: str, time: int, value: float, quality: int) -> SampleAt:
    return SampleAt(id=id, time=time, value=value if quality <= Quality.FLAGGED else None, quality=quality)


@router.get("/runs/{key}/samples/at")
def run_samples_at(request: Request, key: uuid.UUID, moment: Annotated[Moment, Query()]) -> SamplesAt:
    """Of a run's channels."""
    with Session(context_of(request).engine) as session:
        if session.get(Run, key) is None:
            raise HTTPException(404, "The logbook has no such run.")
        keys = _keys(session, key)
        found = sample_at(session, key, moment)
        return SamplesAt(
            moment=moment, samples=[_told(keys[n], *one) for n, one in found.items() if n in keys]
        )


@router.get("/runs/{key}/statistics")
def run_statistics(
    request: Request, key: uuid.UUID, start: Annotated[Moment, Query()], end: Annotated[Moment, Query()]
) -> StretchStatistics:
    """Of a run's channels."""
    if start > end:
        raise HTTPException(400, "The stretch ends before it begins.")
    with Session(context_of(request).engine) as session:
        channels = session.scalars(
            select(RunChannel).where(RunChannel.run_id == key).order_by(RunChannel.position)
        ).all()
        if session.get(Run, key) is None:
            raise HTTPException(404, "The logbook has no such run.")
        return StretchStatistics(
            start=start, end=end, channels=channel_statistics(session, key, channels, start, end)
        )


def channel_statistics(
    session: Session, run: uuid.UUID, channels: Sequence[RunChannel], start: int, end: int
) -> list[ChannelStatistics]:
    """Of each of a run's channels, in their order."""
    found = of_channels(session, run, channels, start, end)
    return [
        ChannelStatistics(id=c.key, number=c.number, statistics=one)
        for c, one in zip(channels, found, strict=True)
    ]
