"""What begins a run: a clock time, a level, a reading."""

from datetime import datetime, timedelta
from typing import Any

import pytest
from pydantic import ValidationError

from tests.core.test_plan_ends import FLOW, T0, S, nothing, sample
from tidybench.core.plan.begin_watch import BeginWatch, Occasion
from tidybench.core.plan.begins import Begins
from tidybench.core.quality import Quality


def watch(**begins: Any) -> BeginWatch:
    return BeginWatch(Begins.model_validate(begins), T0, {"flow": FLOW})


def test_a_clock_time_is_the_moment_itself() -> None:
    later = datetime.fromtimestamp(T0 / 1e6) + timedelta(minutes=10)
    made = watch(at=f"{later:%H:%M:%S}")
    at = made.at
    assert at is not None
    assert abs(at - T0 - 600 * S) <= S
    assert made.look(at - 1, nothing) is None
    assert made.look(at + 90 * S, nothing) == Occasion(f"at {later:%H:%M:%S}", at)


def test_a_level_begins_it_when_it_has_held() -> None:
    made = watch(when={"channel": "flow", "side": "above", "value": 5, "for_s": 2})
    for n, value in enumerate([9, 4, 6, 6, 6]):
        found = made.look(T0 + n * S, nothing)
        assert found is None, n
        made.take(sample(1, T0 + n * S, value))
    assert made.look(T0 + 9 * S, nothing) == Occasion("Flow above 5 L/min for 2 s", T0 + 4 * S)


def test_what_was_measured_before_it_waited_does_not_count() -> None:
    made = watch(when={"channel": "flow", "side": "above", "value": 5})
    made.take(sample(1, T0 - 1, 9))
    assert made.look(T0, nothing) is None
    made.take(sample(1, T0 + 1, 9))
    assert made.look(T0 + S, nothing) == Occasion("Flow above 5 L/min", T0 + 1)


def test_the_next_reading_of_one_channel_begins_it_and_only_one_that_was_measured() -> None:
    made = watch(reading="flow")
    made.take(sample(2, T0 + 1, 1))
    made.take(sample(1, T0 + 2, float("nan"), Quality.NO_REPLY))
    assert made.look(T0 + S, nothing) is None
    made.take(sample(1, T0 + 3, 7))
    made.take(sample(1, T0 + 4, 8))
    assert made.look(T0 + S, nothing) == Occasion("a reading of Flow", T0 + 3)


def test_limits_begin_it_as_they_are_judged() -> None:
    made = watch(when={"channel": "flow", "side": "beyond its limits", "for_s": 1})
    asked: list[tuple[int, int]] = []

    def beyond(number: int, patience: int) -> bool:
        asked.append((number, patience))
        return True

    assert made.look(T0, beyond) is None
    assert made.look(T0 + S, beyond) == Occasion("Flow beyond its limits for 1 s", T0 + S)
    assert set(asked) == {(1, FLOW.patience)}


def test_a_channel_that_is_gone_never_begins_it() -> None:
    made = BeginWatch(Begins(reading="flow"), T0, {})
    assert made.gone == ["flow"]
    made.take(sample(1, T0 + 3, 7))
    assert made.look(T0 + S, nothing) is None


@pytest.mark.parametrize(
    ("begins", "said"),
    [
        ({"at": "17:30", "reading": "flow"}, "give one of at, when, reading"),
        ({"at": "noon"}, "is no time: write 17:30"),
        ({"before_s": 4000}, "less than or equal to 3600"),
        ({"when": {"channel": "flow", "side": "above"}}, "“above” needs a value"),
    ],
)
def test_beginnings_that_cannot_be(begins: dict[str, Any], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        Begins.model_validate(begins)


def test_its_words() -> None:
    assert Begins().words == "when a person begins it"
    assert Begins(at="06:00", before_s=60).words == "at 06:00, with the 60 s before"
    assert Begins(reading="flow").words == "with the next reading of flow"
    assert not Begins(before_s=60).waits
