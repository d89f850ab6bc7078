"""A bench's past over all its runs, for a picture: the lowest and highest of every pixel."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.records.blocks import WIDTHS, Series
from tidybench.records.models import Run, RunChannel, Summary
from tidybench.records.trends import trends


@dataclass(slots=True, frozen=True)
class Past:
    """A channel's past: its id, and what a trend needs of it."""

    key: str
    series: Series


def history(session: Session, bench: int, start: int, end: int, points: int) -> list[Past]:
    """Everything that was logged from `start` to `end` (microseconds), about `points` pixels wide; one entry for each run and
    channel, in order of time."""
    runs = session.scalars(
        select(Run.id)
        .where(Run.bench_id == bench, Run.begun_at < end, func.coalesce(Run.ended_at, end) >= start)
        .order_by(Run.begun_at)
    ).all()
    pixel = (end - start) // max(points, 1)
    fitting = [width for width in WIDTHS if width <= pixel]
    found: list[Past] = []
    for run in runs:
        named = session.execute(select(RunChannel.number, RunChannel.key).where(RunChannel.run_id == run))
        keys = {row.number: row.key for row in named}
        if not fitting:
            drawn = trends(session, run, list(keys), start, end, points)
            found += [Past(key, drawn[n]) for n, key in keys.items()]
            continue
        found += _from_summaries(session, run, keys, start, end, fitting[-1], pixel)
    return [past for past in found if len(past.series.times)]


def _from_summaries(
    session: Session, run: Any, keys: dict[int, str], start: int, end: int, width: int, pixel: int
) -> list[Past]:
    # The database makes pixels of them: what crosses the wire does not grow with the run.
    bucket = ((Summary.start - start) // pixel).label("bucket")
    rows = session.execute(
        select(
            Summary.number,
            bucket,
            func.min(Summary.minimum),
            func.max(Summary.maximum),
            func.max(Summary.worst),
        )
        .where(
            Summary.run_id == run, Summary.width == width, Summary.start >= start - width, Summary.start < end
        )
        .group_by(Summary.number, bucket)
        .order_by(Summary.number, bucket)
    ).all()
    if not rows:
        return []
    numbers = np.fromiter((row[0] for row in rows), np.int64, len(rows))
    buckets = np.fromiter((int(row[1]) for row in rows), np.int64, len(rows))
    low, high = (
        np.fromiter((np.nan if row[i] is None else row[i] for row in rows), np.float64, len(rows))
        for i in (2, 3)
    )
    worst = np.fromiter((row[4] for row in rows), np.int64, len(rows))
    found = []
    for number in np.unique(numbers):
        mine = numbers == number
        series = _pixels(start + buckets[mine] * pixel, pixel, low[mine], high[mine], worst[mine])
        if int(number) in keys:
            found.append(Past(keys[int(number)], series))
    return found


def _pixels(
    starts: npt.NDArray[np.int64],
    pixel: int,
    low: npt.NDArray[np.float64],
    high: npt.NDArray[np.float64],
    worst: npt.NDArray[np.int64],
) -> Series:
    """Two samples a pixel, or one without a number."""
    empty = np.isnan(low)
    times = np.empty(2 * len(starts), np.int64)
    times[0::2], times[1::2] = starts + pixel // 4, starts + pixel * 3 // 4
    values = np.empty(2 * len(starts))
    values[0::2], values[1::2] = low, high
    qualities = np.repeat(np.where(empty, np.maximum(worst, Quality.NO_READING), Quality.OK), 2)
    keep = np.ones(2 * len(starts), np.bool_)
    keep[1::2] = ~empty
    return Series(times[keep], values[keep], qualities[keep])
