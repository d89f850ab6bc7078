"""What ends a run by itself: levels held, channels settled, clock times."""

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tidybench.core.batch import Batch
from tidybench.core.plan.end_watch import EndWatch
from tidybench.core.plan.ends import Ends, clock_time
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.plan.settled_watch import SettledChannel, SettledWatch, settled_band
from tidybench.core.plan.steadiness import MIN_SAMPLES, Steadiness
from tidybench.core.plan.watched import Watched
from tidybench.core.quality import Quality

S = 1_000_000
T0 = 1_795_416_792 * S
FLOW = Watched(1, "Flow", "L/min", 3 * S)
HEAD = Watched(2, "Head", "m", 3 * S)


def watch(begun: int = T0, **ends: Any) -> EndWatch:
    return EndWatch(Ends.model_validate(ends), begun, {"flow": FLOW, "head": HEAD})


def sample(number: int, at: int, value: float, quality: Quality = Quality.OK) -> Batch:
    made = Batch()
    made.add(number, quality, at, value)
    return made


def nothing(_: int, __: int) -> bool:
    return False


def test_a_level_must_hold_without_a_break() -> None:
    made = watch(when=[{"channel": "flow", "side": "above", "value": 5, "for_s": 2}])
    values = [4, 6, 6, 4, 6, 6, 6]
    ended = []
    for n, value in enumerate(values):
        made.take(sample(1, T0 + n * S, value))
        ended.append(made.look(T0 + n * S, 0, nothing))
    assert ended == [""] * 6 + ["Flow above 5 L/min for 2 s"]
    made = watch(when=[{"channel": "flow", "side": "below", "value": 5, "for_s": 2}])
    for n, quality in enumerate([Quality.OK, Quality.OK, Quality.NO_REPLY, Quality.OK, Quality.OK]):
        made.take(sample(1, T0 + n * S, 1.0 if quality.measured else float("nan"), quality))
        assert made.look(T0 + n * S, 0, nothing) == ""  # what was not measured is a break


def test_silence_is_a_break() -> None:
    """A link that says nothing for longer than it is waited for has measured nothing meanwhile."""
    made = watch(when=[{"channel": "flow", "side": "above", "value": 5, "for_s": 4}])
    for second in (0, 1, 60, 61):
        made.take(sample(1, T0 + second * S, 6))
        assert made.look(T0 + second * S, 0, nothing) == ""
    for second in (62, 63, 64):
        made.take(sample(1, T0 + second * S, 6))
    assert made.look(T0 + 64 * S, 0, nothing) == "Flow above 5 L/min for 4 s"


def test_a_clock_time_is_the_next_one_after_it_was_given() -> None:
    """In a run of days: ten minutes from now, not yesterday."""
    begun, given = T0, T0 + 30 * 3600 * S
    later = datetime.fromtimestamp(given / 1e6) + timedelta(minutes=10)
    made = EndWatch(Ends(at=f"{later:%H:%M:%S}"), begun, {}, given_at=given)
    assert made.at is not None
    assert abs(made.at - given - 600 * S) <= S


def test_beyond_its_limits_is_what_the_limits_say() -> None:
    made = watch(when=[{"channel": "head", "side": "beyond its limits", "for_s": 1}])
    beyond = [False, True, False, True, True]
    got = [made.look(T0 + n * S, 0, lambda number, _, n=n: number == 2 and beyond[n]) for n in range(5)]  # type: ignore[misc]
    assert got == ["", "", "", "", "Head beyond its limits for 1 s"]


def test_time_rows_and_the_clock_whatever_comes_first() -> None:
    made = watch(after_s=600, rows=100)
    assert made.at == T0 + 600 * S
    assert made.look(T0 + 599 * S, 99, nothing) == ""
    assert made.look(T0 + 600 * S, 99, nothing) == "after 10 min"
    assert made.look(T0, 100, nothing) == "100 rows"
    made = watch(after_s=7200, at="2026-11-23T08:00:00+01:00")
    assert made.at == round(datetime.fromisoformat("2026-11-23T07:00:00+00:00").timestamp() * 1e6)
    assert made.look(made.at, 0, nothing) == "at 2026-11-23T08:00:00+01:00"


@given(st.integers(0, 10**9), st.integers(0, 23), st.integers(0, 59))
def test_a_time_of_day_is_the_next_one(seconds: int, hour: int, minute: int) -> None:
    after = T0 + seconds * S
    found = clock_time(f"{hour:02d}:{minute:02d}", after)
    assert after < found <= after + 25 * 3600 * S
    local = datetime.fromtimestamp(found / 1e6)
    assert (local.hour, local.minute, local.second) == (hour, minute, 0)


@given(
    st.lists(
        st.tuples(
            st.integers(1, 900_000), st.floats(-3, 3), st.sampled_from([Quality.OK] * 12 + [Quality.OVER])
        ),
        min_size=1,
        max_size=80,
    ),
    st.sampled_from([0.5, 1.0, 2.0]),
    st.sampled_from([0.5, 2.0, 5.0]),
)
def test_steady_is_what_numpy_says(came: list[tuple[int, float, Quality]], for_s: float, band: float) -> None:
    steady = Steadiness(round(for_s * S), band, patience=700_000)
    at, kept = T0, []
    for step, value, quality in came:
        at += step
        kept.append((at, value, quality.measured))
        steady.take(at, quality, value)
        # By hand: back from here to the last break.
        start = len(kept)
        while (
            start > 0
            and kept[start - 1][2]
            and (start == len(kept) or kept[start][0] - kept[start - 1][0] <= 700_000)
        ):
            start -= 1
        run = kept[start:]
        window = [one for one in run if one[0] >= at - round(for_s * S)]
        values = np.array([one[1] for one in window])
        wanted = bool(
            run
            and at - run[0][0] >= round(for_s * S)
            and len(values) >= MIN_SAMPLES
            and np.ptp(values) <= band
        )
        assert steady.holds(at) == wanted
        assert not steady.holds(at + 700_001)


def test_all_chosen_channels_must_have_settled() -> None:
    made = watch(settled={"bands": {"flow": 1.0, "head": 0.2}, "for_s": 2})
    for n in range(60):
        at = T0 + n * S // 4
        made.take(sample(1, at, 50 + n % 2 * 0.5))
        made.take(sample(2, at, 3.0 + (0.5 if n < 30 else 0.1) * (n % 2)))
        reason = made.look(at, 0, nothing)
        assert made.unsettled(at) == (["Flow", "Head"] if n < 8 else ["Head"] if n < 38 else [])
        assert reason == ("settled for 2 s: Flow, Head" if n >= 38 else "")


def test_a_channel_that_is_gone_is_said_and_ends_nothing() -> None:
    made = EndWatch(
        Ends.model_validate(
            {
                "when": [{"channel": "gone", "side": "above", "value": 1}],
                "settled": {"bands": {"away": 1}, "for_s": 1},
            }
        ),
        T0,
        {},
    )
    assert made.gone == ["gone", "away"]
    assert made.look(T0 + 9 * S, 9, nothing) == ""
    assert made.unsettled(T0) == ["away"]


@pytest.mark.parametrize(
    ("ends", "said"),
    [
        ({"at": "25:00"}, "is no time"),
        ({"at": "2026-11-27T06:00"}, "is no time"),
        ({"after_s": 0}, "greater than 0"),
        ({"rows": 0}, "greater than or equal to 1"),
        ({"when": [{"channel": "flow", "side": "above"}]}, "needs a value"),
        ({"when": [{"channel": "flow", "side": "beyond its limits", "value": 3}]}, "takes no value"),
        ({"settled": {"bands": {}, "for_s": 1}}, "at least 1"),
        ({"settled": {"bands": {"flow": -1}, "for_s": 1}}, "greater than 0"),
        ({"until": 5}, "Extra inputs"),
    ],
)
def test_ends_that_cannot_be(ends: dict[str, Any], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        RunPlan.model_validate({"name": "x", "ends": ends})


def settling(band: float = 1.0, interval_s: float = 0.5) -> SettledChannel:
    return SettledChannel(Watched(7, "Flow", "L/min", patience=2 * S), interval_s, band)


def feed(watch: SettledWatch, first: int, last: int, value: Callable[[int], float]) -> None:
    for n in range(first, last):
        batch = Batch()
        batch.add(7, Quality.OK, T0 + n * S // 2, value(n))
        batch.add(8, Quality.OK, T0 + n * S // 2, float(n))
        watch.take(batch)


def test_a_readout_says_settled_in_the_sense_of_the_ends_of_runs() -> None:
    watch = SettledWatch()
    watch.employ([settling()])
    feed(watch, 0, 40, lambda n: 50 + n % 2 * 0.9)
    assert watch.settled(T0 + 39 * S // 2) == set()  # 19.5 s
    feed(watch, 40, 41, lambda n: 50)
    assert watch.settled(T0 + 40 * S // 2) == {7}
    watch.employ([settling()])  # another set-up came, this channel stays as it is
    assert watch.settled(T0 + 40 * S // 2) == {7}
    assert watch.settled(T0 + 40 * S // 2 + 3 * S) == set()  # nothing comes any more
    feed(watch, 41, 42, lambda n: 51.2)
    assert watch.settled(T0 + 41 * S // 2) == set()
    watch.employ([settling(band=2)])
    feed(watch, 42, 90, lambda n: 51.2)
    assert watch.settled(T0 + 89 * S // 2) == {7}


def test_a_slow_channel_settles_over_its_five_values() -> None:
    watch = SettledWatch()
    watch.employ([SettledChannel(Watched(7, "Level", "m", patience=100 * S), 30.0, 0.1)])
    for n in range(7):
        batch = Batch()
        batch.add(7, Quality.OK, T0 + n * 30 * S, 2.0)
        watch.take(batch)
        assert watch.settled(T0 + n * 30 * S) == ({7} if n >= 5 else set())


@pytest.mark.parametrize(
    ("stated", "decimals", "band"), [(None, 1, 1.0), (None, 3, 0.01), (None, 0, 10.0), (0.3, 1, 0.3)]
)
def test_the_band_is_the_stated_one_or_ten_last_digits(
    stated: float | None, decimals: int, band: float
) -> None:
    assert settled_band(stated, decimals) == band
