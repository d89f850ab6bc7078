"""Test points: waited for, averaged, given up; beside NumPy."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.test_plan_ends import FLOW, HEAD, T0, S, sample
from tidybench.core.plan.point_order import PointOrder, PointRule
from tidybench.core.plan.point_taking import LATE, Averaged, PointTaking
from tidybench.core.quality import Quality
from tidybench.core.tape.events import PointTaken
from tidybench.core.tape.lines import parse_tape_line, tape_line
from tidybench.core.tape.shown import words_of
from tidybench.core.values.point import Point, PointMean, newest_of

CHANNELS = {"flow": Averaged(FLOW, 1), "head": Averaged(HEAD, 2)}


def taking(channels: dict[str, Any], **rule: Any) -> PointTaking:
    made = PointRule.model_validate({"channels": channels, **rule})
    order = PointOrder(
        rule=made, name="40 %", by="M. Okafor", sets=[{"name": "Valve", "unit": "%", "value": 40}]
    )  # type: ignore[list-item]
    return PointTaking(order, 3, {key: CHANNELS[key] for key in channels}, T0)


def run(
    made: PointTaking, values: dict[int, list[float]], until_s: float, step: int = S // 4
) -> Point | None:
    """Samples every quarter of a second; a value for each, the last one again and again. Nan: not measured."""
    for n in range(1, round(until_s * S / step) + 1):
        at = T0 + n * step
        for number, found in values.items():
            value = found[min(n, len(found)) - 1]
            quality = Quality.OK if value == value else Quality.NO_REPLY
            made.take(sample(number, at, value, quality))
        point = made.look(at)
        if point is not None:
            return point
    return None


@given(st.lists(st.floats(-1e6, 1e6), min_size=60, max_size=60), st.floats(1, 9))
def test_means_are_those_of_numpy_over_the_stretch(values: list[float], average_s: float) -> None:
    made = taking({"flow": {}, "head": {}}, average_s=average_s)
    point = run(made, {1: values, 2: values[::-1]}, 15)
    assert point is not None
    assert (point.since, point.until) == (T0, T0 + round(average_s * S))
    times = T0 + (np.arange(60) + 1) * (S // 4)
    inside = (times > point.since) & (times <= point.until)
    for mean, found in zip(point.means, (np.array(values), np.array(values[::-1])), strict=True):
        assert mean.count == inside.sum()
        assert mean.mean == pytest.approx(found[inside].mean(), rel=1e-9, abs=1e-6)
        assert (mean.minimum, mean.maximum) == (found[inside].min(), found[inside].max())
        if mean.count > 1:
            assert mean.sd == pytest.approx(found[inside].std(ddof=1), rel=1e-6, abs=1e-4)


def test_it_waits_until_all_are_steady_and_begins_again_where_one_leaves_its_band() -> None:
    made = taking({"flow": {"band": 1}, "head": {"band": 1}}, steady_s=2, average_s=4, give_up_s=60)
    restless = [float(n % 2) * 5 for n in range(20)]  # to 5 s
    kick = [10.0] * 12 + [50.0] + [10.0] * 100  # at 8.25 s, while it is averaged
    flow = restless + kick
    point = run(made, {1: flow, 2: [3.0]}, 40)
    assert point is not None
    assert point.steady
    assert point.gave_up == ""
    assert point.since >= T0 + round(10.25 * S)  # two seconds after the kick
    assert point.means[0].mean == 10.0
    assert point.until - point.since == 4 * S


def test_a_kick_between_the_last_look_and_the_end_counts() -> None:
    made = taking({"flow": {"band": 1}}, steady_s=1, average_s=2, give_up_s=60)
    for n in range(1, 9):
        made.take(sample(1, T0 + n * S // 4, 1.0))
        assert made.look(T0 + n * S // 4) is None
    assert made.until is not None
    made.take(sample(1, made.until - 10, 99.0))
    assert made.look(made.until + 10) is None
    assert made.since is None


def test_it_is_given_up_with_the_names_of_those_that_were_not_steady() -> None:
    made = taking({"flow": {"band": 1, "low": 0}, "head": {"band": 1}}, steady_s=2, average_s=3, give_up_s=10)
    restless = [float(n % 2) * 5 for n in range(200)]
    point = run(made, {1: restless, 2: [3.0]}, 60)
    assert point is not None
    assert point.gave_up == "not steady for 2 s: Flow"
    assert (point.means, point.since, point.steady, point.verdict) == ([], 0, False, "")
    assert point.at == T0 + 10 * S
    assert [one.value for one in point.sets] == [40]


def test_a_channel_that_is_lost_is_waited_for_and_without_a_band_said_to_be_not_known() -> None:
    nan = float("nan")
    made = taking({"flow": {"band": 1}}, steady_s=2, average_s=3, give_up_s=20)
    point = run(made, {1: [5.0] * 12 + [nan] * 100}, 60)
    assert point is not None
    assert point.gave_up == "not steady for 2 s: Flow"
    made = taking({"flow": {"low": 1, "high": 9}, "head": {}}, average_s=3)
    point = run(made, {1: [nan], 2: [2.0]}, 10)
    assert point is not None
    flow, head = point.means
    assert (flow.mean, flow.sd, flow.count, flow.missing, flow.verdict) == (None, None, 0, 12, "not known")
    assert (head.mean, head.count, head.verdict) == (2.0, 12, "")
    assert point.verdict == "not known"


def test_a_person_need_not_wait() -> None:
    made = taking({"flow": {"band": 1}}, steady_s=2, average_s=3, give_up_s=20)
    restless = [float(n % 2) * 5 for n in range(200)]
    assert run(made, {1: restless}, 5) is None
    made.do_not_wait(T0 + 5 * S)
    for n in range(21, 60):
        made.take(sample(1, T0 + n * S // 4, restless[n - 1]))
        point = made.look(T0 + n * S // 4)
        if point is not None:
            break
    assert point is not None
    assert (point.since, point.steady, point.means[0].count) == (T0 + 5 * S, False, 12)


def test_what_comes_late_is_in_it() -> None:
    made = taking({"flow": {}}, average_s=1)
    made.take(sample(1, T0 + S // 2, 1.0))
    assert made.look(T0 + S + LATE) is None
    made.take(sample(1, T0 + S, 2.0))
    made.take(sample(1, T0 + S + 1, 90.0))
    point = made.look(T0 + S + LATE + 1)
    assert point is not None
    assert point.means[0].mean == 1.5


@pytest.mark.parametrize(
    ("low", "high", "mean", "verdict"),
    [
        (None, None, 5.0, ""),
        (1, 9, 5.0, "within"),
        (5, None, 5.0, "within"),
        (None, 5, 5.0, "within"),
        (5.1, None, 5.0, "beyond"),
        (1, 4.9, 5.0, "beyond"),
        (1, 9, None, "not known"),
    ],
)
def test_verdicts(low: float | None, high: float | None, mean: float | None, verdict: str) -> None:
    one = PointMean(id="x", name="X", unit="", decimals=1, mean=mean, low=low, high=high)
    assert one.verdict == verdict
    known = PointMean(id="y", name="Y", unit="", decimals=1, mean=1, low=0)
    assert Point(number=1, at=1, means=[known, one]).verdict == (verdict or "within")


def test_the_newest_version_of_each_counts() -> None:
    points = [Point(number=n, version=v, at=1) for n, v in ((2, 1), (1, 1), (2, 2), (1, 2), (2, 3))]
    assert [(one.number, one.version) for one in newest_of(points)] == [(1, 2), (2, 3)]


def test_it_goes_over_the_tape_whole() -> None:
    made = taking({"flow": {"low": 1}}, average_s=1)
    point = run(made, {1: [5.0]}, 5)
    assert point is not None
    line = tape_line(7, "", PointTaken(point.at, point.model_dump()))
    _, _, event = parse_tape_line(line)
    assert isinstance(event, PointTaken)
    assert Point.model_validate(event.point) == point
    assert words_of(event) == "point 3 “40 %”: within"


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ({"channels": {}}, "at least 1"),
        ({"channels": {"a": {"low": 3, "high": 2}}}, "ends .2.0. before it begins"),
        ({"channels": {"a": {"band": 1}}, "give_up_s": 15}, "given up after 15 s, before"),
        ({"channels": {"a": {"band": 0}}}, "greater than 0"),
        ({"channels": {"a": {"low": True}}}, "number is wanted"),
    ],
)
def test_rules_that_cannot_be(rule: dict[str, Any], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        PointRule.model_validate(rule)
