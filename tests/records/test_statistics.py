"""Statistics of any stretch from the records are those of the samples themselves."""

import uuid

import numpy as np
import pytest
from sqlalchemy import Engine, delete, update
from sqlalchemy.orm import Session

from tests.records.test_records import NOW, new_run, records
from tidybench.core.samples import channels_of, qualities_of
from tidybench.records import blocks
from tidybench.records.models import RunChannel, SampleBlock
from tidybench.records.statistics import ALL_TIMES, gather, keep_whole, of_channels


@pytest.mark.parametrize("older", [False, True])
@pytest.mark.parametrize(
    ("start", "end"),
    [
        (0, 10**18),
        (NOW, NOW + 1),
        (NOW + 3_333_333, NOW + 171_234_567),
        (NOW + 40_000, NOW + 90_000),
        (0, NOW),
    ],
)
def test_any_stretch_by_numpy(engine: Engine, start: int, end: int, older: bool) -> None:
    packed = records(20_000)
    with Session(engine) as session, session.begin():
        run = new_run(session)
        for first in range(0, len(packed), 3_001):
            blocks.append(session, blocks.prepare(run, first, packed[first : first + 3_001]))
        if older:  # blocks of before have no sums
            session.execute(update(SampleBlock).values(spread=None, by_quality=None))
        found = gather(session, run, {1: (), 2: ()}, start, end)
        for number in (1, 2):
            own = packed[channels_of(packed) == number]
            own = own[(own["time"] >= start) & (own["time"] < end)]
            good = own[qualities_of(own) <= 1]
            if not len(own):
                assert number not in found
                continue
            got = found[number].statistics
            assert (got.samples, got.measured) == (len(own), len(good))
            assert (got.first, got.last) == (own["time"][0], own["time"][-1])
            assert got.qualities.get("no-reply", 0) == len(own) - len(good)
            if not len(good):
                continue
            values = good["value"]
            assert (got.minimum, got.maximum) == (values.min(), values.max())
            assert got.mean == pytest.approx(values.mean(), rel=1e-12)
            if len(good) > 2:
                hours = (good["time"] - good["time"][0]) / 3.6e9
                assert got.sd == pytest.approx(values.std(ddof=1), rel=1e-9)
                assert got.slope_per_h == pytest.approx(np.polyfit(hours, values, 1)[0], rel=1e-6)


def test_states_are_counted_by_their_words(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        run = new_run(session)
        packed = records(40).copy()
        packed["value"] = np.where(np.isnan(packed["value"]), packed["value"], packed["value"] % 3)
        blocks.append(session, blocks.prepare(run, 0, packed))
        got = gather(session, run, {1: ("IDLE", "RUN")}, 0, 10**18)[1].statistics
    own = packed[(channels_of(packed) == 1) & (qualities_of(packed) == 0)]["value"]
    assert got.states == {w: int((own == v).sum()) for v, w in ((0.0, "IDLE"), (1.0, "RUN"), (2.0, "2"))}
    assert got.mean is None


def with_channels(session: Session, run: uuid.UUID) -> list[RunChannel]:
    made = [
        RunChannel(
            run_id=run, number=n, position=n, key=f"c{n}", name=f"C{n}", unit="V", decimals=1, interval_s=0.02, instrument="i"
        )
        for n in (1, 2, 3)
    ]  # fmt: skip
    session.add_all(made)
    session.flush()
    return made


def test_all_of_a_run_is_worked_out_once_and_is_the_same(engine: Engine) -> None:
    """What was kept answers for every stretch that holds all samples, and for no other; what another version kept, for none."""
    packed = records(9_000)
    with Session(engine) as session, session.begin():
        run = new_run(session)
        blocks.append(session, blocks.prepare(run, 0, packed))
        channels = with_channels(session, run)
        anew = of_channels(session, run, channels, *ALL_TIMES)
        keep_whole(session, run)
        session.flush()
        session.expire_all()
        assert anew == of_channels(session, run, channels, *ALL_TIMES)
        assert [one.samples for one in anew] == [4_500, 4_500, 0]
        last = max(one.last or 0 for one in anew)
        first = min(one.first or 2**62 for one in anew)
        assert anew == of_channels(session, run, channels, first, last + 1)
        # Where the blocks are gone, nothing but what was kept can be the answer.
        session.execute(delete(SampleBlock).where(SampleBlock.run_id == run))
        assert anew == of_channels(session, run, channels, first, last + 1)
        shorter = of_channels(session, run, channels, first + 1, last)
        assert all(one.samples == 0 for one in shorter)
        for one in channels:
            one.whole = {name: value for name, value in (one.whole or {}).items() if name != "sd"}
        assert all(one.samples == 0 for one in of_channels(session, run, channels, *ALL_TIMES))


def test_figures_that_are_beyond_all_numbers_do_not_keep_a_run_out(engine: Engine) -> None:
    packed = records(400).copy()
    packed["value"] = np.where(np.isnan(packed["value"]), packed["value"], packed["value"] * 1e300)
    with Session(engine) as session, session.begin():
        run = new_run(session)
        blocks.append(session, blocks.prepare(run, 0, packed))
        channels = with_channels(session, run)
        keep_whole(session, run)
        session.flush()
        session.expire_all()
        assert [one.whole is not None for one in channels] == [True] * len(channels)
