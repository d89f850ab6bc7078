"""Steps of scaling, filters, thinning, zero: what they make of a field."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from tidybench.core.batch import Batch
from tidybench.core.channels.filters import make_filter
from tidybench.core.channels.pipeline import ChannelPipeline
from tidybench.core.channels.scaling import combined, judged, residuals, traced
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.quality import Quality
from tidybench.core.setup import SetupError
from tidybench.core.setup.filters import FilterPart, ThinningPart
from tidybench.core.setup.scaling import CalibrationPart, ScalingStep
from tidybench.core.tape.events import Received, Start, Zeroed

STEPS: TypeAdapter[list[ScalingStep]] = TypeAdapter(list[ScalingStep])
FILTER: TypeAdapter[FilterPart] = TypeAdapter(FilterPart)
SECOND = 1_000_000


def scaled(value: float, *steps: dict[str, object]) -> "tuple[Quality, float]":
    return judged(combined(STEPS.validate_python(list(steps)))(value))


@pytest.mark.parametrize(
    ("value", "step", "expected"),
    [
        (3.0, {"kind": "sign"}, -3.0),
        (12345.0, {"kind": "decimals", "places": 3}, 12.345),
        (2.0, {"kind": "linear", "scale": 3, "offset": 1}, 7.0),
        (13824.0, {"kind": "range", "low": 0, "high": 27648, "becomes_low": -50, "becomes_high": 50}, 0.0),
        (12.0, {"kind": "current loop", "at_4": 0, "at_20": 10}, 5.0),
        (1.0, {"kind": "points", "points": [[0, 0.1], [2, 2.3]]}, 1.2),
        (3.0, {"kind": "points", "points": [[0, 0.0], [2, 2.2]]}, 3.3),
        (-1.0, {"kind": "points", "points": [[2, 4], [0, 0], [1, 1]]}, -1.0),
        (138.51, {"kind": "resistance thermometer"}, 100.0),
        (4.096, {"kind": "thermocouple", "type": "K"}, 100.0),
        (10000.0, {"kind": "thermistor", "r25": 10000, "beta": 3950}, 25.0),
        (1500.0, {"kind": "unit", "source": "W", "target": "kW"}, 1.5),
    ],
)
def test_each_step(value: float, step: dict[str, object], expected: float) -> None:
    quality, found = scaled(value, step)
    assert quality is Quality.OK
    assert found == pytest.approx(expected, abs=0.02 if "thermo" in str(step["kind"]) else 1e-9)


def test_a_loop_that_is_broken_or_failed_gives_no_number() -> None:
    loop = {"kind": "current loop", "at_4": 0, "at_20": 10}
    then = {"kind": "linear", "scale": 2}
    for current, quality in ((3.5, Quality.UNDER), (21.1, Quality.OVER)):
        found = scaled(current, loop, then)
        assert found[0] is quality
        assert math.isnan(found[1])
    assert scaled(3.7, loop)[1] == pytest.approx(-0.1875)  # still in its range of measuring


def test_a_fitted_polynomial_and_what_it_leaves() -> None:
    points = [[x, 0.5 * x * x + 2] for x in range(5)]
    [step] = STEPS.validate_python([{"kind": "points", "points": points, "fit": "polynomial", "degree": 2}])
    assert combined([step])(10.0) == pytest.approx(52.0)
    assert residuals(step) == pytest.approx([0.0] * 5, abs=1e-9)  # type: ignore[arg-type]
    [straight] = STEPS.validate_python(
        [{"kind": "points", "points": points, "fit": "polynomial", "degree": 1}]
    )
    assert max(map(abs, residuals(straight))) > 0.5  # type: ignore[arg-type]


def test_every_step_is_shown_before_and_after() -> None:
    steps = STEPS.validate_python(
        [{"kind": "sign"}, {"kind": "current loop", "at_4": 0, "at_20": 1}, {"kind": "linear"}]
    )
    shown = traced(steps, 5.0)
    assert [step.value for step in shown] == [-5.0, None]  # nothing comes behind what is under range
    assert shown[1].quality is Quality.UNDER


@pytest.mark.parametrize(
    "step",
    [
        {"kind": "points", "points": [[1, 2], [1, 3]]},
        {"kind": "points", "points": [[1, 2], [2, 3]], "fit": "polynomial", "degree": 2},
        {"kind": "range", "low": 1, "high": 1, "becomes_low": 0, "becomes_high": 1},
        {"kind": "current loop", "at_4": 5, "at_20": 5},
        {"kind": "thermistor", "a": 1.0, "b": 2.0},
        {"kind": "unit", "source": "bar", "target": "°C"},
        {"kind": "linear", "scale": float("nan")},
    ],
)
def test_steps_that_cannot_be_are_refused(step: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        STEPS.validate_python([step])


def test_a_calibration_that_ends_before_it_begins() -> None:
    with pytest.raises(ValidationError, match="not after"):
        CalibrationPart.model_validate({"date": "2026-05-01", "due": "2026-04-01"})


# ---- filters


def run(part: dict[str, object], values: list[float], every: int = SECOND) -> list[float | None]:
    one = make_filter(FILTER.validate_python(part))
    return [one.take(n * every, value) for n, value in enumerate(values)]


def test_filters() -> None:
    assert run({"kind": "mean", "count": 2}, [1, 3, 5]) == [1, 2, 4]
    assert run({"kind": "median", "count": 3}, [1, 100, 3, 2]) == [1, 50.5, 3, 3]
    assert run({"kind": "spikes", "jump": 5, "patience": 2}, [1, 100, 2, 50, 51, 52]) == [
        1,
        None,
        2,
        None,
        None,
        52,
    ]
    lag = run({"kind": "exponential", "time_constant_s": 1}, [0, 1, 1, 1])
    assert lag == pytest.approx([0, 1 - math.exp(-1), 1 - math.exp(-2), 1 - math.exp(-3)])


def test_a_notch_takes_the_hum_and_leaves_the_rest() -> None:
    every = 2000  # 500 samples a second
    hum = [10 + math.sin(2 * math.pi * 50 * n * every / 1e6) for n in range(2000)]
    slow = [10 + math.sin(2 * math.pi * 1 * n * every / 1e6) for n in range(2000)]
    quiet, kept = (run({"kind": "hum", "mains": 50}, values, every) for values in (hum, slow))
    assert max(abs(v - 10) for v in quiet[1000:]) < 0.02  # type: ignore[operator]
    assert max(abs(a - b) for a, b in zip(kept[1000:], slow[1000:], strict=True)) < 0.02  # type: ignore[operator]
    # At 20 a second hum cannot be told from the signal: nothing is done.
    assert run({"kind": "hum"}, [1.0, 5.0, 1.0], 50_000) == [1.0, 5.0, 1.0]


@given(
    st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=300),
    st.integers(3, 9),
    st.sampled_from(["mean", "median"]),
)
def test_sliding_filters_are_what_they_say(values: list[float], count: int, kind: str) -> None:
    found = run({"kind": kind, "count": count}, values)
    for n, one in enumerate(found):
        window = sorted(values[max(0, n - count + 1) : n + 1])
        middle = (window[(len(window) - 1) // 2] + window[len(window) // 2]) / 2
        expected = math.fsum(window) / len(window) if kind == "mean" else middle
        assert one == pytest.approx(expected, rel=1e-9, abs=1e-6)


@pytest.mark.parametrize(
    "part",
    [
        {"kind": "mean"},
        {"kind": "median"},
        {"kind": "exponential"},
        {"kind": "spikes", "jump": 3},
        {"kind": "hum"},
    ],
)
def test_a_filter_goes_on_from_its_state(part: dict[str, object]) -> None:
    values = [math.sin(n) * 5 for n in range(40)]
    whole, first, second = (make_filter(FILTER.validate_python(part)) for _ in range(3))
    straight = [whole.take(n * 1000, v) for n, v in enumerate(values)]
    begun = [first.take(n * 1000, v) for n, v in enumerate(values[:20])]
    second.restore(first.state())
    assert begun + [second.take((n + 20) * 1000, v) for n, v in enumerate(values[20:])] == straight


# ---- thinning, and what happens at gaps


def finished(pipeline: ChannelPipeline, *samples: "tuple[int, int, float]") -> list[tuple[int, int, float]]:
    out = Batch()
    for quality, at, value in samples:
        pipeline.take(quality, at, value, out)
    return [(w & 0xFF, t, v) for w, t, v in zip(out.words, out.times, out.values, strict=True)]


def test_thinning_keeps_every_nth_or_one_for_each_stretch() -> None:
    tenth = ChannelPipeline(1, thinning=ThinningPart(keep="every", every=3))
    assert [v for _, _, v in finished(tenth, *[(0, n, float(n)) for n in range(9)])] == [2.0, 5.0, 8.0]
    for keep, value in (("mean", 2.0), ("min", 1.0), ("max", 3.0)):
        part = ThinningPart(keep=keep, every_s=1)  # type: ignore[arg-type]
        samples = [(0, 100_000, 1.0), (0, 500_000, 3.0), (0, 900_000, 2.0), (0, 1_100_000, 9.0)]
        assert finished(ChannelPipeline(1, thinning=part), *samples) == [(0, SECOND, value)]


def test_a_stretch_with_a_hole_is_flagged_and_an_empty_one_has_no_number() -> None:
    part = ThinningPart(keep="mean", every_s=1)
    found = finished(
        ChannelPipeline(1, thinning=part),
        (0, 1, 4.0),
        (7, 2, 0.0),
        (7, SECOND + 1, 0.0),
        (0, 2 * SECOND + 1, 1.0),
    )
    assert found[0] == (Quality.FLAGGED, SECOND, 4.0)
    assert found[1][0] == Quality.NO_REPLY
    assert math.isnan(found[1][2])


def test_a_lost_link_is_said_at_once_behind_what_was_gathered() -> None:
    made = ChannelPipeline(1, thinning=ThinningPart(keep="mean", every_s=60))
    found = finished(made, (0, SECOND, 4.0), (8, 5 * SECOND, 0.0), (8, 6 * SECOND, 0.0))
    assert found[0] == (0, 5 * SECOND - 1, 4.0)
    assert [(quality, at) for quality, at, _ in found[1:]] == [(8, 5 * SECOND), (8, 6 * SECOND)]


def test_nothing_is_filtered_across_a_gap() -> None:
    made = ChannelPipeline(1, filters=[FILTER.validate_python({"kind": "mean", "count": 10})])
    found = finished(made, (0, 1, 100.0), (0, 2, 100.0), (8, 3, 0.0), (0, 4, 2.0))
    assert found[-1] == (0, 4, 2.0)


SETUP = """
format = 1
[instrument]
id = "a"
name = "A"
talks = "on its own"
[link]
port = "p"
[framing]
terminator = "\\n"
[listen]
patterns = ["<mv> <x>"]
[[channel]]
id = "t"
name = "T"
field = "mv"
unit = "°C"
filter = [{ kind = "mean", count = 2 }]
[[channel.scaling]]
kind = "thermocouple"
type = "K"
[[channel]]
id = "x"
name = "X"
field = "x"
"""


def values(batch: Batch | None, channel: int) -> list[float]:
    assert batch is not None
    return [v for w, v in zip(batch.words, batch.values, strict=True) if w >> 8 == channel]


def test_a_link_scales_filters_and_zeroes_and_a_tape_goes_on_from_its_state() -> None:
    def reader() -> LinkReader:
        return LinkReader(plan_links([load(SETUP)], {"t": 1, "x": 2})[0])

    one = reader()
    one.feed(Received(0, b"half a message\n"))
    assert values(one.feed(Received(1, b"4.096 5\n")), 1) == pytest.approx([100.0], abs=0.01)
    assert one.feed(Zeroed(2, "x", 4.0)) is None
    batch = one.feed(Received(3, b"8.138 5\n"))  # 200 °C; the mean of two
    assert values(batch, 1) == pytest.approx([150.0], abs=0.02)
    assert values(batch, 2) == [1.0]
    other = reader()
    other.feed(Start(4, one.state()))
    for data in (b"4.096 7\n", b"0.000 3\n"):
        first, second = one.feed(Received(5, data)), other.feed(Received(5, data))
        assert first is not None
        assert second is not None
        assert (first.words, first.values) == (second.words, second.values)
    one.feed(Zeroed(6, "x", 0.0, 4.0))
    assert values(one.feed(Received(7, b"4.0 5\n")), 2) == [5.0]


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        ('[[channel.scaling]]\nkind = "linear"\nscal = 2', "no such key"),
        ('[[channel.scaling]]\nkind = "nonsense"', "is not possible here"),
        ("limits = { low = 5, high = 3 }", "the lower limit 5 must be below the upper limit 3"),
        ("limits = { high = 3, high_caution = 4 }", "the upper caution 4 must be below the upper limit 3"),
        ("limits = { low = 1, high = 3, hysteresis = 1 }", "leaves nothing between"),
        ('thinning = { keep = "every" }', "say which one is kept"),
        ("zero = {}", "give a text to send"),
    ],
)
def test_slips_in_a_channel_are_said_at_their_place(more: str, sentence: str) -> None:
    with pytest.raises(SetupError, match=sentence) as caught:
        load(SETUP + more)
    assert "channel.2" in str(caught.value)
