"""Captures: so many samples about a trigger."""

import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tidybench.core.batch import Batch
from tidybench.core.curves.capture import Captured, Capturing, Sources
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.quality import Quality

NAN = math.nan


def order(**more: Any) -> CaptureOrder:
    return CaptureOrder.model_validate({"channels": ["a"], "samples": 4} | more)


def level(value: float, **more: Any) -> dict[str, Any]:
    return {"trigger": {"kind": "level", "channel": "a", "level": value} | more}


def fed(one: Capturing, values: list[float], at: int = 0, channel: int = 1) -> list[Captured]:
    """One sample an event, a millisecond apart."""
    for n, value in enumerate(values):
        batch = Batch()
        quality = Quality.OK if math.isfinite(value) else Quality.NO_READING
        batch.add(channel, quality, at + n * 1000, value)
        one.take(batch)
    return one.done


def test_at_once_it_takes_the_next_samples() -> None:
    one = Capturing(order(), Sources([1]))
    [taken] = fed(one, [5, 6, NAN, 8, 9])
    assert taken.values[0] == [0.0, 0.001, 0.002, 0.003]
    assert taken.values[1][:2] == [5, 6]
    assert math.isnan(taken.values[1][2])
    assert taken.qualities[1] == [Quality.OK, Quality.OK, Quality.NO_READING, Quality.OK]
    assert one.is_over


def test_a_level_has_so_many_samples_before_it() -> None:
    one = Capturing(order(before=2, **level(10)), Sources([1], 1))
    [taken] = fed(one, [1, 2, 3, 4, 11, 12, 13])
    assert taken.values == [[-0.002, -0.001, 0.0, 0.001], [3, 4, 11, 12]]
    assert (taken.trigger_at, taken.before) == (4000, 2)
    early = Capturing(order(before=3, **level(10)), Sources([1], 1))
    [taken] = fed(early, [1, 11, 12, 13])
    assert taken.values[0] == [-0.001, 0.0, 0.001, 0.002]  # what was not there is not made up
    assert taken.before == 1


@pytest.mark.parametrize(
    ("edge", "hysteresis", "values", "when"),
    [
        ("rising", 0, [11, 12, 9, 10], [3]),  # above from the beginning: it must have been below first
        ("rising", 0, [9, 11, 9, 11], [1, 3]),
        ("falling", 0, [9, 11, 9], [2]),
        ("either", 0, [9, 11, 9], [1, 2]),
        ("rising", 2, [7, 11, 9, 11, 7, 11], [1, 5]),
        ("falling", 2, [13, 9, 11, 9, 12, 10], [1, 5]),
        ("either", 2, [7, 10.5, 9.5, 10.5, 13, 9.5, 7.9, 10], [1, 5, 7]),
        ("rising", 0, [9, NAN, 11], [2]),
    ],
)
def test_a_level_is_passed_once_and_again_when_it_was_back(
    edge: str, hysteresis: float, values: list[float], when: list[int]
) -> None:
    one = Capturing(
        order(samples=2, times=100, **level(10, edge=edge, hysteresis=hysteresis)), Sources([1], 1)
    )
    came = [n for n, value in enumerate(values) if one._crosses((n, [value], [0]))]
    assert came == when


def test_again_and_again_and_what_comes_meanwhile_is_counted() -> None:
    one = Capturing(order(samples=3, times=2, **level(10)), Sources([1], 1))
    done = fed(one, [0, 11, 0, 11, 0, 11, 0, 0, 0, 11])
    assert [taken.values[1] for taken in done] == [[11, 0, 11], [11, 0, 0]]
    assert (one.missed, one.is_over) == (1, True)


def test_a_press_means_the_first_sample_from_then_on() -> None:
    one = Capturing(order(before=1, **level(1e9)), Sources([1], 1))
    fed(one, [1, 2, 3])
    one.press(2500)
    [taken] = fed(one, [4, 5, 6], at=3000)
    assert taken.values == [[-0.0005, 0.0005, 0.0015, 0.0025], [3, 4, 5, 6]]


def test_channels_of_one_message_and_a_devices_own_clock() -> None:
    """The clock's value says how late the message came: device time is arrival less that."""
    one = Capturing(order(channels=["a", "b"], own_time=True, samples=2), Sources([1, 3], 0, 2))
    batch = Batch()
    for at, a, late, b in ((1_000_000, 5.0, 0.4, 50.0), (1_300_000, 6.0, 0.2, 60.0)):
        batch.add(1, 0, at, a)
        batch.add(2, 0, at, late)
        batch.add(3, 0, at, b)
    batch.add(9, 0, 1_300_000, 1.0)  # another's
    one.take(batch)
    [taken] = one.done
    assert taken.values == [[0.0, 0.5], [5.0, 6.0], [50.0, 60.0]]


def test_what_is_calculated_of_a_message_is_in_its_row() -> None:
    one = Capturing(order(channels=["a", "c"], samples=2), Sources([1, 7]))
    batch = Batch()
    batch.add(1, 0, 10, 1.0)
    batch.add(1, 0, 20, 2.0)
    batch.add(7, 0, 10, 100.0)  # calculated: behind all messages of the event
    batch.add(7, 0, 20, 200.0)
    one.take(batch)
    assert one.done[0].values[1:] == [[1.0, 2.0], [100.0, 200.0]]


@given(
    st.lists(st.floats(-5, 5), min_size=1, max_size=200),
    st.integers(2, 20), st.integers(0, 19), st.integers(1, 5), st.sampled_from(["rising", "falling", "either"]),
)  # fmt: skip
def test_every_capture_is_a_stretch_of_what_came(
    values: list[float], samples: int, before: int, times: int, edge: str
) -> None:
    before = min(before, samples - 1)
    one = Capturing(
        order(samples=samples, before=before, times=times, **level(0, edge=edge)), Sources([1], 1)
    )
    for taken in fed(one, values):
        start = taken.begun_at // 1000
        assert taken.values[1] == values[start : start + samples]
        at = values[start + taken.before]
        assert at >= 0 if edge == "rising" else at <= 0 if edge == "falling" else True
    assert one.taken <= times


@pytest.mark.parametrize(
    "more",
    [
        {"before": 4},
        {"channels": []},
        {"channels": ["a", "a"]},
        {"trigger": {"kind": "level", "channel": "a"}},
        {"trigger": {"kind": "message", "instrument": "a"}},
        {"trigger": {"kind": "command"}},
        {"trigger": {"kind": "time", "at": "25:00"}},
        {"samples": 1},
        {"times": 0},
    ],
)
def test_what_cannot_be_taken_is_refused(more: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        order(**more)
