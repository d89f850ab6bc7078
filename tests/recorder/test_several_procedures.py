"""Several procedures at a time, each with instruments of its own, and procedures that carry others out: in a real recorder."""

import random
import time
from collections import Counter
from pathlib import Path

import pytest

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tests.recorder.reacting import BOX, SwitchBox
from tests.recorder.test_acts import HeardPositioner
from tests.recorder.test_procedures import KILLS, ask, ask_again, told_on_tape
from tidybench.core.tape.events import Note
from tidybench.recorder.state import KeptProcedure, RecorderState
from tidybench.runs.tape import read_kinds
from tidybench.runs.whole import read_newest
from tidybench.wire.procedures import (
    AnswerQuestion,
    GetProcedure,
    ProcedureStatus,
    StartProcedure,
    StopProcedure,
)
from tidybench.wire.runs import BeginRun
from tidybench.wire.setups import ApplySetups, SetupText

VALVE = """procedure Valve
  set valve-positioner.opening to 20 [%]
  wait 1 h
always
  set valve-positioner.opening to 50 [%]
"""
LAMP = """procedure Lamp
  ask which "Which lamp?"
  send switch-box.lamp with which = which
  wait 1 h
always
  send switch-box.lamp with which = 0
"""


@pytest.fixture
def valve(shop: Shop, recorder: RecorderProcess) -> HeardPositioner:
    return shop.plug_in(HeardPositioner)


@pytest.fixture
def box(shop: Shop, valve: HeardPositioner, recorder: RecorderProcess) -> SwitchBox:
    found = shop.plug_in(SwitchBox)
    recorder.start()
    texts = {"valve-positioner": setup_text("valve-positioner"), "switch-box": BOX}
    setups = [SetupText(id=id, text=text) for id, text in texts.items()]
    assert ask(recorder, ApplySetups(setups=setups)).trouble == ""
    wait_for(recorder.all_passing, "all to pass")
    return found


def start(recorder: RecorderProcess, text: str, **called: str) -> str:
    return ask(recorder, StartProcedure(text=text, by="M. Okafor", called=called)).why


def remembered(recorder: RecorderProcess) -> list[KeptProcedure]:
    """The procedures of which it is written down that they are on."""
    return read_newest(recorder.places.recorder_state, RecorderState.model_validate_json).procedures


def named(recorder: RecorderProcess, name: str) -> ProcedureStatus:
    """The newest of this name."""
    return max((one for one in recorder.status().procedures if one.name == name), key=lambda one: one.id)


def is_over(recorder: RecorderProcess, name: str) -> bool:
    return [one.state for one in recorder.status().procedures if one.name == name][-1:] == ["ended"]


def test_two_at_a_time_each_with_its_own_instruments(
    valve: HeardPositioner, box: SwitchBox, recorder: RecorderProcess
) -> None:
    assert start(recorder, VALVE) == ""
    assert start(recorder, LAMP) == ""
    same = "“Valve” is being carried out. Stop it first, or wait for its end."
    assert start(recorder, VALVE) == same
    other = VALVE.replace("procedure Valve", "procedure Vent")
    driven = "valve-positioner is driven by “Valve”. Stop that first, or wait for its end."
    assert start(recorder, other) == driven
    assert start(recorder, 'procedure Both\n  carry out "Vent"\n', Vent=other) == driven
    wait_for(lambda: valve.heard == [b"VP 020.0"], "the valve's first step")
    first, second = named(recorder, "Valve"), named(recorder, "Lamp")
    assert (first.instruments, second.instruments) == (["valve-positioner"], ["switch-box"])
    assert first.id != second.id
    assert second.question is not None
    wrong = AnswerQuestion(id=first.id, question=second.question.number, value=2, by="M. Okafor")
    assert ask(recorder, wrong).why == "This is not asked any more."
    assert ask(recorder, wrong.model_copy(update={"id": second.id, "value": "two"})).why == "A number is wanted."  # fmt: skip
    assert ask(recorder, wrong.model_copy(update={"id": second.id})).trouble == ""
    wait_for(lambda: box.heard == [b"L2"], "the lamp")
    assert ask(recorder, StopProcedure(id=first.id, by="M. Okafor")).trouble == ""
    wait_for(lambda: named(recorder, "Valve").state == "ended", "the valve's end")
    assert (valve.heard, box.heard) == ([b"VP 020.0", b"VP 050.0"], [b"L2"])
    assert named(recorder, "Lamp").state == "running"
    whole = ask(recorder, GetProcedure(id=first.id)).procedure
    assert whole is not None
    assert (whole.text, whole.why) == (VALVE, "stopped by M. Okafor")
    assert start(recorder, VALVE) == "", "it may begin again"
    recorder.stop()
    assert (valve.heard[-1], box.heard[-1]) == (b"VP 050.0", b"L0"), "both are brought to their ends"


def test_both_are_brought_to_their_ends_after_a_kill(
    valve: HeardPositioner, box: SwitchBox, recorder: RecorderProcess
) -> None:
    assert start(recorder, VALVE) == ""
    lamp = LAMP.replace('  ask which "Which lamp?"\n', "  let which = 1\n")
    assert start(recorder, lamp) == ""
    wait_for(lambda: (valve.heard, box.heard) == ([b"VP 020.0"], [b"L1"]), "their first steps")
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(
        lambda: (valve.heard, box.heard) == ([b"VP 020.0", b"VP 050.0"], [b"L1", b"L0"]), "their ends", 30
    )
    wait_for(lambda: {one.state for one in recorder.status().procedures} == {"ended"}, "both to be over")
    wait_for(lambda: not remembered(recorder), "both to be forgotten")


def test_one_that_was_interrupted_is_in_sight_until_its_instruments_are_there(
    shop: Shop, valve: HeardPositioner, box: SwitchBox, recorder: RecorderProcess
) -> None:
    assert start(recorder, VALVE) == ""
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its first step")
    recorder.kill()
    valve.stop()
    shop.devices.remove(valve)
    recorder.start(carry_on=True)
    found = named(recorder, "Valve")
    assert (found.state, found.why) == ("at its end", "the recorder was restarted")
    assert found.waits == "its instruments to be there again, to do what is always done"
    whole = ask(recorder, GetProcedure(id=found.id)).procedure
    assert whole is not None
    assert whole.text == VALVE
    assert start(recorder, LAMP) == "“Valve” was interrupted, and is brought to its end. Wait for that."
    again = shop.plug_in(HeardPositioner)
    wait_for(lambda: again.heard == [b"VP 050.0"], "its end", 30)
    wait_for(lambda: is_over(recorder, "Valve"), "it to be over")


def test_a_text_is_answered_and_stands_on_the_tape(
    valve: HeardPositioner, box: SwitchBox, recorder: RecorderProcess
) -> None:
    ask(recorder, BeginRun(name="Nameplate"))
    run = recorder.status().run
    assert run is not None
    assert (
        start(recorder, 'procedure Plate\n  ask serial "Serial number?" text\n  mark "is {serial}"\n') == ""
    )
    wait_for(lambda: named(recorder, "Plate").question is not None, "the question")
    answer = AnswerQuestion(id=named(recorder, "Plate").id, question=1, value="")
    assert ask(recorder, answer).why == "A text is wanted."
    assert ask(recorder, answer.model_copy(update={"value": True})).why == "A text is wanted."
    assert "control" in ask(recorder, answer.model_copy(update={"value": "K\r17"})).why
    assert ask(recorder, answer.model_copy(update={"value": " K-17 ", "by": "M. Okafor"})).trouble == ""
    wait_for(lambda: named(recorder, "Plate").state == "ended", "its end")
    told = [one.text for _, _, one in read_kinds(Path(run.folder) / "tape", "note") if isinstance(one, Note)]
    assert "line 2: Serial number? K-17, by M. Okafor" in told
    assert "line 3: marked “is K-17”" in told


def test_killed_at_any_instant_within_another_one_all_ends_are_done_and_nothing_is_sent_twice(
    valve: HeardPositioner, box: SwitchBox, recorder: RecorderProcess
) -> None:
    """TIDY_KILLS: how often."""
    ask(recorder, BeginRun(name="Wear", carry_on=True))
    run = recorder.status().run
    assert run is not None
    inner = """procedure Step
  ask opening "How far?" [%]
  set valve-positioner.opening to opening
  send switch-box.lamp with which = 1
always
  send switch-box.lamp with which = 0
"""
    text = """procedure Wear
  for opening = 0 to 100 step 0.5 [%]
    carry out "Step" with opening = opening
always
  set valve-positioner.opening to 50.5 [%]
"""
    dice = random.Random(11)
    for turn in range(KILLS):
        before = len(valve.heard)
        wait_for(lambda: ask_again(recorder, text, Step=inner), "it to begin", 20)
        time.sleep(dice.uniform(0.05, 0.9))
        recorder.kill()
        steps = valve.heard[before:]
        assert len(set(steps)) == len(steps), "none twice"
        kept = remembered(recorder)
        lamps = len(box.heard)
        recorder.start(carry_on=True)
        wait_for(lambda: is_over(recorder, "Wear"), "what is always done", 30)
        assert valve.heard[-1] == b"VP 050.5", turn
        assert box.heard[-1:] in ([b"L0"], []), "the lamp is out, wherever it was killed"
        assert box.heard[lamps:] == ([b"L0"] if kept[0].inside else [])
    told = told_on_tape(Path(run.folder))
    assert Counter([*valve.heard, *box.heard]) <= told, "none without its line, and none twice"


def test_a_reading_on_demand_is_asked_for_and_taken(shop: Shop, recorder: RecorderProcess) -> None:
    box = shop.plug_in(SwitchBox)
    recorder.start()
    text = BOX.replace("every_s = 0.3", "on_demand = true")
    assert ask(recorder, ApplySetups(setups=[SetupText(id="switch-box", text=text)])).trouble == ""
    box.pump = 7
    steps = "procedure Look\n  read p = pump-on, at most 10 s\n  send switch-box.lamp with which = p - 5\n"
    wait_for(lambda: start(recorder, steps) == "", "it to begin")
    wait_for(lambda: is_over(recorder, "Look"), "its end")
    found = named(recorder, "Look")
    assert [one.words for one in found.log][1] == "pump-on is 7", found.log
    assert box.heard == [b"L2"]
