"""What expressions remember, held against a plain calculation over everything that came."""

import math
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.expression.windows import MAKERS, MOST, Integral, Since, Window

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
        for n in range(MOST + 500):
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
