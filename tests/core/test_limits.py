"""Limits: when a state changes, and when it does not."""

import math

import pytest

from tests.conftest import setup_text
from tests.core.test_states import HEAD, PLAIN, channel
from tidybench.core.batch import Batch
from tidybench.core.channels.limits import LimitWatch, crossing_words
from tidybench.core.compile.load import load
from tidybench.core.derivation import Derivation, basis
from tidybench.core.quality import Quality
from tidybench.core.setup import SetupError
from tidybench.core.setup.calculated import Calculations
from tidybench.core.setup.channel import LimitsPart
from tidybench.core.tape.events import Note, Opened, Received, Start
from tidybench.core.values.crossing import Crossing

SECOND = 1_000_000


def states(limits: dict[str, float], *values: float, every: float = 1.0) -> list[str]:
    """The state after each value."""
    watch = LimitWatch(1, LimitsPart.model_validate(limits))
    found = []
    for n, value in enumerate(values):
        watch.take(Quality.OK, round(n * every * SECOND), value)
        found.append(watch.state)
    return found


def test_two_levels_on_each_side() -> None:
    limits = {"low": 0, "low_caution": 2, "high_caution": 8, "high": 10}
    assert states(limits, 5, 9, 11, 9, 5, 1, -1, 1, 5) == [
        "within", "high caution", "high", "high caution", "within", "low caution", "low", "low caution", "within",
    ]  # fmt: skip


def test_a_value_on_the_limit_is_within() -> None:
    assert states({"low": 0, "high": 10}, 0, 10) == ["within", "within"]


def test_coming_back_takes_the_hysteresis() -> None:
    assert states({"high": 10, "hysteresis": 1}, 9, 11, 9.5, 9.1, 8.9, 9.5) == [
        "within", "high", "high", "high", "within", "within",
    ]  # fmt: skip


def test_a_short_peak_does_not_count() -> None:
    assert states({"high": 10, "delay_s": 2}, 5, 11, 5, 11, 11, 11, 5) == [
        "within", "within", "within", "within", "within", "high", "within",
    ]  # fmt: skip


def test_nothing_is_judged_right_after_the_start() -> None:
    watch = LimitWatch(1, LimitsPart(high=10, after_start_s=5), warm_up=8)
    watch.started(0, opened=False)
    watch.take(0, 4 * SECOND, 99)
    assert watch.state == "starting"
    crossing = watch.take(0, 6 * SECOND, 99)
    assert crossing is not None
    assert crossing.state == "high"
    assert crossing.limit == 10
    watch.started(10 * SECOND, opened=True)  # its link was opened again: it warms up
    watch.take(0, 17 * SECOND, 99)
    assert watch.state == "starting"


def test_a_value_that_never_moves_is_stuck() -> None:
    assert states({"stuck_s": 3}, 5, 5, 5, 5, 6) == ["within", "within", "within", "stuck", "within"]


def test_what_was_not_measured_says_nothing() -> None:
    watch = LimitWatch(1, LimitsPart(high=10))
    watch.take(Quality.OK, 0, 11)
    assert watch.take(Quality.LINK_LOST, 1, math.nan) is None
    assert watch.state == "high"


def test_moved_limits_count_from_the_next_sample() -> None:
    watch = LimitWatch(1, LimitsPart(high=10))
    watch.take(0, 0, 5)
    watch.change(LimitsPart(high=4))
    crossing = watch.take(0, 1, 5)
    assert crossing is not None
    assert crossing.before == "within"
    assert crossing_words("Flow", crossing, "L/min", 1) == "Flow is above the limit of 4.0 L/min: 5.0 L/min"
    watch.change(LimitsPart())
    watch.take(0, 2, 5)
    assert watch.state == ""


@pytest.mark.parametrize(
    "limits", [{"low": 5, "high": 5}, {"low": 6, "high": 5}, {"low": 1, "low_caution": 0}, {"high": math.nan}]
)
def test_limits_that_cannot_be(limits: dict[str, float]) -> None:
    with pytest.raises(ValueError):  # noqa: PT011 - pydantic's own is one
        LimitsPart.model_validate(limits)


# ---- all of a bench together

LINK = "simulated/loop-flow-meter"
NUMBERS = {"loop-flow": 1, "volume": 2}
VOLUME = Calculations.model_validate(
    {"calculated": [{"id": "volume", "name": "Volume", "expression": 'integral("loop-flow")', "unit": "L"}]}
)


def flow(at: float, value: float) -> tuple[str, Received, Batch]:
    batch = Batch()
    batch.add(1, Quality.OK, round(at * SECOND), value)
    return LINK, Received(round(at * SECOND), b""), batch


def test_on_a_tape_only_links_that_have_begun_count() -> None:
    made = Derivation([load(setup_text("loop-flow-meter"))], VOLUME, NUMBERS, tape=True)
    made.feed("", Note(0, "begin", "x"), None)
    link, event, batch = flow(0, 60)
    made.feed(link, event, batch)
    assert len(batch) == 1
    made.feed(LINK, Start(1, {}), None)
    for at in (1, 2):
        link, event, batch = flow(at, 60)
        made.feed(link, event, batch)
    assert batch.words[1] >> 8 == 2
    assert batch.values[1] == pytest.approx(1.0)


def test_after_a_run_links_that_come_later_count_too() -> None:
    made = Derivation([load(setup_text("loop-flow-meter"))], VOLUME, NUMBERS)
    made.feed("", Note(0, "begin", "x"), None)
    made.feed("", Note(1, "end", "ended by a person"), None)
    _, _, batch = entry = flow(2, 60)
    made.feed(*entry)
    assert len(batch) == 2


def test_at_a_runs_beginning_everything_remembered_begins_anew() -> None:
    made = Derivation([load(setup_text("loop-flow-meter"))], VOLUME, NUMBERS)
    for at in (0, 60):
        made.feed(*flow(at, 60))
    made.feed("", Note(61 * SECOND, "begin", "x"), None)
    made.feed(LINK, Start(61 * SECOND, {}), None)
    _, _, batch = entry = flow(62, 60)
    made.feed(*entry)
    assert batch.values[1] == 0.0


def test_crossings_and_opened_links() -> None:
    setup = load(setup_text("loop-flow-meter"))  # 60 to 200 L/min
    made = Derivation([setup], Calculations(), NUMBERS)
    assert [c.state for c in made.feed(*flow(0, 150))] == ["within"]
    assert [c.state for c in made.feed(*flow(1, 250))] == ["high"]
    made.limit(1, LimitsPart(high=300))
    assert [c.state for c in made.feed(*flow(2, 250))] == ["within"]
    made.limit(1, LimitsPart(high=300, after_start_s=60))
    made.feed(LINK, Opened(3 * SECOND, {}), None)
    assert [c.state for c in made.feed(*flow(4, 400))] == ["starting"]


def test_one_derivation_takes_over_from_another() -> None:
    setup = load(setup_text("loop-flow-meter"))
    first = Derivation([setup], Calculations(), NUMBERS)
    first.feed(*flow(0, 250))
    second = Derivation([setup], VOLUME, NUMBERS)
    second.inherit(first)
    assert second.feed(*flow(1, 250)) == []  # it is above already: nothing is said twice
    assert basis([setup], Calculations()) != basis([setup], VOLUME)
    renamed = [c.model_copy(update={"name": "Other", "limits": LimitsPart(high=1)}) for c in setup.channel]
    assert basis([setup], VOLUME) == basis([setup.model_copy(update={"channel": renamed})], VOLUME)


def test_states_are_judged_by_their_words() -> None:
    limits = LimitsPart(alarm=["FAULT"], caution=["WAIT"])
    watch = LimitWatch(1, limits, states=["IDLE", "WAIT", "FAULT"])
    crossings = [watch.take(Quality.OK, n * SECOND, place) for n, place in enumerate((0, 1, 2, 2, 0))]
    told = [crossing_words("Mode", one, "", 0) for one in crossings[1:] if one is not None]
    assert told == ["Mode is WAIT", "Mode is FAULT", "Mode is back within its limits: IDLE"]
    assert [(one.state, one.word) for one in crossings if one is not None] == [
        ("within", "IDLE"), ("caution", "WAIT"), ("alarm", "FAULT"), ("within", "IDLE"),
    ]  # fmt: skip
    watch = LimitWatch(1, LimitsPart(stuck_s=3), states=["IDLE", "RUN"])
    stuck = [watch.take(Quality.OK, n * SECOND, 1) for n in range(5)]
    assert [crossing_words("Mode", one, "", 0) for one in stuck[1:] if one] == ["Mode has not moved from RUN"]
    # Other words in other places: the same word is told.
    watch.change(limits, ["FAULT", "IDLE", "WAIT"])
    assert watch.take(Quality.OK, 9 * SECOND, 0) == Crossing(
        9 * SECOND, 1, "alarm", "stuck", 0, None, word="FAULT"
    )


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        ('states = ["A", "B"]\nlimits = { high = 1 }', "a channel of states has words (caution, alarm), no levels"),
        ('states = ["A", "B"]\nlimits = { alarm = ["C"] }', "“C” is none of the states (A, B)"),
        ('states = ["A"]\nlimits = { alarm = ["A"], caution = ["A"] }', "“A” cannot be a caution and an alarm at once"),
        ('limits = { alarm = ["A"] }', "caution and alarm are for the words of states; a number has low and high"),
    ],
)  # fmt: skip
def test_levels_are_for_numbers_and_words_for_states(more: str, sentence: str) -> None:
    text = HEAD + PLAIN + channel("mode", "s", more)
    with pytest.raises(SetupError) as caught:
        load(text)
    assert sentence in str(caught.value)
