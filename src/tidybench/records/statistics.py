"""Exact statistics of a run's channels over any stretch: whole blocks by their sums, the blocks at its ends by their samples."""

import json
import uuid
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from sqlalchemy import ColumnElement, Select, and_, func, select
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.core.values.moments import Moments
from tidybench.core.values.statistics import Gathering, Statistics
from tidybench.records import binary_rows
from tidybench.records.models import RunChannel, SampleBlock

Block = SampleBlock

ALL_TIMES = 0, 2**62


def of_channels(
    session: Session, run: uuid.UUID, channels: Sequence[RunChannel], start: int, end: int
) -> list[Statistics]:
    """Of each of these channels of a run, from `start` to before `end` (microseconds). What holds all samples of a channel is not worked out again."""
    kept = {one.number: whole for one in channels if (whole := _whole_within(one, start, end)) is not None}
    rest = {one.number: one.states for one in channels if one.number not in kept}
    found = gather(session, run, rest, start, end) if rest else {}
    return [kept.get(c.number) or found.get(c.number, Gathering(c.states)).statistics for c in channels]


def keep_whole(session: Session, run: uuid.UUID) -> None:
    """All samples of a run are in its blocks now: what they come to is worked out once."""
    channels = session.scalars(select(RunChannel).where(RunChannel.run_id == run)).all()
    for one in channels:
        one.whole = None
    for one, made in zip(channels, of_channels(session, run, channels, *ALL_TIMES), strict=True):
        one.whole = json.loads(made.model_dump_json())  # what is not finite is null


def _whole_within(channel: RunChannel, start: int, end: int) -> Statistics | None:
    """What was kept of it, where all its samples lie within."""
    if channel.whole is None or set(channel.whole) != set(Statistics.model_fields):
        return None  # another version kept other figures
    whole = Statistics.model_validate(channel.whole)
    if whole.first is None or whole.last is None:
        return whole
    return whole if start <= whole.first and whole.last < end else None


def gather(
    session: Session,
    run: uuid.UUID,
    channels: Mapping[int, Sequence[str]],
    start: int,
    ends: int | Mapping[int, int],
    into: Mapping[int, Gathering] | None = None,
) -> dict[int, Gathering]:
    """The samples of a run from `start` to before `ends` (microseconds; one time, or each channel's own by its number), by
    channel number. `channels`: the words of their states by number. `into`: what is gathered on."""
    found = dict(into or {})
    if isinstance(ends, int):
        ends = dict.fromkeys(channels, ends)
    # Where the channels' ends lie apart, what lies between them is read sample by sample.
    soonest, latest = min(ends.values(), default=start), max(ends.values(), default=start)
    inside = and_(Block.first_time >= start, Block.last_time < soonest)
    # Those of before have no sums, and words are counted one by one.
    worded = [number for number, words in channels.items() if words]
    summed = and_(inside, Block.by_quality.is_not(None), Block.number.not_in(worded))
    mine = (Block.run_id == run, Block.number.in_(list(channels)))

    def of(number: int) -> Gathering:
        if number not in found:
            found[number] = Gathering(channels[number])
        return found[number]

    for row in session.execute(_summed(and_(*mine, summed))):
        number, count, mean, spread, low, high, first, last, time, times, both, *by_quality = row
        made = Moments(count, mean, spread, low, high, first, time, times, both) if count else Moments()
        of(number).add_sums(made, by_quality, first, last)
    edges = and_(*mine, ~summed, Block.last_time >= start, Block.first_time < latest)
    rest = (
        select(
            Block.number, func.array_send(Block.times), func.array_send(Block.values), func.array_send(Block.qualities)
        )
        .where(edges)
        .order_by(Block.number, Block.first_record)
    )  # fmt: skip
    for number, *packed in session.execute(rest.execution_options(yield_per=50)):
        at = binary_rows.elements("int8", packed[0])
        kept = (at >= start) & (at < ends[number])
        if kept.any():
            values, qualities = (
                binary_rows.elements("float8", packed[1]),
                binary_rows.elements("int2", packed[2]),
            )
            of(number).add(at[kept], values[kept], qualities[kept].astype(np.int64))
    return found


def _summed(which: ColumnElement[bool]) -> Select[Any]:
    """The sums of whole blocks joined by the database, a row for each channel: what `Moments.join` does one by one, in two passes. Times count from the first of all."""
    own = (
        select(
            Block.number, Block.measured, Block.mean, Block.spread, Block.minimum, Block.maximum, Block.first_time, Block.last_time,
            (Block.time_mean + (Block.first_time - func.min(Block.first_time).over(partition_by=Block.number)) / 1e6).label("time"),
            Block.time_spread, Block.both, Block.by_quality,
        )
        .where(which)
        .cte("own")
    )  # fmt: skip
    total = func.nullif(func.sum(own.c.measured).over(partition_by=own.c.number), 0)
    # Window functions keep to one pass for each: a join of the two is planned without knowing how many blocks there are.
    beside = select(
        own,
        (func.sum(own.c.measured * own.c.mean).over(partition_by=own.c.number) / total).label("middle"),
        (func.sum(own.c.measured * own.c.time).over(partition_by=own.c.number) / total).label("middle_time"),
    ).cte("beside")
    c, n = beside.c, beside.c.measured
    apart, later = c.mean - c.middle, c.time - c.middle_time
    return select(
        c.number,
        func.sum(n),
        func.min(c.middle),
        func.sum(c.spread + n * apart * apart),
        func.min(c.minimum),
        func.max(c.maximum),
        func.min(c.first_time),
        func.max(c.last_time),
        func.min(c.middle_time),
        func.sum(c.time_spread + n * later * later),
        func.sum(c.both + n * apart * later),
        *(func.coalesce(func.sum(c.by_quality[place + 1]), 0) for place in range(len(Quality))),
    ).group_by(c.number)
