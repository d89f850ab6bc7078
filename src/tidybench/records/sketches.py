"""The trend of a run as small as a word."""

import uuid

import numpy as np
from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.records.blocks import WIDTHS, series_of
from tidybench.records.models import Run, RunChannel, SampleBlock, Summary

POINTS = 48

LEAST = 24
"""Summaries below which samples are taken."""

MOST = 600
"""Summaries that are read."""


def sketch(session: Session, run: Run) -> tuple[str, list[float | None]]:
    """The channel that is drawn, by its name, the first with a limit, else the first with numbers; and POINTS means over the run's length, None where nothing was
    measured. ("", []) where there is none."""
    channel = session.scalars(
        select(RunChannel)
        .where(RunChannel.run_id == run.id, RunChannel.clock.is_(False), RunChannel.states == [])
        .order_by(or_(RunChannel.low.is_not(None), RunChannel.high.is_not(None)).desc(), RunChannel.position)
        .limit(1)
    ).one_or_none()
    if channel is None:
        return "", []
    end = run.ended_at or run.begun_at
    length = max(1, end - run.begun_at)
    width = next((one for one in WIDTHS if length / one <= MOST), WIDTHS[-1])
    if length / width >= LEAST:
        times, values = _summed(session, run.id, channel.number, width)
    elif len(blocks := _of_blocks(session, run.id, channel.number)) >= 2 * POINTS:
        times, values = blocks[:, 0], blocks[:, 1]
    else:
        series = series_of(session, run.id, channel.number, run.begun_at, end + 1)
        good = series.qualities <= Quality.FLAGGED
        times, values = series.times[good], series.values[good]
    place = np.clip((times - run.begun_at) * POINTS // length, 0, POINTS - 1).astype(np.int64)
    counts = np.bincount(place, minlength=POINTS)
    totals = np.bincount(place, values, POINTS)
    means = [float(total / count) if count else None for total, count in zip(totals, counts, strict=True)]
    return channel.name, means


def _of_blocks(session: Session, run: uuid.UUID, number: int) -> "np.ndarray":
    """The middle and the mean of each block, where there are enough of them; else nothing."""
    mine = (SampleBlock.run_id == run, SampleBlock.number == number)
    count = session.scalar(select(func.count()).where(*mine)) or 0
    if count < 2 * POINTS:
        return np.empty((0, 2))
    rows = session.execute(
        select((SampleBlock.first_time + SampleBlock.last_time) / 2, SampleBlock.mean)
        .where(*mine, SampleBlock.measured > 0)
        .order_by(SampleBlock.first_record)
    ).all()
    return np.array([(float(at), mean) for at, mean in rows], float).reshape(-1, 2)


def _summed(session: Session, run: uuid.UUID, number: int, width: int) -> "tuple[np.ndarray, np.ndarray]":
    rows = session.execute(
        select(Summary.start, Summary.total / Summary.measured)
        .where(Summary.run_id == run, Summary.number == number, Summary.width == width, Summary.measured > 0)
        .order_by(Summary.start)
    ).all()
    found = np.array([tuple(row) for row in rows], float).reshape(-1, 2)
    return found[:, 0] + width / 2, found[:, 1]
