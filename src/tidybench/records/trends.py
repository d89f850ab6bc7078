"""What a trend needs of a run: from single samples, from groups of neighbours, from whole blocks or from summaries, by how many samples a pixel stands for."""

import uuid
from collections.abc import Sequence
from itertools import groupby
from operator import itemgetter
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.core.thinning import thin
from tidybench.records import binary_rows
from tidybench.records.blocks import FULL, WIDTHS, Series, several
from tidybench.records.groups import GROUPS
from tidybench.records.models import Summary

DIRECT = 32
"""Samples a pixel up to which they are read one by one."""

BLOCKS_A_PIXEL = 0.25
"""Blocks a pixel from which on their own extremes are fine enough."""

OLDER = (10_000_000, *WIDTHS)
"""Summaries of runs whose blocks have no groups."""

_COUNTS = """
    SELECT number, sum(count), count(*), count(groups) FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    GROUP BY number
"""

_GROUPS = """
    SELECT number, groups FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    ORDER BY number, first_record
"""

_BLOCKS = """
    SELECT number, coalesce(minimum_at, first_time), coalesce(maximum_at, first_time), minimum, maximum FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    ORDER BY number, first_record
"""


def trend(session: Session, run: uuid.UUID, number: int, start: int, end: int, points: int) -> Series:
    """What a trend of about `points` pixels needs of one channel, from `start` to before `end` (microseconds)."""
    return trends(session, run, [number], start, end, points)[number]


def trends(
    session: Session, run: uuid.UUID, numbers: Sequence[int], start: int, end: int, points: int
) -> dict[int, Series]:
    """The same of several channels, by number."""
    counts = binary_rows.fetched(session, _COUNTS, run=run, numbers=list(numbers), start=start, end=end)
    ways: dict[Any, list[int]] = {}
    for number, count, blocks, grouped in counts:
        ways.setdefault(_way(int(count), blocks, grouped == blocks, end - start, points), []).append(number)
    found = dict.fromkeys(numbers, EMPTY)
    for way, mine in ways.items():
        match way:
            case "samples":
                series = several(session, run, mine, start, end)
            case "groups":
                series = _from_groups(session, run, mine, start, end)
            case "blocks":
                series = _from_blocks(session, run, mine, start, end)
            case width:
                series = {n: _from_summaries(session, run, n, start, end, width) for n in mine}
        for number, one in series.items():
            kept = thin(one.times, one.values, one.qualities, points)
            found[number] = Series(one.times[kept], one.values[kept], one.qualities[kept])
    return found


EMPTY = Series(np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64))


def _way(count: int, blocks: int, grouped: bool, length: int, points: int) -> str | int:
    """Where a picture is made from; of summaries, their width."""
    fitting = [width for width in (WIDTHS if grouped else OLDER) if width * points <= length]
    if not grouped:
        return fitting[-1] if count > 50 * points and fitting else "samples"
    if count <= DIRECT * points:
        return "samples"
    if fitting:
        return fitting[-1]
    # Short blocks at the end of a run in progress are not counted as if they were whole.
    return "blocks" if count / FULL >= BLOCKS_A_PIXEL * points else "groups"


def _from_groups(
    session: Session, run: uuid.UUID, numbers: Sequence[int], start: int, end: int
) -> dict[int, Series]:
    rows = binary_rows.fetched(session, _GROUPS, run=run, numbers=list(numbers), start=start, end=end)
    found = dict.fromkeys(numbers, EMPTY)
    for number, own in groupby(rows, key=itemgetter(0)):
        groups = np.frombuffer(b"".join(packed for _, packed in own), GROUPS)
        empty = np.isnan(groups["low"])
        low_at = np.where(empty, groups["time"], groups["low_at"])
        last = np.maximum(np.maximum(low_at, groups["high_at"]), groups["time"])
        groups, low_at = groups[near := (last >= start) & (groups["time"] < end)], low_at[near]
        found[number] = _drawn(low_at, groups["high_at"], groups["low"], groups["high"], groups["worst"])
    return found


def _from_blocks(
    session: Session, run: uuid.UUID, numbers: Sequence[int], start: int, end: int
) -> dict[int, Series]:
    rows = binary_rows.fetched(session, _BLOCKS, run=run, numbers=list(numbers), start=start, end=end)
    found = dict.fromkeys(numbers, EMPTY)
    for number, own in groupby(rows, key=itemgetter(0)):
        _, low_at, high_at, low, high = zip(*own, strict=True)
        worst = np.full(len(low), int(Quality.NO_READING))
        found[number] = _drawn(
            np.array(low_at, np.int64),
            np.array(high_at, np.int64),
            np.array([np.nan if one is None else one for one in low], np.float64),
            np.array([np.nan if one is None else one for one in high], np.float64),
            worst,
        )
    return found


def _from_summaries(
    session: Session, run: uuid.UUID, number: int, start: int, end: int, width: int
) -> Series:
    rows = session.execute(
        select(Summary.start, Summary.minimum, Summary.maximum, Summary.worst)
        .where(
            Summary.run_id == run,
            Summary.number == number,
            Summary.width == width,
            Summary.start >= start - width,
            Summary.start < end,
        )
        .order_by(Summary.start)
    ).all()
    starts = np.array([row[0] for row in rows], np.int64)
    low, high = (
        np.array([np.nan if row[place] is None else row[place] for row in rows], np.float64)
        for place in (1, 2)
    )
    worst = np.array([row[3] for row in rows], np.int64)
    return _drawn(starts + width // 4, starts + width * 3 // 4, low, high, worst)


def _drawn(
    low_at: npt.NDArray[np.int64],
    high_at: npt.NDArray[np.int64],
    low: npt.NDArray[np.float64],
    high: npt.NDArray[np.float64],
    worst: npt.NDArray[Any],
) -> Series:
    """Two samples for each, lowest and highest in the order they came, or one without a number."""
    empty = np.isnan(low)
    first = low_at <= high_at
    times, values = np.empty(2 * len(low), np.int64), np.empty(2 * len(low))
    times[0::2], times[1::2] = np.where(first | empty, low_at, high_at), np.where(first, high_at, low_at)
    values[0::2], values[1::2] = np.where(first, low, high), np.where(first, high, low)
    nothing = np.maximum(worst.astype(np.int64), int(Quality.NO_READING))
    qualities = np.repeat(np.where(empty, nothing, int(Quality.OK)), 2)
    keep = np.ones(2 * len(low), np.bool_)
    keep[1::2] = ~empty
    return Series(times[keep], values[keep], qualities[keep])
