"""Records of samples, and thinning them for the eye."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.core.thinning import thin


@pytest.mark.parametrize("count", [1, 31, 32, 500])  # few are packed one by one, many at once
def test_records_read_back(count: int) -> None:
    batch = Batch()
    for i in range(count):
        batch.add(i % 300, i % 9, 1_795_416_791_420_240 + i, i * 0.1)
    records = unpack(batch.pack(2**33 + 5))
    assert len(records) == count
    assert records["time"].tolist() == batch.times
    assert records["value"].tolist() == batch.values
    assert channels_of(records).tolist() == [i % 300 for i in range(count)]
    assert qualities_of(records).tolist() == [i % 9 for i in range(count)]
    assert set(sequences_of(records).tolist()) == {2**33 + 5}


def test_a_torn_record_is_left_out() -> None:
    batch = Batch()
    batch.add(1, 0, 5, 1.0)
    batch.add(1, 0, 6, 2.0)
    assert len(unpack(batch.pack(1)[:-1])) == 1


@given(st.lists(st.tuples(st.floats(-1e6, 1e6), st.sampled_from([0, 0, 0, 1, 7])), min_size=50, max_size=400))
def test_thinning_loses_no_spike_and_no_break(samples: list[tuple[float, int]]) -> None:
    times = np.arange(len(samples), dtype=np.int64) * 1000
    values = np.array([v for v, _ in samples])
    qualities = np.array([q for _, q in samples])
    most = 10
    kept = thin(times, values, qualities, most)
    assert np.all(np.diff(kept) > 0)
    assert len(kept) <= max(3 * most, 20)
    good = qualities <= Quality.FLAGGED
    if good.any():
        good_kept = kept[good[kept]]
        assert values[good_kept].min() == values[good].min()
        assert values[good_kept].max() == values[good].max()
    assert (~good).any() == (~good[kept]).any()


@pytest.mark.parametrize("seed", range(6))
def test_thinning_keeps_the_lowest_and_the_highest_of_each_stretch(seed: int) -> None:
    rng = np.random.default_rng(seed)
    times = np.sort(rng.integers(0, 10**9, 5000))
    values = rng.integers(0, 9, 5000).astype(float)  # many are alike
    qualities = np.where(rng.random(5000) < (0.2 if seed % 2 else 0), 7, 0)
    values[qualities > 1] = np.nan
    kept = thin(times, values, qualities, 50)
    stretch = (times - times[0]) * 50 // (times[-1] - times[0] + 1)
    wanted = set()
    for one in range(50):
        inside = np.flatnonzero((stretch == one) & (qualities <= 1))
        if len(inside):
            wanted.add(int(inside[np.argmin(values[inside])]))
            wanted.add(int(inside[::-1][np.argmax(values[inside][::-1])]))
        broken = np.flatnonzero((stretch == one) & (qualities > 1))
        wanted |= {int(one) for one in broken[:1]}
    assert set(kept.tolist()) == wanted
    late = np.arange(5000)
    late[[2000, 2001]] = late[[2001, 2000]]  # bytes that were held back come out of order
    assert len(thin(times[late], values[late], qualities[late], 50)) <= 150
