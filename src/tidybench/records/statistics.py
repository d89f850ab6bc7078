"""Exact statistics of a run's channels over any stretch: whole blocks by their sums, the blocks at its ends by their samples."""

import uuid
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from sqlalchemy import and_, select
from sqlalchemy.orm import Session

from tidybench.core.values.moments import Moments
from tidybench.core.values.statistics import Gathering
from tidybench.records.models import SampleBlock

Block = SampleBlock


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

    rows: Iterable[Any] = session.execute(
        select(
            Block.number, Block.measured, Block.first_time, Block.last_time, Block.by_quality,
            Block.mean, Block.spread, Block.minimum, Block.maximum, Block.time_mean, Block.time_spread, Block.both,
        )
        .where(*mine, summed)
        .order_by(Block.number, Block.first_record)
    )  # fmt: skip
    for row in rows:
        number, measured, first, last, by_quality, *sums = row
        mean, spread, low, high, time, time_spread, both = sums
        made = (
            Moments(measured, mean, spread, low, high, first, time, time_spread, both)
            if measured
            else Moments()
        )
        of(number).add_sums(made, by_quality, first, last)
    rest = select(Block.number, Block.times, Block.values, Block.qualities).where(
        *mine, ~summed, Block.last_time >= start, Block.first_time < latest
    )
    for number, times, values, qualities in session.execute(
        rest.order_by(Block.number, Block.first_record).execution_options(yield_per=50)
    ):
        at = np.array(times, np.int64)
        kept = (at >= start) & (at < ends[number])
        if kept.any():
            of(number).add(at[kept], np.array(values, np.float64)[kept], np.array(qualities, np.int64)[kept])
    return found
