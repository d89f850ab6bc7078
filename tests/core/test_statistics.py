"""Statistics, compared with NumPy's of all samples at once."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.quality import Quality
from tidybench.core.values.moments import Moments
from tidybench.core.values.statistics import Gathering

T0 = 1_795_416_791_420_240


def of_numpy(times: list[int], values: list[float]) -> tuple[float, float, float]:
    """Mean, standard deviation and slope per hour, another way."""
    hours = (np.array(times) - times[0]) / 3.6e9
    return float(np.mean(values)), float(np.std(values, ddof=1)), float(np.polyfit(hours, values, 1)[0])


@given(
    st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=80),
    st.lists(st.integers(1, 79), max_size=5),
    st.sampled_from([0.0, 1e9]),
)
def test_pieces_come_to_what_the_whole_comes_to(values: list[float], cuts: list[int], above: float) -> None:
    numbers = np.array(values) + above
    times = T0 + np.cumsum(np.arange(1, len(values) + 1)) * 100_000
    made = Moments()
    for one, other in zip(
        s := sorted({0, len(values), *(c for c in cuts if c < len(values))}), s[1:], strict=False
    ):
        made.join(Moments.of(times[one:other], numbers[one:other]))
    mean, sd, slope = of_numpy(times.tolist(), numbers.tolist())
    size = max(1.0, float(np.abs(numbers).max()))
    assert made.mean == pytest.approx(mean, rel=1e-12, abs=1e-9)
    assert made.sd == pytest.approx(sd, rel=1e-6, abs=1e-9 * size)
    span = (times[-1] - times[0]) / 3.6e9
    assert made.slope is not None
    assert made.slope * span == pytest.approx(slope * span, rel=1e-5, abs=1e-8 * size)


def test_what_was_not_measured_counts_apart() -> None:
    one = Gathering()
    qualities = np.array([Quality.OK, Quality.BAD_CHECK, Quality.FLAGGED, Quality.NO_REPLY])
    one.add(T0 + np.arange(4) * 1_000_000, np.array([1.0, np.nan, 3.0, np.nan]), qualities)
    found = one.statistics
    assert (found.samples, found.measured, found.mean, found.minimum, found.maximum) == (4, 2, 2.0, 1.0, 3.0)
    assert (found.sd, found.slope_per_h) == (pytest.approx(2**0.5), pytest.approx(3600.0))
    assert (found.first, found.last) == (T0, T0 + 3_000_000)
    assert found.qualities == {"ok": 1, "flagged": 1, "bad-check": 1, "no-reply": 1}


def test_one_sample_has_no_spread() -> None:
    one = Gathering()
    one.add(np.array([T0]), np.array([5.0]), np.array([0]))
    assert (one.statistics.mean, one.statistics.sd, one.statistics.slope_per_h) == (5.0, None, None)


def test_it_goes_on_after_a_restart_and_says_less_after_an_older_version() -> None:
    whole, half = Gathering(), Gathering()
    times, values, qualities = T0 + np.arange(6) * 1_000_000, np.array([5.0, 1, 4, 2, 9, 7]), np.zeros(6, int)
    whole.add(times, values, qualities)
    half.add(times[:3], values[:3], qualities[:3])
    kept = json.loads(json.dumps(half.state()))
    on, older = Gathering(), Gathering()
    on.restore(kept)
    on.add(times[3:], values[3:], qualities[3:])
    assert on.statistics.sd == pytest.approx(whole.statistics.sd)
    assert on.statistics.slope_per_h == pytest.approx(whole.statistics.slope_per_h)
    older.restore(kept[:7])
    older.add(times[3:], values[3:], qualities[3:])
    assert older.statistics.mean == pytest.approx(whole.statistics.mean)
    assert (older.statistics.sd, older.statistics.slope_per_h) == (None, None)
