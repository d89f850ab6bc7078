"""Samples into blocks and summaries, and out again."""

import uuid
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import isfinite
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of
from tidybench.core.values.moments import Moments
from tidybench.records import binary_rows
from tidybench.records.groups import GROUP, WIDE, Groups, groups_of, wider
from tidybench.records.models import SampleBlock, Summary

FULL = 4096
"""Samples of a whole block."""

WIDTHS = (600_000_000, 14_400_000_000)
"""The pyramid of summaries: 10 min, 4 h; each holds the one before whole times. Runs of before 2026-11-28 have some of 10 s too."""

Records = npt.NDArray[np.void]


@dataclass(slots=True, frozen=True)
class Series:
    """Samples of one channel: times in microseconds, values (NaN where not measured), qualities."""

    times: npt.NDArray[np.int64]
    values: npt.NDArray[np.float64]
    qualities: npt.NDArray[np.int64]


@dataclass(slots=True, frozen=True)
class _Own:
    """A channel's samples in order: `places`: that of each in samples.bin."""

    number: int
    places: npt.NDArray[np.int64]
    series: Series


@dataclass(slots=True, frozen=True)
class Prepared:
    """Records of samples.bin by channel, as they go into the database. `count`: how many they are."""

    run: uuid.UUID
    count: int
    channels: list[_Own]


def prepare(run: uuid.UUID, first_record: int, records: Records) -> Prepared:
    """Sort records, the first of which stands at place `first_record` of samples.bin, by channel. It touches no database: any thread may
    do it while another one writes."""
    if not len(records):
        return Prepared(run, 0, [])
    numbers = channels_of(records)
    order = np.argsort(numbers, kind="stable")
    numbers, qualities = numbers[order], qualities_of(records)[order]
    times, values = records["time"][order], records["value"][order]
    places = order + first_record
    edges = [0, *(np.flatnonzero(np.diff(numbers)) + 1).tolist(), len(records)]
    own = [
        _Own(
            int(numbers[start]),
            places[start:end],
            Series(times[start:end], values[start:end], qualities[start:end].astype(np.int64)),
        )
        for start, end in pairwise(edges)
    ]
    return Prepared(run, len(records), own)


def append(session: Session, prepared: Prepared) -> None:
    """Add them. Rows and summaries are made while the database takes those before."""
    if not prepared.channels:
        return
    summaries: list[_Summaries] = []
    _insert(session, _rows(prepared, summaries))
    _add_summaries(session, prepared.run, summaries)


def _rows(prepared: Prepared, summaries: "list[_Summaries]") -> Iterator[bytes]:
    """Rows of blocks; `summaries` gets those of their samples."""
    for own in prepared.channels:
        series = own.series
        groups = groups_of(series.times, series.values, series.qualities)
        wide = wider(groups)
        sums = _whole_sums(series)
        elements = [
            binary_rows.made(kind, values)
            for kind, values in (
                ("int8", series.times),
                ("float8", series.values),
                ("int2", series.qualities),
            )
        ]
        for number, start in enumerate(range(0, len(own.places), FULL)):
            end = start + FULL
            # A whole block is made of whole groups, and of whole wide ones.
            block = _block(
                prepared.run,
                own.number,
                int(own.places[start]),
                _cut(series, start, end),
                groups[start // GROUP : end // GROUP],
                wide[start // (GROUP * WIDE) : end // (GROUP * WIDE)],
                sums[number] if number < len(sums) else None,
            )
            yield _row(block, [one[start:end] for one in elements])
        summaries += _pyramid(own.number, series)


def _whole_sums(series: Series) -> list[Moments]:
    """Of the whole blocks of a channel, at once, where all of them was measured; else of none."""
    count = len(series.times) // FULL
    part = _cut(series, 0, count * FULL)
    if not count or int(part.qualities.max()) > Quality.FLAGGED:
        return []
    return Moments.of_rows(part.times.reshape(count, FULL), part.values.reshape(count, FULL))


def clear(session: Session, run: uuid.UUID) -> None:
    """Take all samples of a run out again."""
    for table in (SampleBlock, Summary):
        session.execute(delete(table).where(table.run_id == run))


def _block(
    run: uuid.UUID,
    number: int,
    first_record: int,
    series: Series,
    groups: Groups,
    wide: Groups,
    sums: Moments | None = None,
) -> dict[str, Any]:
    if sums is None:
        good = series.qualities <= Quality.FLAGGED
        sums = Moments.of(series.times[good], series.values[good])
    some = sums.count > 0
    lowest, highest = _extremes(groups) if some else (None, None)
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
        "by_quality": np.bincount(series.qualities, minlength=len(Quality)),
        "minimum_at": lowest,
        "maximum_at": highest,
        "groups": groups.tobytes(),
        "wide_groups": wide.tobytes(),
        "times": series.times,
        "values": series.values,
        "qualities": series.qualities,
    }


def _extremes(groups: Groups) -> tuple[int | None, int | None]:
    """When a block had its lowest and its highest value."""
    low, high = groups["low"], groups["high"]
    if np.isnan(low).any():
        if np.isnan(low).all():
            return None, None
        lowest, highest = np.nanargmin(low), np.nanargmax(high)
    else:
        lowest, highest = low.argmin(), high.argmax()
    return int(groups["low_at"][lowest]), int(groups["high_at"][highest])


COLUMNS = {
    "first_record": "int8", "first_time": "int8", "last_time": "int8", "count": "int4", "measured": "int4", "minimum": "float8",
    "maximum": "float8", "mean": "float8", "spread": "float8", "time_mean": "float8", "time_spread": "float8", "both": "float8",
    "minimum_at": "int8", "maximum_at": "int8",
}  # fmt: skip
ARRAYS = {"by_quality": "int4", "times": "int8", "values": "float8", "qualities": "int2"}
SAMPLES = ("times", "values", "qualities")


def _row(block: dict[str, Any], elements: Sequence[npt.NDArray[Any]] | None = None) -> bytes:
    """A block as `_block` makes it. `elements`: of its times, values and qualities, where they are made already."""
    ready = elements or [binary_rows.made(ARRAYS[name], block[name]) for name in SAMPLES]
    return b"".join(
        (
            binary_rows.key(block["run_id"]),
            binary_rows.plain("int4", block["number"]),
            *(binary_rows.plain(kind, block[name]) for name, kind in COLUMNS.items()),
            binary_rows.array("int4", block["by_quality"]),
            *(binary_rows.packed(ARRAYS[name], one) for name, one in zip(SAMPLES, ready, strict=True)),
            binary_rows.raw(block["groups"]),
            binary_rows.raw(block["wide_groups"]),
        )
    )


def _insert(session: Session, rows: Iterable[bytes]) -> None:
    """Rows of blocks, as `_row` makes them."""
    columns = ["run_id", "number", *COLUMNS, *ARRAYS, "groups", "wide_groups"]
    binary_rows.copy_rows(session, SampleBlock.__tablename__, columns, rows)


@dataclass(slots=True, frozen=True)
class _Summaries:
    """Those of one channel and width, as columns. `low` and `high` are infinite where nothing was measured."""

    number: int
    width: int
    starts: npt.NDArray[np.int64]
    counts: npt.NDArray[np.int64]
    measured: npt.NDArray[np.int64]
    low: npt.NDArray[np.float64]
    high: npt.NDArray[np.float64]
    totals: npt.NDArray[np.float64]
    worst: npt.NDArray[np.int64]

    def only(self, which: npt.NDArray[np.bool_]) -> "_Summaries":
        """Some of them."""
        return _Summaries(
            number=self.number,
            width=self.width,
            starts=self.starts[which],
            counts=self.counts[which],
            measured=self.measured[which],
            low=self.low[which],
            high=self.high[which],
            totals=self.totals[which],
            worst=self.worst[which],
        )


def _pyramid(number: int, series: Series) -> list[_Summaries]:
    """The summaries of a channel, the narrowest first; each of the others is made of the one before."""
    starts, values, qualities = series.times // WIDTHS[0] * WIDTHS[0], series.values, series.qualities
    if np.any(starts[1:] < starts[:-1]):  # bytes that were held back come out of order
        order = np.argsort(starts, kind="stable")
        starts, values, qualities = starts[order], values[order], qualities[order]
    good = qualities <= Quality.FLAGGED
    one = np.ones(len(starts), np.int64)
    infinite = np.float64(np.inf)
    level = _Summaries(
        number=number,
        width=WIDTHS[0],
        starts=starts,
        counts=one,
        measured=good.astype(np.int64),
        low=np.where(good, values, infinite),
        high=np.where(good, values, -infinite),
        totals=np.where(good, values, 0.0),
        worst=qualities,
    )
    levels = []
    for width in WIDTHS:
        level = _wider(level, width)
        levels.append(level)
    return levels


def _wider(level: _Summaries, width: int) -> _Summaries:
    """Summaries of a greater width, of which the smaller one is a part."""
    starts = level.starts // width * width
    edges = np.flatnonzero(np.r_[True, starts[1:] != starts[:-1]])
    return _Summaries(
        number=level.number,
        width=width,
        starts=starts[edges],
        counts=np.add.reduceat(level.counts, edges),
        measured=np.add.reduceat(level.measured, edges),
        low=np.minimum.reduceat(level.low, edges),
        high=np.maximum.reduceat(level.high, edges),
        totals=np.add.reduceat(level.totals, edges),
        worst=np.maximum.reduceat(level.worst, edges),
    )


_ADD_SUMMARIES = text("""
    INSERT INTO summary (run_id, number, width, start, count, measured, minimum, maximum, total, worst)
    SELECT :run, * FROM unnest(
        cast(:number AS int[]), cast(:width AS bigint[]), cast(:start AS bigint[]), cast(:count AS int[]), cast(:measured AS int[]),
        cast(:minimum AS double precision[]), cast(:maximum AS double precision[]), cast(:total AS double precision[]),
        cast(:worst AS smallint[])
    )
    ON CONFLICT (run_id, number, width, start) DO UPDATE SET
        count = summary.count + excluded.count,
        measured = summary.measured + excluded.measured,
        minimum = least(summary.minimum, excluded.minimum),
        maximum = greatest(summary.maximum, excluded.maximum),
        total = summary.total + excluded.total,
        worst = greatest(summary.worst, excluded.worst)
""")


def _add_summaries(session: Session, run: uuid.UUID, found: list[_Summaries]) -> None:
    """Those that are there already are added to, at the edges of what was imported before; the others are copied in."""
    fresh, known = [], []
    for width in WIDTHS:
        own = [one for one in found if one.width == width]
        there = session.execute(
            select(Summary.number, Summary.start).where(
                Summary.run_id == run,
                Summary.width == width,
                Summary.number.in_([one.number for one in own]),
                Summary.start.between(
                    min(int(one.starts[0]) for one in own), max(int(one.starts[-1]) for one in own)
                ),
            )
        ).all()
        for one in own:
            old = np.isin(
                one.starts, np.array([start for number, start in there if number == one.number], np.int64)
            )
            fresh.append(one.only(~old))
            known.append(one.only(old))
    rows = b"".join(_summary_rows(run, one) for one in fresh)
    binary_rows.copy_made(session, Summary.__tablename__, ["run_id", "number", "width", *SUMMARY], rows)
    if any(len(one.starts) for one in known):
        _add_to_known(session, run, known)


SUMMARY = {
    "start": "int8", "count": "int4", "measured": "int4", "total": "float8", "worst": "int2", "minimum": "float8", "maximum": "float8",
}  # fmt: skip


def _summary_rows(run: uuid.UUID, one: _Summaries) -> bytes:
    head = binary_rows.key(run) + binary_rows.plain("int4", one.number) + binary_rows.plain("int8", one.width)
    made = b""
    for which, kinds in (
        (one.measured > 0, SUMMARY),
        (one.measured == 0, {**SUMMARY, "minimum": "", "maximum": ""}),
    ):
        part = one.only(which)
        columns = (part.starts, part.counts, part.measured, part.totals, part.worst, part.low, part.high)
        made += binary_rows.many(head, 3, list(kinds.values()), columns)
    return made


def _add_to_known(session: Session, run: uuid.UUID, found: list[_Summaries]) -> None:
    def joined(name: str) -> list[Any]:
        return [value for one in found for value in getattr(one, name).tolist()]

    def repeated(name: str) -> list[int]:
        return [getattr(one, name) for one in found for _ in one.starts]

    def or_null(values: list[float]) -> list[float | None]:
        return [value if isfinite(value) else None for value in values]

    session.execute(
        _ADD_SUMMARIES,
        {
            "run": run,
            "number": repeated("number"),
            "width": repeated("width"),
            "start": joined("starts"),
            "count": joined("counts"),
            "measured": joined("measured"),
            "minimum": or_null(joined("low")),
            "maximum": or_null(joined("high")),
            "total": joined("totals"),
            "worst": joined("worst"),
        },
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
    rows = []
    for start in range(0, total, FULL):
        part = _cut(series, start, min(start + FULL, total))
        grouped = groups_of(part.times, part.values, part.qualities)
        rows.append(
            _row(_block(run, number, _record_at(blocks, firsts, start), part, grouped, wider(grouped)))
        )
    session.execute(delete(SampleBlock).where(*short).execution_options(synchronize_session=False))
    for block in blocks:
        session.expunge(block)
    _insert(session, rows)


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


_Arrays = tuple[bytes, bytes, bytes | None]

# An array is sent element by element: qualities that are all the same need not be.
_SAMPLES = """
    SELECT number, array_send(times), array_send("values"),
        CASE WHEN by_quality[1] = count THEN NULL ELSE array_send(qualities) END
    FROM sample_block
    WHERE run_id = %(run)s AND number = ANY(%(numbers)s) AND last_time >= %(start)s AND first_time < %(end)s
    ORDER BY number, first_record
"""


def series_of(session: Session, run: uuid.UUID, number: int, start: int, end: int) -> Series:
    """All samples of a channel from `start` to before `end`."""
    return several(session, run, [number], start, end)[number]


def several(
    session: Session, run: uuid.UUID, numbers: Sequence[int], start: int, end: int
) -> dict[int, Series]:
    """All samples of some channels from `start` to before `end`."""
    rows = binary_rows.fetched(session, _SAMPLES, run=run, numbers=list(numbers), start=start, end=end)
    blocks: dict[int, list[_Arrays]] = {number: [] for number in numbers}
    for number, *arrays in rows:
        blocks[number].append((arrays[0], arrays[1], arrays[2]))
    return {number: _unpacked(own, start, end) for number, own in blocks.items()}


def _unpacked(blocks: list[_Arrays], start: int, end: int) -> Series:
    if not blocks:
        return Series(np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64))
    each = [binary_rows.elements("int8", packed) for packed, _, _ in blocks]
    marked = [
        binary_rows.elements("int2", packed) if packed is not None else np.full(len(own), int(Quality.OK), np.int16)
        for (_, _, packed), own in zip(blocks, each, strict=True)
    ]  # fmt: skip
    times = np.concatenate(each)
    values = np.concatenate([binary_rows.elements("float8", packed) for _, packed, _ in blocks])
    inside = (times >= start) & (times < end)
    return Series(times[inside], values[inside], np.concatenate(marked)[inside].astype(np.int64))


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


def first_past(session: Session, run: uuid.UUID, number: int, level: float, rising: bool) -> int | None:
    """When a channel of a run first passed a level: its first sample at or beyond it behind a measured one on the other side, or its very first; microseconds since 1970
    UTC, None for never. Blocks that lie on one side are not read."""
    sign = 1.0 if rising else -1.0
    farthest = SampleBlock.maximum if rising else SampleBlock.minimum
    rows = session.execute(
        select(SampleBlock.first_record, farthest)
        .where(SampleBlock.run_id == run, SampleBlock.number == number, farthest.is_not(None))
        .order_by(SampleBlock.first_record)
    ).all()
    beyond = False  # of the sample before
    for place, (first_record, most) in enumerate(rows):
        if most is None or sign * (most - level) < 0:
            beyond = False
            continue
        block = session.get_one(SampleBlock, (run, number, first_record))
        good = np.array(block.qualities) <= Quality.FLAGGED
        past = sign * (np.array(block.values)[good] - level) >= 0
        passes = np.flatnonzero(past & ~np.r_[beyond and place > 0, past[:-1]])
        if len(passes):
            return int(np.array(block.times)[good][passes[0]])
        beyond = bool(past[-1])
    return None
