"""Statistics of any stretch from the records are those of the samples themselves."""

import numpy as np
import pytest
from sqlalchemy import Engine, update
from sqlalchemy.orm import Session

from tests.records.test_records import NOW, new_run, records
from tidybench.core.samples import channels_of, qualities_of
from tidybench.records import blocks
from tidybench.records.models import SampleBlock
from tidybench.records.statistics import gather


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
