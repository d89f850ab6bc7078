"""Reactions: when they are due, and when not."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_commands import SETUP
from tidybench.core.acting.fitted_reactions import fitted
from tidybench.core.acting.reaction import Measured, Reacting, ReactionWatch, ReactionWatches
from tidybench.core.compile.load import load
from tidybench.core.quality import Quality
from tidybench.core.setup import SetupError
from tidybench.core.setup.calculated import CalculatedPart
from tidybench.core.setup.reactions import ReactionPart, load_reactions

S = 1_000_000
COMMAND = {"instrument": "kiln", "command": "target", "values": {"target": 20}}


def part(**changes: object) -> ReactionPart:
    plain: dict[str, object] = {
        "id": "low",
        "name": "Sump low",
        "channel": "level",
        "below": 15.0,
        "hysteresis": 3.0,
        "do": [{"when": "below", "mark": "low"}, {"when": "good", "mark": "good again"}],
    }
    return ReactionPart.model_validate(plain | changes)


def fed(watch: ReactionWatch, *samples: tuple[float, float]) -> list[tuple[float, str]]:
    """(seconds, value) in; (seconds, standing) of what was due."""
    found = []
    for at, value in samples:
        due = watch.sample(0, value, round(at * S))
        if due is not None:
            found.append((due.at / S, due.standing))
    return found


def test_it_reacts_at_the_first_sample_beyond_and_comes_back_by_its_hysteresis() -> None:
    watch = ReactionWatch(part(), 0)
    samples = (0, 20.0), (1, 15.0), (2, 14.999), (3, 10.0), (4, 17.9), (5, 18.0), (6, 14.0)
    assert fed(watch, *samples) == [(2, "below"), (5, "good"), (6, "below")]


def test_three_outputs_are_one_reaction_and_one_of_them_is_always_on() -> None:
    lamps = [{"when": one, **COMMAND} for one in ("below", "good", "above")]
    watch = ReactionWatch(part(above=30.0, hysteresis=1.0, do=lamps), 0)
    samples = (0, 20.0), (1, 31.0), (2, 29.5), (3, 29.0), (4, 10.0), (5, 40.0)
    assert fed(watch, *samples) == [(0, "good"), (1, "above"), (3, "good"), (4, "below"), (5, "above")]


def test_how_it_stands_must_last_from_sample_to_sample() -> None:
    watch = ReactionWatch(part(for_s=2.0, do=[{"when": "below", "mark": "low"}]), 0)
    samples = (0, 10.0), (1, 20.0), (2, 10.0), (3.9, 10.0), (4, 10.0), (5, 10.0)
    assert fed(watch, *samples) == [(4, "below")]


def test_a_sample_that_was_not_measured_says_nothing() -> None:
    watch = ReactionWatch(part(), 0)
    fed(watch, (0, 20.0))
    assert watch.sample(int(Quality.NO_READING), math.nan, S) is None
    assert watch.sample(int(Quality.BAD_CHECK), 3.0, S) is None
    assert watch.stands == "good"
    assert watch.sample(int(Quality.FLAGGED), 3.0, 2 * S) is not None


def test_what_is_held_off_is_made_up_for() -> None:
    watch = ReactionWatch(part(hold_off_s=10.0), 0)
    samples = (0, 10.0), (3, 20.0), (9, 20.0), (10, 20.0), (11, 10.0), (21, 10.0)
    assert fed(watch, *samples) == [(0, "below"), (10, "good"), (21, "below")]


def test_coming_back_is_new_also_where_nothing_is_done_then() -> None:
    watch = ReactionWatch(part(hold_off_s=10.0, do=[{"when": "below", "mark": "low"}]), 0)
    assert fed(watch, (0, 10.0), (3, 20.0), (4, 10.0), (10, 10.0)) == [(0, "below"), (10, "below")]


def test_once_it_is_disarmed_and_armed_it_begins_anew() -> None:
    watch = ReactionWatch(part(once=True, do=[{"when": "below", "mark": "low"}]), 0)
    assert fed(watch, (0, 10.0), (1, 20.0), (2, 10.0)) == [(0, "below")]
    assert not watch.armed
    watch.arm(True, 3 * S)
    assert fed(watch, (4, 10.0)) == [(4, "below")]


def test_not_measured_for_a_time() -> None:
    lost = {"when": "not measured", "mark": "lost"}
    watch = ReactionWatch(part(not_measured_s=5.0, do=[lost, {"when": "good", "mark": "there"}]), 0)
    assert watch.deadline == 5 * S
    assert fed(watch, (1, 20.0)) == [], "that it is there at first is nothing new"
    watch.sample(int(Quality.NO_REPLY), math.nan, 3 * S)
    assert watch.look(6 * S - 1) is None
    due = watch.look(6 * S)
    assert due is not None
    assert (due.standing, due.before, math.isnan(due.value)) == ("not measured", "good", True)
    assert watch.look(20 * S) is None, "once for one loss"
    assert watch.deadline is None
    assert fed(watch, (21, 20.0)) == [(21, "good")]
    watch.arm(False, 22 * S)
    assert watch.look(60 * S) is None


def test_each_loss_counts_where_only_that_is_watched() -> None:
    lost = part(below=None, hysteresis=0.0, not_measured_s=5.0, do=[{"when": "not measured", "mark": "lost"}])
    watch = ReactionWatch(lost, 0)
    found = []
    for at in range(40):
        if at in (1, 2, 20, 21):
            watch.sample(0, 1.0, at * S)
        if watch.look(at * S) is not None:
            found.append(at)
    assert found == [7, 26]


def test_each_message_counts_but_none_sooner_than_the_hold_off() -> None:
    wanted = part(
        below=None, hysteresis=0.0, message=True, hold_off_s=1.0, do=[{"when": "message", "mark": "key"}]
    )
    watch = ReactionWatch(wanted, 0)
    samples = (0, 1.0), (0.5, 1.0), (1, 1.0), (3, 2.0)
    assert fed(watch, *samples) == [(0, "message"), (1, "message"), (3, "message")]


def test_words_of_a_channel_of_states() -> None:
    wanted = part(below=None, hysteresis=0.0, words=["fault", "open"], do=[{"when": "is", "mark": "look"}])
    watch = ReactionWatch(wanted, 0, ["well", "fault", "open"])
    assert fed(watch, (0, 0.0), (1, 1.0), (2, 2.0), (3, 0.0), (4, 2.0)) == [(1, "is"), (4, "is")]


def test_disarmed_it_is_never_due() -> None:
    watch = ReactionWatch(part(), 0)
    watch.armed = False
    assert fed(watch, (0, 10.0), (1, 20.0)) == []
    assert watch.stands == "good"


def two() -> ReactionWatches:
    one = part(id="a", name="A", hysteresis=0.0, do=[{"when": "below", **COMMAND}])
    other = part(id="b", name="B", below=None, above=30.0, do=[{"when": "above", **COMMAND}])
    return ReactionWatches({1: [ReactionWatch(one, 0)], 2: [ReactionWatch(other, 0)]})


def test_two_that_set_each_other_off_are_noticed_and_disarmed() -> None:
    both = two()
    a, b = both.all
    told = []
    for turn in range(20):
        at = turn * S
        watch = (a, b)[turn % 2]
        if not watch.armed:
            break
        told.append(both.set_off(Reacting(watch.part, at, "below" if watch is a else "above", "", 0.0, ())))
    assert [one is not None for one in told] == [False] * 11 + [True]
    assert told[-1] is not None
    assert told[-1].ids == ("a", "b")
    assert not a.armed
    assert not b.armed


def test_what_takes_its_time_or_acts_alone_is_no_circle() -> None:
    both = two()
    a, b = both.all
    for turn in range(40):  # a level that is kept between two: a minute from one to the other
        watch = (a, b)[turn % 2]
        standing = "below" if watch is a else "above"
        assert both.set_off(Reacting(watch.part, turn * 60 * S, standing, "", 0.0, ())) is None  # type: ignore[arg-type]
    for turn in range(40):  # one that goes to and fro by itself
        assert both.set_off(Reacting(a.part, turn * S, "below", "", 0.0, ())) is None


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (
            'below = 1\ndo = [{ when = "above", mark = "x" }]',
            "it never stands at “above”: it can be “below” or “good”",
        ),
        ('do = [{ when = "good", mark = "x" }]', "say what it watches for"),
        ('below = 1\nmessage = true\ndo = [{ when = "good", mark = "x" }]', "one of them"),
        ('message = true\ndo = [{ when = "message", mark = "x" }]', "need a hold_off_s of at least 0.1"),
        (
            'below = 5\nabove = 6\nhysteresis = 1\ndo = [{ when = "good", mark = "x" }]',
            "nothing would be good between 5 and 6",
        ),
        ('below = 1\ndo = [{ when = "below", mark = "x", end_run = true }]', "does one thing"),
        ('below = 1\ndo = [{ when = "below" }]', "does one thing"),
        ('below = 1\ndo = [{ when = "below", command = "on" }]', "a command needs its instrument"),
        ('below = 1\ndo = [{ when = "below", mark = "x", sound = true }]', "a sound belongs to a banner"),
        ('below = nan\ndo = [{ when = "below", mark = "x" }]', "below"),
        ("below = 1\ndo = []", "do"),
    ],
)
def test_what_is_wrong_is_said(text: str, sentence: str) -> None:
    with pytest.raises(SetupError) as caught:
        load_reactions(f'[[reaction]]\nid = "a"\nname = "A"\nchannel = "level"\n{text}\n')
    assert sentence in str(caught.value)


def test_no_two_of_one_name() -> None:
    one = '[[reaction]]\nid = "{}"\nname = "{}"\nchannel = "c"\nbelow = 1\ndo = [{{ when = "below", mark = "x" }}]\n'
    with pytest.raises(SetupError, match="the name “A” is used twice"):
        load_reactions(one.format("a", "A") + one.format("b", "A"))
    with pytest.raises(SetupError, match="the id “a” is used twice"):
        load_reactions(one.format("a", "A") + one.format("a", "B"))


def document(do: str, channel: str = "kiln-temp", watch: str = "below = 100") -> str:
    return f'[[reaction]]\nid = "a"\nname = "A"\nchannel = "{channel}"\n{watch}\ndo = [{{ when = "below", {do} }}]\n'


@pytest.mark.parametrize(
    ("text", "sentences"),
    [
        (document('mark = "x"'), []),
        (document('instrument = "kiln", command = "target"'), []),
        (document('mark = "x"', channel="gone"), ["There is no channel “gone” on the bench."]),
        (document('instrument = "lamp", command = "on"'), ["There is no instrument “lamp” on the bench."]),
        (document('instrument = "kiln", command = "on"'), ["Kiln has no command “on”."]),
        (
            document('instrument = "kiln", command = "target", values = { target = 2000 }'),
            ["Target is 2000 °C: the highest it can be is 1250 °C."],
        ),
        (
            document('instrument = "kiln", command = "label", values = { text = "a;b" }'),
            ["text may not have ;: a second command could begin behind it."],
        ),
        (document('procedure = "Nowhere"'), ["There is no procedure “Nowhere”."]),
        (document('mark = "x"', channel="mean"), []),
    ],
)
def test_what_does_not_fit_the_bench_is_said_and_not_watched(text: str, sentences: list[str]) -> None:
    calculated = [CalculatedPart(id="mean", name="Mean", expression="1")]
    made = fitted(load_reactions(text), [load(SETUP)], calculated, {"kiln-temp": 1, "mean": 2}, ["Known"], 0)
    found = [one.replace("target is", "Target is") for one in made.problems["a"]]
    assert found == sentences
    assert bool(made.watches.all) == (not sentences)


def test_one_that_has_not_changed_goes_on_and_a_changed_one_begins_anew() -> None:
    def fit(text: str, before: ReactionWatches | None) -> ReactionWatches:
        return fitted(load_reactions(text), [load(SETUP)], [], {"kiln-temp": 1}, [], 0, before).watches

    first = fit(document('mark = "x"'), None)
    assert first.samples([1 << 8], [50.0], S) != []
    again = fit(document('mark = "x"'), first)
    assert again.samples([1 << 8], [50.0], 2 * S) == []
    again.all[0].armed = False
    other = fit(document('mark = "y"'), again)
    assert not other.all[0].armed, "whoever disarmed it did not mean that it comes back by itself"
    other.all[0].arm(True, 3 * S)
    assert other.samples([1 << 8], [50.0], 4 * S) != []


LEVELS = st.sampled_from([9.0, 9.5, 10.0, 10.5, 11.0, 15.0, 19.0, 19.5, 20.0, 20.5, math.nan])
WATCHED = st.fixed_dictionaries(
    {
        "below": st.sampled_from([None, 10.0]),
        "above": st.sampled_from([None, 20.0]),
        "hysteresis": st.sampled_from([0.0, 0.5, 1.0]),
        "for_s": st.sampled_from([0.0, 2.0]),
        "hold_off_s": st.sampled_from([0.0, 3.0]),
        "once": st.booleans(),
        "not_measured_s": st.just(4.0),
        "do": st.lists(
            st.sampled_from([{"when": "not measured", "mark": "x"}, {"when": "not measured", **COMMAND}]),
            min_size=1, max_size=1,
        ),
    }
)  # fmt: skip
STEPS = st.lists(st.tuples(st.sampled_from(["look", "sample", "arm", "bad"]), LEVELS, st.integers(0, 5)), max_size=60)  # fmt: skip


@given(st.lists(WATCHED, min_size=1, max_size=4), STEPS)
def test_the_short_way_gives_the_same(
    watched: list[dict[str, object]], steps: list[tuple[str, float, int]]
) -> None:
    """Most samples lie where no reaction changes, and are not looked at by each: nothing is due otherwise than if they were."""

    def everything(one: dict[str, object]) -> dict[str, object]:
        can = [when for when in ("below", "above") if one[when] is not None]
        return one | {
            "do": [*one["do"], *({"when": w, **COMMAND} for w in [*can, *(["good"] if can else [])])]
        }  # type: ignore[misc]

    def made() -> ReactionWatches:
        measured = Measured(0)
        parts = [part(id=f"r{n}", name=f"R {n}", **everything(one)) for n, one in enumerate(watched)]
        return ReactionWatches({1: [ReactionWatch(one, 0, (), measured) for one in parts]})

    def carried_out(each: ReactionWatches, short: bool) -> list[tuple[str, int, str]]:
        found, now = [], 0
        for what, value, later in steps:
            now += later * S
            if not short:
                each.all[0].measured.changed()
            if what == "sample":
                found += each.samples([1 << 8], [value], now)
            elif what == "bad":
                found += each.samples([1 << 8 | int(Quality.BAD_CHECK)], [value], now)
            elif what == "look":
                found += each.look(now)
            else:
                each.all[-1].arm(later % 2 == 0, now)
        return [(one.part.id, one.at, one.standing) for one in found]

    assert carried_out(made(), short=True) == carried_out(made(), short=False)
