"""What a trend needs of a run: from single samples, from groups of neighbours, from whole blocks or from summaries, by how many samples a pixel stands for."""

import uuid
from collections.abc import Sequence
from itertools import groupby
from operator import itemgetter
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.core.thinning import thin
from tidybench.records import binary_rows
from tidybench.records.blocks import FULL, WIDTHS, Series, several
from tidybench.records.groups import GROUP, GROUPS, WIDE

DIRECT = 24
"""Samples a pixel up to which they are read one by one."""

FINE = 0.375
"""Of groups, wide groups and blocks so many a pixel are fine enough: the widest of which there are as many are read."""

OLDER = (10_000_000, *WIDTHS)
"""Summaries of runs whose blocks have no groups."""

_COUNTS = """
    SELECT number, sum(count) FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    GROUP BY number
"""

_OLD = """
    SELECT EXISTS (SELECT FROM summary WHERE run_id = %(run)s AND summary.number = one AND width = 10000000)
    FROM unnest(%(numbers)s::int[]) AS one
"""

_GROUPED = "SELECT EXISTS (SELECT FROM sample_block WHERE run_id = %(run)s AND groups IS NOT NULL)"

Age = Literal["new", "old", "mixed"]
"""Whether all blocks of a run have groups; none has, and there are summaries of ten seconds; or some have and some have not: it was on while Tidy Bench was replaced by a
newer one, and neither is there for all of it."""

_SUMMARIES = """
    SELECT number, start, minimum, maximum, worst, count FROM summary
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND width = %(width)s AND start >= %(since)s AND start < %(end)s
    ORDER BY number, start
"""

_GROUPS = """
    SELECT number, groups FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    ORDER BY number, first_record
"""

# Blocks of before 2026-11-28 have none that are wide.
_WIDE = _GROUPS.replace("groups", "coalesce(wide_groups, groups)", 1)

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
    found = dict.fromkeys(numbers, EMPTY)
    age = _age(session, run, numbers)
    fitting = [width for width in WIDTHS if width * points <= end - start]
    counts: dict[int, int] = {}
    if fitting and age == "new":
        # So wide that there are many, as a rule: summaries say themselves how many.
        drawn = _from_summaries(session, run, numbers, start, end, fitting[-1])
        counts = {number: count for number, (_, count) in drawn.items()}
    else:
        rows = binary_rows.fetched(session, _COUNTS, run=run, numbers=list(numbers), start=start, end=end)
        counts = {number: int(count) for number, count in rows}
    ways: dict[Any, list[int]] = {}
    for number, count in counts.items():
        ways.setdefault(_way(count, age, end - start, points), []).append(number)
    for way, mine in ways.items():
        match way:
            case "samples":
                series = several(session, run, mine, start, end)
            case "groups":
                series = _from_groups(session, _GROUPS, run, mine, start, end)
            case "wide groups":
                series = _from_groups(session, _WIDE, run, mine, start, end)
            case "blocks":
                series = _from_blocks(session, run, mine, start, end)
            case width:
                if age != "new":
                    drawn = _from_summaries(session, run, mine, start, end, width)
                series = {number: drawn[number][0] for number in mine if number in drawn}
        for number, one in series.items():
            kept = thin(one.times, one.values, one.qualities, points)
            found[number] = Series(one.times[kept], one.values[kept], one.qualities[kept])
    return found


EMPTY = Series(np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64))


def _age(session: Session, run: uuid.UUID, numbers: Sequence[int]) -> Age:
    if not any(row[0] for row in binary_rows.fetched(session, _OLD, run=run, numbers=list(numbers))):
        return "new"
    grouped = binary_rows.fetched(session, _GROUPED, run=run)
    return "mixed" if grouped[0][0] else "old"


def _way(count: int, age: Age, length: int, points: int) -> str | int:
    """Where a picture is made from; of summaries, their width."""
    fitting = [width for width in (OLDER if age == "old" else WIDTHS) if width * points <= length]
    if age != "new":
        return fitting[-1] if count > 50 * points and fitting else "samples"
    if count <= DIRECT * points:
        return "samples"
    if fitting:
        return fitting[-1]
    # Short blocks at the end of a run in progress are not counted as if they were whole.
    if count >= FINE * points * FULL:
        return "blocks"
    return "wide groups" if count >= FINE * points * GROUP * WIDE else "groups"


def _from_groups(
    session: Session, statement: str, run: uuid.UUID, numbers: Sequence[int], start: int, end: int
) -> dict[int, Series]:
    rows = binary_rows.fetched(session, statement, run=run, numbers=list(numbers), start=start, end=end)
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
            _or_nan(low),
            _or_nan(high),
            worst,
        )
    return found


def _from_summaries(
    session: Session, run: uuid.UUID, numbers: Sequence[int], start: int, end: int, width: int
) -> dict[int, tuple[Series, int]]:
    """And how many samples they are made of."""
    rows = binary_rows.fetched(
        session, _SUMMARIES, run=run, numbers=list(numbers), width=width, since=start - width, end=end
    )
    found = {}
    for number, own in groupby(rows, key=itemgetter(0)):
        _, starts, low, high, worst, counts = zip(*own, strict=True)
        begins = np.array(starts, np.int64)
        series = _drawn(
            begins + width // 4,
            begins + width * 3 // 4,
            _or_nan(low),
            _or_nan(high),
            np.array(worst, np.int64),
        )
        found[number] = series, sum(counts)
    return found


def _or_nan(values: Sequence[float | None]) -> npt.NDArray[np.float64]:
    return np.array([np.nan if one is None else one for one in values], np.float64)


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
