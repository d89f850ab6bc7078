"""What expressions remember, held against a plain calculation over everything that came."""

import json
import math
import statistics
from collections.abc import Callable
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.batch import Batch
from tidybench.core.channels.filters import Mean
from tidybench.core.channels.pipeline import ChannelPipeline
from tidybench.core.expression.windows import MAKERS, MAX_KEPT, Integral, Since, Window
from tidybench.core.setup.filters import ExponentialFilter, HumFilter, MeanFilter, ThinningPart

SECOND = 1_000_000
SERIES = st.lists(
    st.tuples(st.integers(1, 3_000_000), st.none() | st.floats(-1e4, 1e4)), min_size=1, max_size=80
)


def played(window: Window, series: "list[tuple[int, float | None]]") -> "list[tuple[int, float | None]]":
    """Each time with what the window says then; gaps in `series` are times between."""
    at, found = 0, []
    for gap, value in series:
        at += gap
        found.append((at, window.take(at, value)))
    return found


def known(series: "list[tuple[int, float | None]]", until: int, span: int) -> list[float]:
    """The values of the last `span`, as a plain list."""
    at, found = 0, []
    for gap, value in series:
        at += gap
        if at <= until and at > until - span and value is not None:
            found.append(value)
    return found


PLAIN = {
    "mean_over": statistics.fmean,
    "median_over": statistics.median,
    "min_over": min,
    "max_over": max,
}


@pytest.mark.parametrize("name", sorted(PLAIN))
@given(series=SERIES, span=st.integers(1, 5_000_000))
def test_a_window_is_what_a_plain_calculation_gives(
    name: str, series: "list[tuple[int, float | None]]", span: int
) -> None:
    for at, value in played(MAKERS[name](span), series):
        inside = known(series, at, span)
        if not inside:
            assert value is None
        else:
            assert value == pytest.approx(PLAIN[name](inside), rel=1e-9, abs=1e-7)


@given(st.lists(st.floats(-1e3, 1e3), min_size=3, max_size=40))
def test_a_slope_is_that_of_a_straight_line_through_all(values: list[float]) -> None:
    window = MAKERS["rate"](10_000 * SECOND)
    for n, value in enumerate(values):
        found = window.take(n * SECOND, value)
    times = list(range(len(values)))
    slope, _ = statistics.linear_regression(times, values)
    assert found == pytest.approx(slope, rel=1e-6, abs=1e-6)


def test_a_slope_starts_anew_behind_a_hole() -> None:
    window = MAKERS["rate"](100 * SECOND)
    for n in range(5):
        window.take(n * SECOND, float(n))
    window.take(5 * SECOND, None)
    assert window.take(6 * SECOND, 100.0) is None
    assert window.take(7 * SECOND, 98.0) == pytest.approx(-2.0)


def test_a_window_keeps_so_many_and_no_more() -> None:
    for name in MAKERS:
        window = MAKERS[name](86_400 * SECOND)
        for n in range(MAX_KEPT + 500):
            found = window.take(n * 1000, float(n % 7))
        assert found is not None
        assert math.isfinite(found)


@given(SERIES)
def test_an_integral_is_the_sum_of_its_trapezoids(series: "list[tuple[int, float | None]]") -> None:
    at, last, total = 0, None, 0.0
    for (now, found), (_, value) in zip(played(Integral(None), series), series, strict=True):
        if value is not None and last is not None:
            total += (value + last) / 2 * (now - at) / 1e6
        at, last = now, value
        if value is None:
            assert found is None
        else:
            assert found == pytest.approx(total, rel=1e-9, abs=1e-6)


def test_an_integral_over_a_window_forgets_what_is_behind_it() -> None:
    window = Integral(10 * SECOND)
    found = [window.take(n * SECOND, 2.0) for n in range(40)]
    assert found[0] == 0
    assert found[5] == pytest.approx(10.0)
    assert found[-1] == pytest.approx(20.0)


def test_since_a_condition_held() -> None:
    window = Since()
    assert [window.take(n * SECOND, value) for n, value in enumerate([0.0, 1.0, 0.0, None, 1.0])] == [
        None, 0.0, 1.0, 2.0, 0.0,
    ]  # fmt: skip


# ---- huge readings (fault 5), and going on from a tape's starting state (fault 3)

HUGE = [9.9e37, -9.9e37, 3.3e35, 1e308, -1e308]
WILD = st.lists(
    st.tuples(st.integers(1, 2_000_000), st.none() | st.floats(-1e3, 1e3) | st.sampled_from(HUGE)),
    min_size=1,
    max_size=60,
)
ALL: dict[str, Callable[[int], Window]] = {**MAKERS, "integral": Integral, "time_since": lambda _: Since()}


@pytest.mark.parametrize("name", sorted(ALL))
def test_what_has_left_a_window_has_left_nothing_behind(name: str) -> None:
    """Fault 5: one unmarked 9.9E37, and hundreds of values were wrong."""
    for huge in HUGE:
        window, clean = ALL[name](10 * SECOND), ALL[name](10 * SECOND)
        for n in range(60):
            value = math.sin(n) + 5
            found = window.take(n * SECOND, huge if n in (20, 21) else value)
            plain = clean.take(n * SECOND, value)
            if n > 31:
                assert found == pytest.approx(plain, rel=1e-13, abs=0)


@pytest.mark.parametrize("name", sorted(ALL))
@given(series=WILD, span=st.integers(1, 5_000_000))
def test_no_window_ever_gives_what_is_no_number(
    name: str, series: "list[tuple[int, float | None]]", span: int
) -> None:
    for _, value in played(ALL[name](span), series):
        assert value is None or math.isfinite(value)


@pytest.mark.parametrize("name", sorted(ALL))
@given(series=WILD, span=st.integers(1, 9_000_000), cut=st.integers(0, 60))
def test_a_window_goes_on_to_the_last_bit(
    name: str, series: "list[tuple[int, float | None]]", span: int, cut: int
) -> None:
    window = ALL[name](span)
    at = 0
    for gap, value in series[:cut]:
        at += gap
        window.take(at, value)
    other = ALL[name](span)
    other.restore(json.loads(json.dumps(window.state())))
    for gap, value in series[cut:]:
        at += gap
        assert repr(other.take(at, value)) == repr(window.take(at, value))


@given(
    values=st.lists(st.floats(-1e6, 1e6) | st.sampled_from(HUGE), min_size=1, max_size=80),
    count=st.integers(1, 12),
    cut=st.integers(0, 80),
)
def test_a_mean_of_the_last_values_is_that_of_a_list(values: list[float], count: int, cut: int) -> None:
    filtering = Mean(count)
    for n, value in enumerate(values):
        if n == cut:
            state = json.loads(json.dumps(filtering.state()))
            filtering = Mean(count)
            filtering.restore(state)
        found = filtering.take(n, value)
        last = [Fraction(one) for one in values[max(0, n + 1 - count) : n + 1]]
        assert found == pytest.approx(
            float(sum(last) / len(last)), rel=1e-12, abs=max(map(abs, last)) * 1e-15
        )


def test_a_mean_of_two_of_the_largest_is_that_and_nothing_endless_comes_out_of_a_filter() -> None:
    """Fault 5: two of 1e308 made an infinite mean, quality ok."""
    assert [Mean(2).take(0, 1e308), Mean(10).take(0, 1e308)] == [1e308, 1e308]
    filtering = Mean(2)
    filtering.take(0, 1e308)
    assert filtering.take(1, 1e308) == 1e308
    for part in (
        MeanFilter(kind="mean", count=3),
        ExponentialFilter(kind="exponential", time_constant_s=1),
        HumFilter(kind="hum", mains=50),
    ):
        pipeline, out = ChannelPipeline(1, filters=[part]), Batch()
        for n in range(400):
            pipeline.take(0, n * 1000, [1.7e308, -1.7e308][n % 2] if 100 < n < 106 else 1.0, out)
        measured = [v for w, v in zip(out.words, out.values, strict=True) if not w & 0xFF]
        assert all(map(math.isfinite, measured))
        assert len(measured) > 390
        assert measured[-1] == 1.0 or isinstance(part, ExponentialFilter)
    thinned, out = ChannelPipeline(1, thinning=ThinningPart(keep="mean", every_s=1)), Batch()
    for n in range(40):
        thinned.take(0, n * 100_000, 1.7e308 if n < 20 else 1.0, out)
    assert [(w & 0xFF, v) for w, v in zip(out.words, out.values, strict=True)][1:] == [
        (2, pytest.approx(math.nan, nan_ok=True)),
        (0, 1.0),
    ]
