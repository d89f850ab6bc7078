"""Questions about a stretch: each answer a second way, by NumPy or SciPy directly, by hand, or from what the samples were made of."""

from typing import Any

import numpy as np
import pytest
from scipy import stats

from tidybench.core.analysis.agreement import agreement, within
from tidybench.core.analysis.answer import StretchAnswer, said
from tidybench.core.analysis.band import Corner, Corridor, Deviations, Tolerance
from tidybench.core.analysis.questions import StretchQuestion, answer_of
from tidybench.core.analysis.scatter import independent
from tidybench.core.analysis.stretch import AnalysisError, Samples, Stretch, stretch_of

NOW = 1_795_000_000_000_000


def made(
    seconds: Any, values: Any, qualities: Any = None, name: str = "Flow", unit: str = "L/min", decimals: int = 2, **more: Any
) -> Stretch:  # fmt: skip
    times = NOW + np.round(np.asarray(seconds) * 1e6).astype(np.int64)
    some = np.asarray(values, float)
    worth = np.zeros(len(some), np.int64) if qualities is None else np.asarray(qualities, np.int64)
    return stretch_of(name.lower(), name, unit, decimals, Samples(times, some, worth), **more)


def ask(kind: str, stretch: Stretch, other: Stretch | None = None, **more: Any) -> StretchAnswer:
    question = StretchQuestion.model_validate(
        {"kind": kind, "channel": stretch.id, "start": 0, "end": 2**60} | more
    )
    return answer_of(question, stretch, other)


def figures(answer: StretchAnswer) -> dict[str, float]:
    return {one.name: one.value for one in answer.results}


def refused(kind: str, stretch: Stretch, other: Stretch | None = None, **more: Any) -> str:
    with pytest.raises(AnalysisError) as told:
        ask(kind, stretch, other, **more)
    return str(told.value)


def test_a_slope_is_that_of_scipy_and_its_uncertainty_heeds_what_is_alike() -> None:
    rng = np.random.default_rng(7)
    x = np.arange(0, 7200, 4.0)
    y = 6.0 - 0.193 / 3600 * x + rng.normal(0, 0.02, len(x))
    answer = ask("slope", made(x, y, name="Discharge", unit="bar"))
    direct = stats.linregress(x, y)
    found = {one.name: one for one in answer.results}
    assert found["Slope"].unit == "bar/h"
    assert found["Slope"].value == pytest.approx(direct.slope * 3600, rel=1e-9)
    assert found["r²"].value == pytest.approx(direct.rvalue**2, rel=1e-9)
    # White scatter: as SciPy has it, but for what a chance correlation of neighbours makes of it.
    assert found["Slope"].uncertainty == pytest.approx(direct.stderr * 3600, rel=0.1)
    assert answer.words.startswith("Discharge: −0.19")
    assert (answer.samples, answer.left_out, answer.start, answer.end) == (1800, 0, NOW, NOW + 7196_000_000)
    ends = direct.intercept + direct.slope * np.array([0, 7196.0])
    assert answer.overlays[0].values == pytest.approx(ends.tolist(), rel=1e-9)
    # Each sample twice says no more than each once.
    twice = ask("slope", made(np.repeat(x, 2) + np.tile([0, 0.5], len(x)), np.repeat(y, 2), unit="bar"))
    assert twice.results[0].uncertainty == pytest.approx(found["Slope"].uncertainty, rel=0.3)
    assert independent(np.repeat(y - y.mean(), 2)) < len(x) * 1.2


def test_a_slope_of_what_scatters_in_a_chain_is_within_its_uncertainty_as_often_as_it_should() -> None:
    rng = np.random.default_rng(3)
    x = np.arange(400.0)
    inside = 0
    for _ in range(200):
        noise = rng.normal(0, 1, len(x))
        for place in range(1, len(x)):
            noise[place] += 0.8 * noise[place - 1]
        [slope] = [one for one in ask("slope", made(x, noise)).results if one.name == "Slope"]
        assert slope.uncertainty is not None
        inside += abs(slope.value) <= 2 * slope.uncertainty
    assert inside > 176, "95 % are expected within two uncertainties; without the correction it is 70 %"


@pytest.mark.parametrize(
    "kind",
    [
        "slope",
        "steady",
        "step",
        "exponential",
        "extremes",
        "histogram",
        "spectrum",
        "switching",
        "total",
        "outliers",
    ],
)
def test_samples_of_one_instant_are_answered_or_refused_in_words(kind: str) -> None:
    """A device that hands over its memory at once: forty samples with one time."""
    burst = made(np.zeros(40), np.random.default_rng(1).normal(5, 1, 40))
    for other in (burst, made(np.arange(40.0), np.arange(40.0), name="Valve")):
        for asked in (kind, "against", "delay"):
            try:
                assert ask(asked, burst, other).words
            except AnalysisError as error:
                assert str(error).endswith(".")


def test_small_figures_are_written_with_their_power() -> None:
    assert said(1.095e-6, "L/s", 1.6e-8) == "(1.095 ± 0.016) × 10⁻⁶ L/s"
    assert said(-0.193, "bar/h", 0.004) == "−0.1930 ± 0.0040 bar/h"
    assert said(0.1234567, "s") == "0.1235 s"


def test_what_was_not_measured_is_left_out_and_counted() -> None:
    x = np.arange(100.0)
    y, worth = x * 2, np.zeros(100, int)
    y[40:50], worth[40:50] = np.nan, 7
    answer = ask("slope", made(x, y, worth))
    assert figures(answer)["Slope"] == pytest.approx(120.0)  # L/min a minute
    assert (answer.samples, answer.left_out) == (90, 10)
    assert "and 3 are wanted. Choose a longer stretch" in refused("slope", made([], []))
    assert "one measured sample" in refused("slope", made([1], [2]))
    assert "is a state" in refused("slope", made(x, y, states=("off", "on")))


def test_an_exponential_gives_back_what_it_was_made_of() -> None:
    rng = np.random.default_rng(5)
    x = np.arange(0, 60, 0.1)
    y = 190 - 65 * np.exp(-x / 7.5) + rng.normal(0, 0.4, len(x))
    found = {one.name: one for one in ask("exponential", made(x, y)).results}
    for name, true in (("Time constant τ", 7.5), ("End value", 190), ("Value at the beginning", 125)):
        one = found[name]
        assert one.uncertainty is not None
        assert abs(one.value - true) < 4 * one.uncertainty, name
        assert one.uncertainty < 0.02 * true
    assert found["Time constant τ"].unit == "s"
    assert "No exponential fits" in refused("exponential", made(x, rng.normal(5, 1, len(x))))
    assert "does not change" in refused("exponential", made(x, np.full(len(x), 5.0)))


def test_a_step_of_second_order_has_its_overshoot_rise_and_settling() -> None:
    damping, own = 0.3, 2.0
    x = np.arange(-2, 18, 0.01)
    wd = own * np.sqrt(1 - damping**2)
    t = np.maximum(x, 0)
    response = 1 - np.exp(-damping * own * t) * (
        np.cos(wd * t) + damping / np.sqrt(1 - damping**2) * np.sin(wd * t)
    )
    y = 20 + 10 * response
    found = figures(ask("step", made(x + 2, y)))
    assert found["Overshoot"] == pytest.approx(
        100 * np.exp(-np.pi * damping / np.sqrt(1 - damping**2)), abs=0.2
    )
    tenth, most = x[np.argmax(response >= 0.1)], x[np.argmax(response >= 0.9)]
    assert found["Rise time, 10 to 90 %"] == pytest.approx(most - tenth, abs=0.02)
    last = x[np.flatnonzero(np.abs(response - 1) > 0.02)[-1] + 1]
    onset = tenth - (most - tenth) / 8
    assert found["Settling time"] == pytest.approx(last - onset, abs=0.1)
    assert (found["Before"], found["Step"]) == pytest.approx((20, 10), abs=0.02)
    assert "there is no step" in refused("step", made(x, np.random.default_rng(1).normal(0, 1, len(x))))
    assert "still outside ± 0.01 L/min" in refused(
        "step", made(np.arange(200.0), np.arange(200.0)), band=0.01
    )


def test_steady_is_the_notion_of_the_readouts() -> None:
    x = np.arange(0, 300, 1.0)
    y = 100 + 50 * np.exp(-x / 20)
    answer = ask("steady", made(x, y), band=1.0, hold_s=30)
    # From when on it changes by less than 1 within 30 s: by hand.
    begins = next(t for t in x if y[int(t)] - y[int(t) + 30] <= 1.0)
    assert answer.results[1].at == NOW + int(begins) * 1_000_000
    assert answer.results[1].value == pytest.approx(299 - begins)
    assert "and stayed so" in answer.words
    gap = np.concatenate([x[:150], x[200:]])
    parts = ask("steady", made(gap, np.concatenate([y[:150], y[200:]]), pace_s=1.0), band=1.0, hold_s=30)
    assert figures(parts)["Spells"] == 2, "a gap ends it"
    assert "was never steady" in ask("steady", made(x, x), band=1.0, hold_s=30).words
    assert "shorter than the 500 s" in refused("steady", made(x, y), band=1.0, hold_s=500)


def test_extremes_and_when() -> None:
    answer = ask("extremes", made([0, 1, 2, 3], [5.0, -1.5, 7.25, 7.25]))
    assert [(one.value, one.at) for one in answer.results[:2]] == [
        (-1.5, NOW + 1_000_000),
        (7.25, NOW + 2_000_000),
    ]
    assert answer.words == "Flow: −1.5 L/min to 7.25 L/min"


def test_a_histogram_holds_every_sample_and_whole_digits() -> None:
    values = np.random.default_rng(2).normal(150, 0.05, 5000).round(2)
    answer = ask("histogram", made(np.arange(5000), values))
    assert answer.plot is not None
    assert sum(answer.plot.ys) == 5000
    width = answer.plot.xs[1] - answer.plot.xs[0]
    assert width == pytest.approx(0.01, rel=1e-6), "the channel's digit"
    for middle, count in zip(answer.plot.xs, answer.plot.ys, strict=True):
        assert count == np.sum(np.abs(values - middle) < 0.004)
    assert figures(answer)["Standard deviation"] == pytest.approx(values.std(ddof=1))
    assert figures(answer)["Skewness"] == pytest.approx(stats.skew(values))
    assert "all the time" in refused("histogram", made(np.arange(20), np.full(20, 3.0)))


def test_a_spectrum_names_the_mains_and_what_is_folded() -> None:
    x = np.arange(0, 20, 0.002)
    y = 3 + 0.5 * np.sin(2 * np.pi * 50 * x) + 2 * np.sin(2 * np.pi * 8 * x)
    answer = ask("spectrum", made(x, y, unit="mm/s"))
    names = [one.name for one in answer.results]
    strongest = float(answer.words.removeprefix("Flow: strongest at ").removesuffix(" Hz"))
    assert strongest == pytest.approx(8, abs=0.13)
    assert any("(50 Hz mains)" in one for one in names)
    [mains] = [one.value for one in answer.results if "50 Hz mains" in one.name]
    assert mains == pytest.approx(0.5, rel=0.05)
    slow = np.arange(0, 400, 0.0217)  # 46.08 a second: 50 Hz is seen at 3.9 Hz
    folded = ask("spectrum", made(slow, np.sin(2 * np.pi * 50 * slow)))
    assert any("may be 50 Hz mains, folded down" in one.name for one in folded.results)
    assert "aliasing" in folded.method
    drift = np.random.default_rng(1).normal(0, 0.01, len(slow)) + slow * 0.1
    slowest = [float(one.name.split()[1]) for one in ask("spectrum", made(slow, drift)).results]
    assert all(one > 2.5 * 46.08 / 4608 for one in slowest), "slow change is no swing"


def test_one_channel_against_another_pairs_only_what_was_measured() -> None:
    x = np.arange(0, 100, 1.0)
    other = made(
        np.arange(0, 100, 0.5) + 0.1, np.sin((np.arange(0, 100, 0.5) + 0.1) / 9), name="Valve", unit="%"
    )
    mine = made(x, 2 * np.sin(x / 9) + 5)
    answer = ask("against", mine, other)
    assert figures(answer)["Slope"] == pytest.approx(2, rel=1e-3)
    assert figures(answer)["At Valve = 0"] == pytest.approx(5, rel=1e-3)
    assert answer.results[0].unit == "L/min/%"
    theirs = np.concatenate([np.arange(0, 30, 0.5), np.arange(60, 100, 0.5)])
    holed = ask("against", mine, made(theirs, np.sin(theirs / 9), name="Valve", unit="%"))
    assert holed.plot is not None
    assert len(holed.plot.xs) == 30 + 40, "none within the gap"
    assert "no samples at the same time" in refused("against", mine, made(x + 1000, x, name="Valve"))
    assert "choose another channel" in refused("against", mine, mine)
    assert "Choose the other channel" in refused("against", mine)


@pytest.mark.parametrize("late", [-3.4, 0.0, 0.37, 12.2])
def test_a_delay_is_what_it_was_made_of(late: float) -> None:
    rng = np.random.default_rng(9)
    seen = np.cumsum(rng.normal(0, 1, 4000))
    grid = np.arange(4000) * 0.1

    def value(t: Any) -> Any:
        return np.interp(t, grid, seen)

    x = np.arange(20, 380, 0.2)
    other = made(x + 0.05, value(x + 0.05), name="Suction")
    answer = ask("delay", made(x, value(x - late)), other)
    assert figures(answer)["Flow later by"] == pytest.approx(late, abs=0.08)
    order = "after" if late > 0 else "before" if late < 0 else "at the same time"
    assert order in answer.words
    backwards = ask("delay", made(x, -value(x - late)), other)
    assert figures(backwards)["Correlation there"] < -0.9
    assert "other direction" in backwards.words


def test_no_delay_between_what_has_nothing_in_common() -> None:
    rng = np.random.default_rng(4)
    x = np.arange(0, 200, 0.5)
    told = refused("delay", made(x, rng.normal(0, 1, 400)), made(x, rng.normal(0, 1, 400), name="Suction"))
    assert "do not move alike" in told


def test_a_switching_point_between_two_plateaus_switches_as_often_as_they_change() -> None:
    rng = np.random.default_rng(8)
    y = np.where(np.arange(3000) // 500 % 2, 180.0, 40.0) + rng.normal(0, 2, 3000)
    answer = ask("switching", made(np.arange(3000), y))
    found = figures(answer)
    assert 50 < found["Switching point"] < 170
    assert found["Switched"] == 5
    assert (found["Nearest value above"], found["Nearest value below"]) == (
        y[y > 100].min(),
        y[y < 100].max(),
    )
    close = figures(ask("switching", made(np.arange(3000), y), level=180, hysteresis=0))
    assert close["Switched"] > 100, "in the scatter it chatters"
    calm = figures(ask("switching", made(np.arange(3000), y), level=180, hysteresis=20))
    assert calm["Switched"] == 5
    assert "never on both sides of 500 L/min" in refused("switching", made(np.arange(3000), y), level=500)


def test_a_total_of_a_flow_and_of_a_power_leaves_gaps_out() -> None:
    x = np.arange(0, 601, 1.0)
    assert figures(ask("total", made(x, np.full(601, 60.0))))["Total"] == pytest.approx(600)
    assert ask("total", made(x, np.full(601, 60.0))).results[0].unit == "L"
    power = made(np.arange(0, 3601, 1.0), np.full(3601, 1500.0), name="Motor input", unit="W")
    told = ask("total", power)
    assert (told.results[0].value, told.results[0].unit) == (pytest.approx(1500), "W·h")
    gap = np.concatenate([x[:300], x[400:]])
    some = ask("total", made(gap, np.full(len(gap), 60.0)))
    assert figures(some)["Total"] == pytest.approx(499)
    assert figures(some)["Gaps"] == 1
    assert some.words == "Flow: 499 L in 499 s, without 101 s in one gap"


def test_outliers_are_shown_and_stay() -> None:
    y = np.random.default_rng(6).normal(100, 0.5, 1000).round(2)
    y[[200, 640]] = [140, 12.5]
    answer = ask("outliers", made(np.arange(1000), y))
    assert figures(answer)["Outliers"] >= 2
    assert [one.at for one in answer.results[1:3]] == [NOW + 640_000_000, NOW + 200_000_000], (
        "the farthest first"
    )
    assert figures(answer)["Outliers"] < 8
    steps = made(np.arange(200), np.repeat([1.0, 2.0], 100), decimals=0)
    assert figures(ask("outliers", steps))["Outliers"] == 0, "a step is none"


def test_a_run_within_a_band_about_a_reference_and_one_that_leaves_it() -> None:
    x = np.arange(0, 100, 0.5)
    reference = made(x, 100 + x / 10)
    off = np.where(x > 60, 3.0, 0.5)
    mine = made(x + 0.25, 100 + (x + 0.25) / 10 + off)
    good = agreement(mine, reference, Tolerance(mine.unit, 3.5))
    assert good.words == "Flow: within ± 3.5 L/min of the reference"
    assert figures(good)["Inside the band"] == 100
    assert figures(good)["Mean difference"] == pytest.approx(off[:-1].mean(), rel=1e-9)
    bad = agreement(mine, reference, Tolerance(mine.unit, 1.0, 1.0))
    beyond = int(np.argmax(off[:-1] > 1.1))
    found = {one.name: one for one in bad.results}
    assert found["First outside"].at == NOW + round((x[beyond] + 0.25) * 1e6)
    assert found["Inside the band"].value == pytest.approx(100 * np.mean(off[:-1] <= 1.1), abs=0.01)
    assert "outside ± 1 L/min and 1 %" in bad.words
    lower, upper = bad.overlays
    wide = np.array(upper.values) - np.array(lower.values)
    assert wide == pytest.approx(2 * np.maximum(1.0, (100 + (x[:-1] + 0.25) / 10) * 0.01), rel=1e-6)
    plain = agreement(mine, reference)
    assert "Inside the band" not in figures(plain)
    assert plain.overlays == []
    moved = made(x + 1000.25, 100 + (x + 0.25) / 10 + off).moved(-1_000_000_000)
    assert (
        agreement(moved, reference, Tolerance(mine.unit, 1.0)).results
        == agreement(mine, reference, Tolerance(mine.unit, 1.0)).results
    )
    holed = made(np.r_[x[:40], x[80:]], 100 + np.r_[x[:40], x[80:]] / 10)
    assert agreement(mine, holed).samples == 200
    assert "42 samples have no reference beside them" in agreement(mine, holed).method
    plot = agreement(mine, holed).plot
    assert plot is not None
    assert plot.ys.count(None) == 1, "the line is broken where there is no reference"
    with pytest.raises(AnalysisError, match="cannot be compared"):
        agreement(made(x, x, unit="bar"), reference)
    with pytest.raises(AnalysisError, match="no samples at the same time"):
        agreement(made(x + 5000, x), reference)


def test_a_band_by_deviations_of_several_runs_is_that_of_numpy() -> None:
    dice = np.random.default_rng(9)
    x = np.arange(0, 60, 0.5)
    runs = [made(x, 50 + x + dice.normal(0, 0.4, len(x))) for _ in range(5)]
    y = 50 + x + dice.normal(0, 0.4, len(x))
    y[70:80] += 6
    answer = agreement(made(x, y), runs[0], Deviations(2.5, runs[1:]))
    rows = np.stack([one.values for one in runs])
    middle, wide = rows.mean(axis=0), 2.5 * rows.std(axis=0, ddof=1)
    outside = np.abs(y - middle) > wide
    assert figures(answer)["Inside the band"] == pytest.approx(100 * np.mean(~outside), abs=0.01)
    first = {one.name: one for one in answer.results}["First outside"]
    assert first.at == NOW + round(x[np.argmax(outside)] * 1e6)
    lower, upper = answer.overlays
    assert np.array(lower.values) == pytest.approx(middle - wide)
    assert np.array(upper.values) == pytest.approx(middle + wide)
    # Where one of them is not known there is no band.
    holed = made(np.r_[x[:40], x[60:]], runs[1].values[np.r_[0:40, 60:120]])
    less = agreement(made(x, y), runs[0], Deviations(2.5, [holed, *runs[2:]]))
    assert "20 samples lie where there is none" in less.method
    with pytest.raises(AnalysisError, match="3 runs or more, and there are 2"):
        agreement(made(x, y), runs[0], Deviations(2.5, runs[1:2]))


def test_a_corridor_is_left_where_it_is_drawn() -> None:
    x = np.arange(0, 100, 1.0)
    y = np.where(x < 50, 10 + x / 10, 15.0)
    corners = [Corner(10, 9, 13), Corner(50, 13, 17), Corner(90, 13, 14)]
    answer = within(made(x, y), Corridor(corners, NOW), "other")
    lower, upper = np.interp(x, [10, 50, 90], [9, 13, 13]), np.interp(x, [10, 50, 90], [13, 17, 14])
    inside = (x >= 10) & (x <= 90)
    outside = inside & ((y < lower) | (y > upper))
    assert figures(answer)["Inside the band"] == pytest.approx(
        100 * (1 - outside.sum() / inside.sum()), abs=0.01
    )
    found = {one.name: one for one in answer.results}
    assert found["First outside"].at == NOW + int(x[np.argmax(outside)]) * 1_000_000
    # With the channel's decimals a hair's breadth beyond would be told as nothing beyond.
    assert found["beyond the edge by"].decimals is None
    assert [one.channel for one in answer.overlays] == ["other", "other"]
    assert (
        within(made(x, y), Corridor([Corner(0, None, 16), Corner(99, None, 16)], NOW), "f").words
        == "Flow: within a corridor of 2 corners"
    )
    for wrong, words in (
        ([Corner(0, 1, 2)], "two corners"),
        ([Corner(5, 1, 2), Corner(5, 1, 2)], "in order of time"),
        ([Corner(0, 1, 2), Corner(5, None, 2)], "at some corners only"),
        ([Corner(0, None, None), Corner(5, None, None)], "no edge"),
        ([Corner(0, 1, 2), Corner(5, 3, 2)], "above the upper"),
        ([Corner(500, 1, 2), Corner(600, 1, 2)], "no samples where there is a band"),
    ):
        with pytest.raises(AnalysisError, match=words):
            within(made(x, y), Corridor(wrong, NOW), "f")
