"""Samples into blocks and summaries, and out again for a picture."""

import uuid
from bisect import bisect_right
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import delete, func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of
from tidybench.core.thinning import thin
from tidybench.core.values.moments import Moments
from tidybench.records.models import SampleBlock, Summary

FULL = 4096
"""Samples of a whole block."""

WIDTHS = (10_000_000, 600_000_000, 14_400_000_000)
"""The pyramid of summaries: 10 s, 10 min, 4 h."""

Records = npt.NDArray[np.void]


@dataclass(slots=True, frozen=True)
class Series:
    """Samples of one channel: times in microseconds, values (NaN where not measured), qualities."""

    times: npt.NDArray[np.int64]
    values: npt.NDArray[np.float64]
    qualities: npt.NDArray[np.int64]


def append(session: Session, run: uuid.UUID, first_record: int, records: Records) -> None:
    """Add records of samples.bin, the first of which stands at place `first_record`."""
    numbers, qualities = channels_of(records), qualities_of(records)
    blocks: list[dict[str, Any]] = []
    summaries: list[dict[str, Any]] = []
    for number in np.unique(numbers):
        where = np.flatnonzero(numbers == number)
        for start in range(0, len(where), FULL):
            part = where[start : start + FULL]
            series = Series(records["time"][part], records["value"][part], qualities[part].astype(np.int64))
            blocks.append(_block(run, int(number), first_record + int(part[0]), series))
        own = Series(records["time"][where], records["value"][where], qualities[where].astype(np.int64))
        for width in WIDTHS:
            summaries += _summaries(run, int(number), width, own)
    if blocks:
        session.execute(insert(SampleBlock), blocks)
        _add_summaries(session, summaries)


def clear(session: Session, run: uuid.UUID) -> None:
    """Take all samples of a run out again."""
    for table in (SampleBlock, Summary):
        session.execute(delete(table).where(table.run_id == run))


def _block(run: uuid.UUID, number: int, first_record: int, series: Series) -> dict[str, Any]:
    good = series.qualities <= Quality.FLAGGED
    sums = Moments.of(series.times[good], series.values[good])
    some = sums.count > 0
    first = int(series.times[0])
    return {
        "run_id": run,
        "number": number,
        "first_record": first_record,
        "first_time": first,
        "last_time": int(series.times[-1]),
        "count": len(series.times),
        "measured": sums.count,
        "minimum": sums.low if some else None,
        "maximum": sums.high if some else None,
        "mean": sums.mean if some else None,
        "spread": sums.spread,
        "time_mean": sums.time + (sums.origin - first) / 1e6 if some else 0.0,
        "time_spread": sums.times,
        "both": sums.both,
        "by_quality": np.bincount(series.qualities, minlength=len(Quality)).tolist(),
        "times": series.times.tolist(),
        "values": series.values.tolist(),
        "qualities": series.qualities.tolist(),
    }


def _summaries(run: uuid.UUID, number: int, width: int, series: Series) -> list[dict[str, Any]]:
    starts = series.times // width * width
    rows = []
    for start in np.unique(starts):
        mine = starts == start
        quality, values = series.qualities[mine], series.values[mine]
        good = values[quality <= Quality.FLAGGED]
        rows.append(
            {
                "run_id": run,
                "number": number,
                "width": width,
                "start": int(start),
                "count": int(mine.sum()),
                "measured": len(good),
                "minimum": float(good.min()) if len(good) else None,
                "maximum": float(good.max()) if len(good) else None,
                "total": float(good.sum()) if len(good) else 0.0,
                "worst": int(quality.max()),
            }
        )
    return rows


def _add_summaries(session: Session, rows: list[dict[str, Any]]) -> None:
    new = upsert(Summary)
    old, more = Summary.__table__.c, new.excluded
    session.execute(
        new.on_conflict_do_update(
            index_elements=["run_id", "number", "width", "start"],
            set_={
                "count": old.count + more["count"],
                "measured": old.measured + more.measured,
                "minimum": func.least(old.minimum, more.minimum),
                "maximum": func.greatest(old.maximum, more.maximum),
                "total": old.total + more.total,
                "worst": func.greatest(old.worst, more.worst),
            },
        ),
        rows,
    )


def merge(session: Session, run: uuid.UUID, all_of_it: bool = False) -> None:
    """Make whole blocks of short neighbours: where they come to a whole block, or at a run's end."""
    totals = session.execute(
        select(SampleBlock.number, func.sum(SampleBlock.count))
        .where(SampleBlock.run_id == run, SampleBlock.count < FULL)
        .group_by(SampleBlock.number)
        .having(func.count() > 1)
    ).all()
    for number, total in totals:
        if total >= FULL or all_of_it:
            for firsts in _neighbours(session, run, number):
                _merge(session, run, number, firsts, all_of_it)


def _neighbours(session: Session, run: uuid.UUID, number: int) -> list[list[int]]:
    """The short blocks of a channel that stand side by side, as lists of their keys."""
    rows = session.execute(
        select(SampleBlock.first_record, SampleBlock.count)
        .where(SampleBlock.run_id == run, SampleBlock.number == number)
        .order_by(SampleBlock.first_record)
    ).all()
    groups: list[list[int]] = [[]]
    for first, count in rows:
        if count < FULL:
            groups[-1].append(first)
        elif groups[-1]:
            groups.append([])
    return [group for group in groups if len(group) > 1]


def _merge(session: Session, run: uuid.UUID, number: int, keys: list[int], all_of_it: bool) -> None:
    short = (
        SampleBlock.run_id == run,
        SampleBlock.number == number,
        SampleBlock.first_record.between(keys[0], keys[-1]),
    )
    blocks = session.scalars(select(SampleBlock).where(*short).order_by(SampleBlock.first_record)).all()
    series = _join(blocks)
    total = len(series.times)
    if total < FULL and not all_of_it:
        return
    firsts = np.cumsum([0, *(b.count for b in blocks)])
    rows = [
        _block(run, number, _record_at(blocks, firsts, start), _cut(series, start, min(start + FULL, total)))
        for start in range(0, total, FULL)
    ]
    session.execute(delete(SampleBlock).where(*short).execution_options(synchronize_session=False))
    for block in blocks:
        session.expunge(block)
    session.execute(insert(SampleBlock), rows)


def _record_at(blocks: Any, firsts: npt.NDArray[np.int64], index: int) -> int:
    """A key for a merged block that begins at sample `index`: unique, and in order."""
    which = int(np.searchsorted(firsts, index, side="right")) - 1
    return int(blocks[which].first_record) + index - int(firsts[which])


def _cut(series: Series, start: int, end: int) -> Series:
    return Series(series.times[start:end], series.values[start:end], series.qualities[start:end])


def _join(blocks: Any) -> Series:
    return Series(
        np.concatenate([np.array(b.times, np.int64) for b in blocks]) if blocks else np.empty(0, np.int64),
        np.concatenate([np.array(b.values, np.float64) for b in blocks]) if blocks else np.empty(0),
        np.concatenate([np.array(b.qualities, np.int64) for b in blocks])
        if blocks
        else np.empty(0, np.int64),
    )


def series_of(session: Session, run: uuid.UUID, number: int, start: int, end: int) -> Series:
    """All samples of a channel from `start` to before `end`."""
    blocks = session.scalars(
        select(SampleBlock)
        .where(
            SampleBlock.run_id == run,
            SampleBlock.number == number,
            SampleBlock.last_time >= start,
            SampleBlock.first_time < end,
        )
        .order_by(SampleBlock.first_record)
    ).all()
    series = _join(blocks)
    inside = (series.times >= start) & (series.times < end)
    return Series(series.times[inside], series.values[inside], series.qualities[inside])


def sample_at(session: Session, run: uuid.UUID, moment: int) -> dict[int, tuple[int, float, int]]:
    """Each channel's newest sample of a run that is not later than `moment` (microseconds): time, value, quality, by its
    number."""
    newest = (
        select(SampleBlock.number, SampleBlock.times, SampleBlock.values, SampleBlock.qualities)
        .distinct(SampleBlock.number)
        .where(SampleBlock.run_id == run, SampleBlock.first_time <= moment)
        .order_by(SampleBlock.number, SampleBlock.first_time.desc(), SampleBlock.first_record.desc())
    )
    found = {}
    for number, times, values, qualities in session.execute(newest):
        place = bisect_right(times, moment) - 1
        found[number] = times[place], values[place], qualities[place]
    return found


def picture(session: Session, run: uuid.UUID, number: int, start: int, end: int, points: int) -> Series:
    """What a trend of about `points` pixels needs: from summaries where the samples are many more."""
    count = session.scalar(
        select(func.coalesce(func.sum(SampleBlock.count), 0)).where(
            SampleBlock.run_id == run,
            SampleBlock.number == number,
            SampleBlock.last_time >= start,
            SampleBlock.first_time < end,
        )
    )
    fitting = [width for width in WIDTHS if width * points <= end - start]
    if (count or 0) > 50 * points and fitting:
        return _from_summaries(session, run, number, start, end, fitting[-1])
    series = series_of(session, run, number, start, end)
    index = thin(series.times, series.values, series.qualities, points)
    return Series(series.times[index], series.values[index], series.qualities[index])


def _from_summaries(
    session: Session, run: uuid.UUID, number: int, start: int, end: int, width: int
) -> Series:
    rows = session.execute(
        select(Summary.start, Summary.minimum, Summary.maximum, Summary.measured, Summary.worst)
        .where(
            Summary.run_id == run,
            Summary.number == number,
            Summary.width == width,
            Summary.start >= start - width,
            Summary.start < end,
        )
        .order_by(Summary.start)
    ).all()
    times: list[int] = []
    values: list[float] = []
    qualities: list[int] = []
    for at, low, high, measured, worst in rows:
        if measured and low is not None and high is not None:
            times += [at + width // 4, at + width * 3 // 4]
            values += [low, high]
            qualities += [0, 0]
        else:
            times.append(at + width // 2)
            values.append(float("nan"))
            qualities.append(worst)
    return Series(np.array(times, np.int64), np.array(values, np.float64), np.array(qualities, np.int64))
