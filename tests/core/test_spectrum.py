"""The spectrum of what was captured."""

import math

import numpy as np
import pytest

from tidybench.core.curves.analysis import CurveError
from tidybench.core.curves.spectrum import spectrum
from tidybench.core.values.curve import CurveColumn

TIME, VALUE = CurveColumn(name="Time", unit="s"), CurveColumn(name="Acceleration", unit="m/s²")


@pytest.mark.parametrize("size", [200, 4096])
def test_a_sine_stands_with_its_amplitude_at_its_frequency(size: int) -> None:
    t = np.arange(size) / 1000
    y = 7 + 3.0 * np.sin(2 * math.pi * 50 * t) + 0.5 * np.sin(2 * math.pi * 150 * t)
    told = spectrum(t, y, TIME, VALUE)
    assert [round(one) for one in told.peaks[:2]] == [50, 150]
    at = [int(np.argmin(np.abs(told.frequencies - f))) for f in (50, 150)]
    around = [float(told.amplitudes[n - 2 : n + 3].max()) for n in at]
    # Between two lines a Hann window shows 15 % less at the most.
    assert 2.5 < around[0] < 3.02
    assert 0.42 < around[1] < 0.505
    assert "1000 a second" in told.method
    assert "faster than 500 Hz is folded" in told.method


def test_power_is_kept() -> None:
    """By Parseval: the variance of noise is what its spectrum sums up to."""
    y = np.random.default_rng(1).normal(0, 2.0, 65_536)
    told = spectrum(np.arange(len(y)) / 100, y, TIME, VALUE)
    # Half the square of each amplitude, over the noise bandwidth of the window: 1.5 lines.
    assert float((told.amplitudes[1:] ** 2).sum()) / 2 / 1.5 == pytest.approx(4.0, rel=0.03)


def test_milliseconds_are_seconds_and_missing_samples_are_said() -> None:
    t = np.arange(400.0)
    y = np.sin(2 * math.pi * 0.05 * t)
    y[17] = math.nan
    told = spectrum(t, y, CurveColumn(name="Time", unit="ms"), VALUE)
    assert told.peaks[0] == pytest.approx(50, rel=0.03)
    assert "1 sample that was not measured is left out." in told.method


@pytest.mark.parametrize(
    ("x", "over", "why"),
    [
        (np.arange(100.0), CurveColumn(name="Frequency", unit="Hz"), "not over time"),
        (np.arange(10.0), TIME, "too few"),
        (np.zeros(50), TIME, "does not rise"),
        (-np.arange(50.0), TIME, "does not rise"),
    ],
)
def test_what_has_no_spectrum_says_why(
    x: "np.ndarray[tuple[int], np.dtype[np.float64]]", over: CurveColumn, why: str
) -> None:
    with pytest.raises(CurveError, match=why):
        spectrum(x, np.ones(len(x)), over, VALUE)
