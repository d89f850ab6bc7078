"""Reactions in a real recorder, with a sump gauge and a switch box on pseudo-terminals."""

import contextlib
import random
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.inside import inside
from tests.recorder.reacting import BOX, GAUGE, LAMPS, SumpGauge, SwitchBox
from tests.recorder.test_procedures import ask
from tidybench.core.batch import Batch
from tidybench.core.tape.events import CommandGiven, Event, Note, Reacted
from tidybench.runs.last_reactions import last_reactions
from tidybench.runs.marks import read_marks
from tidybench.runs.tape import read_kinds
from tidybench.wire.client import RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.reactions import (
    ApplyReactions,
    ArmReaction,
    CarryOutReaction,
    KeptReactions,
    ReactionStatus,
    SeeReaction,
)
from tidybench.wire.runs import BeginRun
from tidybench.wire.setups import ApplySetups, SetupText

LOW = """
[[reaction]]
id = "low"
name = "Sump low"
channel = "sump-level"
below = 15
hysteresis = 5
do = [
  { when = "below", instrument = "switch-box", command = "pump", values = { on = 0 } },
  { when = "below", banner = "The sump is low", sound = true },
  { when = "below", mark = "sump low" },
]
"""
Put = Callable[..., None]


@pytest.fixture
def gauge(shop: Shop) -> SumpGauge:
    return shop.plug_in(SumpGauge)


@pytest.fixture
def box(shop: Shop) -> SwitchBox:
    return shop.plug_in(SwitchBox)


@pytest.fixture
def put(gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess) -> Put:
    """Puts both in force, and then these reactions."""

    def begin(reactions: str, calculations: str = "", more: str = "", **procedures: str) -> None:
        recorder.start()
        texts = [SetupText(id="sump-gauge", text=GAUGE), SetupText(id="switch-box", text=BOX + more)]
        assert ask(recorder, ApplySetups(setups=texts, calculations=calculations)).trouble == ""
        wait_for(recorder.all_passing, "all to pass")
        apply(recorder, reactions, **procedures)

    return begin


def apply(recorder: RecorderProcess, reactions: str, **procedures: str) -> None:
    kept = KeptReactions(text=reactions, procedures=procedures)
    answer = ask(recorder, ApplyReactions(kept=kept))
    assert (answer.trouble, answer.why) == ("", "")
    assert answer.reactions == kept


def status(recorder: RecorderProcess, id: str = "low") -> ReactionStatus:
    return next(one for one in recorder.status().reactions if one.id == id)


def within_one_sample(gauge: SumpGauge, box: SwitchBox) -> bool:
    """Whether the pump was told before the gauge said a second time that the level is low."""
    return sum(at < box.heard_at[0] for at in gauge.low_at) == 1


def test_a_low_sump_switches_the_pump_off_within_one_sample(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    put(LOW)
    ask(recorder, BeginRun(name="Low"))
    run = recorder.status().run
    assert run is not None
    time.sleep(0.5)
    assert box.heard == []
    gauge.level = 14.9
    wait_for(lambda: box.pump == 0, "the pump to be off", 5)
    assert within_one_sample(gauge, box)
    wait_for(
        lambda: status(recorder).words == "switch-box.pump (on 0): answered “OK”, marked “sump low”", "both"
    )
    told = status(recorder)
    assert (told.stands, told.count, told.good) == ("below", 1, True)
    assert (told.banner, told.sound) == ("The sump is low", True)
    gauge.level = 19.0  # not back yet
    time.sleep(0.5)
    gauge.level = 14.0
    time.sleep(0.5)
    assert box.heard == [b"P0"]
    gauge.level = 21.0
    wait_for(lambda: status(recorder).stands == "good", "it to be back")
    gauge.level = 10.0
    wait_for(lambda: box.heard == [b"P0", b"P0"], "the second time")
    ask(recorder, SeeReaction(reaction="low", by="M. Okafor"))
    assert status(recorder).banner == ""
    wait_for(lambda: len(read_marks(Path(run.folder))) == 2, "two marks")
    assert {one.by for one in read_marks(Path(run.folder))} == {"the reaction “Sump low”"}

    tape = [one for _, _, one in read_kinds(Path(run.folder) / "tape", "reaction", "command", "note")]
    first = next(n for n, one in enumerate(tape) if isinstance(one, Reacted))
    reacted, given = tape[first : first + 2]
    assert isinstance(reacted, Reacted)
    assert (reacted.standing, reacted.before, reacted.value, reacted.instruments) == (
        "below",
        "good",
        14.9,
        ["switch-box"],
    )
    assert isinstance(given, CommandGiven)
    assert (given.by, given.asked_at, given.values) == ("the reaction “Sump low”", reacted.at, {"on": 0})
    assert any(
        isinstance(one, Note) and one.text == "Sump low: “The sump is low” seen by M. Okafor" for one in tape
    )


def shows(box: SwitchBox, lamp: int) -> bool:
    return box.lamp == lamp


def test_three_outputs_follow_their_limits(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    put(LAMPS)
    for level, lamp in ((40.0, 1), (10.0, 0), (90.0, 2), (79.9, 1), (20.0, 1), (19.9, 0)):
        gauge.level = level
        wait_for(partial(shows, box, lamp), f"lamp {lamp} at {level}", 5)
    assert box.heard == [b"L1", b"L0", b"L2", b"L1", b"L0"]


def test_a_calculated_channel_is_watched_as_fast(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    missing = '[[calculated]]\nid = "missing"\nname = "Missing"\nexpression = \'100 [%] - "sump-level"\'\nunit = "%"\n'
    text = LOW.replace('channel = "sump-level"\nbelow = 15', 'channel = "missing"\nabove = 85').replace(
        "below", "above"
    )
    put(text, calculations=missing)
    gauge.level = 14.0
    wait_for(lambda: box.pump == 0, "the pump to be off", 5)
    assert within_one_sample(gauge, box)


def test_disarmed_nothing_is_done_and_a_restart_keeps_it_so(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    put(LOW)
    ask(recorder, ArmReaction(reaction="low", on=False, by="M. Okafor"))
    assert ask(recorder, ArmReaction(reaction="high", on=False)).why == "There is no reaction “high”."
    gauge.level = 5.0
    wait_for(lambda: status(recorder).stands == "below", "it to be seen")
    recorder.stop()
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "all to pass")
    wait_for(lambda: status(recorder).stands == "below", "it to be seen again")
    assert status(recorder).disarmed == "disarmed by M. Okafor"
    assert box.heard == []
    ask(recorder, ArmReaction(reaction="low", on=True))
    wait_for(lambda: box.heard == [b"P0"], "what is due now", 5)


def test_tried_out_it_does_what_it_would_do(put: Put, box: SwitchBox, recorder: RecorderProcess) -> None:
    put(LOW)
    assert (
        ask(recorder, CarryOutReaction(reaction="low", standing="good")).why
        == "“Sump low” does nothing at “good”."
    )
    assert ask(recorder, CarryOutReaction(reaction="low", standing="below", by="M. Okafor")).trouble == ""
    wait_for(lambda: box.heard == [b"P0"], "the pump to be off")
    wait_for(lambda: "no run is on: not marked" in status(recorder).words, "that there was nothing to mark")
    assert status(recorder).good


def test_two_that_set_each_other_off_are_stopped_and_said(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    one = """
[[reaction]]
id = "{id}"
name = "{name}"
channel = "pump-on"
{watch}
do = [{{ when = "{when}", instrument = "switch-box", command = "pump", values = {{ on = {on} }} }}]
"""
    put(
        one.format(id="off", name="Off", watch="above = 0.5", when="above", on=0)
        + one.format(id="on", name="On", watch="below = 0.5", when="below", on=1)
    )
    wait_for(lambda: status(recorder, "off").disarmed == "they set each other off", "it to be noticed", 20)
    count = len(box.heard)
    assert count == 12
    both = [status(recorder, id) for id in ("off", "on")]
    sentence = "“Off” and “On” set each other off: they are disarmed. Give them levels that lie apart, or a hold-off."
    assert [(one.disarmed, one.banner) for one in both] == [("they set each other off", sentence)] * 2
    time.sleep(1)
    assert len(box.heard) == count


def test_what_cannot_be_done_is_said_loudly(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    put(LOW)
    box.fault("unplugged")
    wait_for(lambda: not recorder.all_passing(), "the loss")
    gauge.level = 3.0
    wait_for(lambda: not status(recorder).good, "that it was not done", 10)
    assert status(recorder).banner.startswith("Sump low: not all of it was done. “Pump” cannot be sent.")


def test_it_begins_a_procedure_and_a_run(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    text = (
        LOW.split("do = [")[0]
        + """do = [
  { when = "below", begin_run = "Sump was low" },
  { when = "below", procedure = "Drain" },
  { when = "good", end_run = true },
]
"""
    )
    put(text, Drain="procedure Drain\n  set switch-box.pump to 0\n")
    gauge.level = 3.0
    wait_for(lambda: box.heard == [b"P0"], "the procedure's command")
    wait_for(lambda: (run := recorder.status().run) is not None and run.name == "Sump was low", "the run")
    [procedure] = recorder.status().procedures
    assert procedure.by == "the reaction “Sump low”"
    gauge.level = 50.0
    wait_for(lambda: recorder.status().run is None, "its end", 10)


def test_what_does_not_fit_is_said_and_a_document_that_somebody_else_kept_is_not_overwritten(
    put: Put, recorder: RecorderProcess
) -> None:
    put(LOW.replace("sump-level", "tank-level"))
    assert status(recorder).problems == ["There is no channel “tank-level” on the bench."]
    answer = ask(recorder, ApplyReactions(kept=KeptReactions(text=LAMPS), was=""))
    assert answer.why.startswith("Other reactions were kept meanwhile")
    assert ask(recorder, ApplyReactions(kept=KeptReactions(text="reaction = 3"))).trouble == "invalid"
    assert [one.id for one in recorder.status().reactions] == ["low"]


def test_what_is_due_is_not_said_to_be_done_before_it_stands_on_the_tape(
    places: Places, gauge: SumpGauge, box: SwitchBox, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A segment that begins just then, and a kill: it would never be done."""
    with inside(places) as bench:
        setups = [SetupText(id="sump-gauge", text=GAUGE), SetupText(id="switch-box", text=BOX)]
        assert bench.ask(ApplySetups(setups=setups)).trouble == ""
        assert bench.ask(ApplyReactions(kept=KeptReactions(text=LOW))).trouble == ""
        reactor, journal = bench.recorder.reactor, bench.recorder.journal

        def stood() -> str:
            standing = reactor.standing()
            assert standing is not None
            return standing.reacted["low"]

        wait_for(lambda: stood() == "good", "it to be good")
        real, seen = journal.put, []

        def put(link: str, event: Event, batch: Batch | None = None) -> int:
            if isinstance(event, Reacted):
                seen.append(stood())
            return real(link, event, batch)

        monkeypatch.setattr(journal, "put", put)
        gauge.level = 10.0
        wait_for(lambda: box.pump == 0, "the pump to be off")
        assert seen == ["good"]
        assert stood() == "below"
        gauge.level = 50.0
        wait_for(lambda: stood() == "good", "it to be good")
        reactor.stop()  # Tidy Bench ends: what its safe states bring about is not reacted to
        gauge.level = 10.0
        time.sleep(0.6)
        assert box.heard == [b"P0"]


def test_killed_at_any_instant_no_reaction_commands_twice_and_none_is_forgotten(
    put: Put, gauge: SumpGauge, box: SwitchBox, recorder: RecorderProcess
) -> None:
    """The level falls below at a random instant around each kill: the pump is told once, or its safe state is."""
    safe = '\n[safe]\ncommands = [{ command = "lamp", values = { which = 0 } }]\n'
    put(LOW, more=safe)
    ask(recorder, BeginRun(name="Wear", carry_on=True))
    run = recorder.status().run
    assert run is not None
    dice = random.Random(11)
    for turn in range(6):
        wait_for(lambda: alive(recorder, lambda: status(recorder).stands == "good"), "it to be good", 30)
        time.sleep(0.3)  # that is on the tape
        box.heard.clear()
        gauge.level = 10.0
        time.sleep(dice.uniform(0.0, 0.3))
        recorder.kill()
        before = list(box.heard)
        recorder.start(carry_on=True)
        wait_for(lambda: alive(recorder, lambda: status(recorder).stands == "below"), "it to be low", 30)
        time.sleep(0.5)
        assert before.count(b"P0") <= 1
        uncertain = b"L0" in box.heard
        assert box.heard.count(b"P0") == 1 or (uncertain and box.heard.count(b"P0") == 0), (
            turn,
            before,
            box.heard,
        )
        if uncertain:
            assert "Whether all of it was done is not known" in status(recorder).banner
        gauge.level = 40.0
    reacted = [one for _, _, one in read_kinds(Path(run.folder) / "tape", "reaction")]
    given = [
        one for _, _, one in read_kinds(Path(run.folder) / "tape", "command") if isinstance(one, CommandGiven)
    ]
    assert len(given) >= 6
    assert {one.at for one in reacted} >= {one.asked_at for one in given if one.by.startswith("the reaction")}
    assert last_reactions(Path(run.folder))["low"].standing in ("below", "good")


def alive(recorder: RecorderProcess, found: Callable[[], bool]) -> bool:
    with contextlib.suppress(RecorderAway, StopIteration):
        return found()
    return False
