"""What a trend is drawn from, whichever way it is read: no spike lost, nothing drawn that was never measured, nothing where nothing was."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from tests.records.test_records import NOW, new_run
from tidybench.core.samples import DTYPE
from tidybench.records import blocks
from tidybench.records.groups import GROUP, GROUPS, WIDE, groups_of, wider
from tidybench.records.trends import _way, trend

STEP = 100_000
HOLE = (2_000, 3_500)
"""Samples that were never logged."""
LOST = (9_000, 9_700)
"""Samples that were not measured."""


def samples(count: int, seed: int) -> Any:
    """One channel at 10 Hz: a walk with single spikes, a hole and a stretch that was not measured."""
    dice = np.random.default_rng(seed)
    records = np.zeros(count, DTYPE)
    records["word"] = ((np.arange(count, dtype=np.uint64) + np.uint64(1)) << np.uint64(24)) | np.uint64(
        1 << 8
    )
    records["time"] = NOW + np.arange(count) * STEP
    records["value"] = np.cumsum(dice.normal(0, 0.1, count))
    records["value"][dice.integers(0, count, 9)] += dice.normal(0, 90, 9)
    records["word"][LOST[0] : LOST[1]] |= np.uint64(7)
    records["value"][LOST[0] : LOST[1]] = np.nan
    return np.delete(records, slice(*HOLE))


@pytest.fixture(scope="module")
def logged() -> Any:
    return samples(60_000, 4)


def kept(session: Session, logged: Any) -> Any:
    run = new_run(session)
    dice, at = np.random.default_rng(1), 0
    while at < len(logged):
        size = int(dice.integers(500, 9000))
        blocks.append(session, blocks.prepare(run, at, logged[at : at + size]))
        blocks.merge(session, run)
        at += size
    return run


@pytest.mark.parametrize("way", ["samples", "groups", "wide groups", "blocks"])
@pytest.mark.parametrize("part", [(0, 60_000), (1_000, 12_000), (30_123, 47_777), (8_000, 9_500)])
def test_every_way_shows_what_was_measured_and_nothing_else(
    engine: Engine, logged: Any, way: str, part: tuple[int, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tidybench.records.trends._way", lambda *_: way)
    start, end = NOW + part[0] * STEP, NOW + part[1] * STEP
    with Session(engine) as session, session.begin():
        run = kept(session, logged)
        drawn = trend(session, run, 1, start, end, 400)
        session.rollback()
    inside = logged[(logged["time"] >= start) & (logged["time"] < end)]
    measured = inside[np.isfinite(inside["value"])]
    good = drawn.qualities <= 1
    # Every value is one that was logged, at its very time.
    known = dict(zip(logged["time"].tolist(), logged["value"].tolist(), strict=True))
    assert all(
        known[at] == value
        for at, value in zip(drawn.times[good].tolist(), drawn.values[good].tolist(), strict=True)
    )
    assert (np.diff(drawn.times) >= 0).all()
    # The outermost spikes are there; of what stands at both edges, one group or block.
    width = {"samples": 0, "groups": GROUP, "wide groups": GROUP * WIDE, "blocks": blocks.FULL}[way]
    edge = width * STEP
    well = measured[(measured["time"] >= start + edge) & (measured["time"] < end - edge)]["value"]
    if len(well):
        assert drawn.values[good].min() <= well.min()
        assert drawn.values[good].max() >= well.max()
    # Nothing in the hole, and a break where nothing was measured.
    hole = (drawn.times >= NOW + HOLE[0] * STEP) & (drawn.times < NOW + HOLE[1] * STEP)
    assert not hole.any()
    lost = (drawn.times >= NOW + LOST[0] * STEP) & (drawn.times < NOW + LOST[1] * STEP)
    assert (drawn.qualities[lost] > 1).all()
    if way != "blocks":
        assert drawn.times.min() >= start - edge
        assert drawn.times.max() < end + edge
        if width <= GROUP and part[0] < LOST[0] and part[1] > LOST[1]:
            assert lost.any()


def test_which_way_is_taken() -> None:
    hour, points = 3_600_000_000, 1500
    assert _way(36_000, "new", hour, points) == "samples"
    assert _way(200_000, "new", hour, points) == "groups"
    assert _way(864_000, "new", 24 * hour, points) == "wide groups"
    assert _way(3_600_000, "new", hour, points) == "blocks"
    assert _way(9_000_000, "new", 24 * 11 * hour, points) == 600_000_000
    assert _way(36_000, "new", 24 * 11 * hour, points) == "samples"
    assert _way(360_000, "old", 10 * hour, points) == 10_000_000  # of before: their summaries of ten seconds
    assert _way(360_000, "old", hour, points) == "samples"
    assert _way(360_000, "mixed", 10 * hour, points) == "samples"
    assert _way(9_000_000, "mixed", 24 * 11 * hour, points) == 600_000_000


def test_a_run_of_before_is_drawn_from_its_samples_or_its_own_summaries(engine: Engine, logged: Any) -> None:
    with Session(engine) as session, session.begin():
        run = kept(session, logged)
        stretch = (NOW, NOW + 60_000 * STEP)
        now = trend(session, run, 1, *stretch, 500)
        session.execute(text("UPDATE sample_block SET groups = NULL WHERE run_id = :run"), {"run": run})
        session.execute(
            text(
                "INSERT INTO summary SELECT run_id, number, 10000000, t / 10000000 * 10000000, count(*), count(nullif(v, 'NaN')), min(nullif(v, 'NaN')), max(nullif(v, 'NaN')), "
                "coalesce(sum(nullif(v, 'NaN')), 0), max(q) FROM (SELECT run_id, number, unnest(times) AS t, unnest(\"values\") AS v, unnest(qualities) AS q FROM sample_block WHERE run_id = :run) "
                "AS one GROUP BY 1, 2, 4"
            ),
            {"run": run},
        )
        for points in (500, 2000):  # by summaries, by samples
            before = trend(session, run, 1, *stretch, points)
            assert len(before.times) > 900
            assert np.nanmax(before.values) == np.nanmax(now.values)
            assert np.nanmin(before.values) == np.nanmin(now.values)
        # It was on while Tidy Bench was replaced by a newer one: of its second half there are no summaries of ten seconds.
        half = {"run": run, "at": NOW + 30_000 * STEP}
        session.execute(
            text("DELETE FROM summary WHERE run_id = :run AND width = 10000000 AND start >= :at"), half
        )
        session.execute(
            text("UPDATE sample_block SET groups = '' WHERE run_id = :run AND first_time >= :at"), half
        )
        mixed = trend(session, run, 1, *stretch, 500)
        assert np.nanmax(mixed.values) == np.nanmax(now.values)
        assert np.nanmin(mixed.values) == np.nanmin(now.values)
        assert mixed.times[-1] > NOW + 59_000 * STEP
        session.rollback()


def test_a_slow_channel_is_drawn_from_its_samples_however_long_the_run(engine: Engine) -> None:
    """Two weeks with a reading a minute: single samples, no boxes of ten minutes."""
    count = 14 * 24 * 60
    with Session(engine) as session, session.begin():
        run = new_run(session)
        slow = samples(count + HOLE[1] - HOLE[0], 8)[:count]
        slow["time"] = NOW + np.arange(count) * 60_000_000
        blocks.append(session, blocks.prepare(run, 0, slow))
        drawn = trend(session, run, 1, NOW, NOW + count * 60_000_000, 1500)
        good = drawn.qualities <= 1
        known = dict(zip(slow["time"].tolist(), slow["value"].tolist(), strict=True))
        assert all(
            known[at] == one
            for at, one in zip(drawn.times[good].tolist(), drawn.values[good].tolist(), strict=True)
        )
        session.rollback()


def test_groups_of_few_and_of_nothing_measured() -> None:
    times = np.arange(130, dtype=np.int64)
    values, qualities = np.arange(130.0), np.zeros(130, np.int64)
    values[64:128], qualities[64:128] = np.nan, 7
    groups = groups_of(times, values, qualities)
    assert groups.dtype == GROUPS
    assert groups["time"].tolist() == [0, 64, 128]
    assert groups["low"][[0, 2]].tolist() == [0, 128]
    assert groups["high"][[0, 2]].tolist() == [63, 129]
    assert np.isnan(groups["low"][1])
    assert np.isnan(groups["high"][1])
    assert groups["worst"].tolist() == [0, 7, 0]


@given(
    values=st.lists(st.one_of(st.none(), st.integers(-3, 3)), min_size=1, max_size=2500),
    seed=st.integers(0, 9),
)
def test_wide_groups_are_as_if_they_were_made_of_the_samples(values: list[int | None], seed: int) -> None:
    """By NumPy over the samples themselves; of equal values the first counts."""
    if seed % 2:
        values = [*values, *[None] * 700, *values]  # a whole wide group of nothing
    data = np.array([np.nan if one is None else one for one in values])
    qualities = np.where(np.isnan(data), 7, seed % 3).astype(np.int64)
    times = 10 + 5 * np.arange(len(data), dtype=np.int64)
    wide = wider(groups_of(times, data, qualities))
    size = GROUP * WIDE
    assert len(wide) == -(-len(data) // size)
    for group, first in zip(wide, range(0, len(data), size), strict=True):
        own = data[first : first + size]
        assert (group["time"], group["worst"]) == (times[first], qualities[first : first + size].max())
        good = (qualities[first : first + size] <= 1) & ~np.isnan(own)
        if not good.any():
            assert np.isnan([group["low"], group["high"]]).all()
            continue
        shown = np.where(good, own, np.nan)
        low, high = int(np.nanargmin(shown)), int(np.nanargmax(shown))
        assert (group["low"], group["low_at"]) == (own[low], times[first + low])
        assert (group["high"], group["high_at"]) == (own[high], times[first + high])
