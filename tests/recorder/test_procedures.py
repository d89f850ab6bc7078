"""Procedures in a real recorder, with a valve on a pseudo-terminal."""

import contextlib
import random
import time
from collections import Counter
from pathlib import Path

import pytest

from tests.conftest import KILLS, RecorderProcess, Shop, setup_text, wait_for
from tests.recorder.inside import inside
from tests.recorder.reacting import BOX, SwitchBox
from tests.recorder.test_acts import HeardPositioner
from tidybench.core.tape.events import CommandGiven, Note
from tidybench.recorder.state import KeptProcedure, RecorderState
from tidybench.runs.points import read_points
from tidybench.runs.tape import read_kinds
from tidybench.runs.whole import read_newest
from tidybench.wire.client import RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.procedures import (
    AnswerQuestion,
    PauseProcedure,
    ProcedureStatus,
    SkipWait,
    StartProcedure,
    StopProcedure,
)
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.reactions import ApplyReactions, KeptReactions
from tidybench.wire.runs import BeginRun
from tidybench.wire.setups import ApplySetups, SetupText

STEPS = """procedure Five openings
  for opening = 20 to 60 step 10 [%]
    set valve-positioner.opening to opening
    wait 100 ms
always
  set valve-positioner.opening to 50 [%]
"""


@pytest.fixture
def valve(shop: Shop) -> HeardPositioner:
    return shop.plug_in(HeardPositioner)


def ask(recorder: RecorderProcess, request: Request) -> Answer:
    answer = recorder.ask(request)[0]
    assert isinstance(answer, Answer)
    return answer


def procedure(recorder: RecorderProcess) -> ProcedureStatus | None:
    """The one that began last."""
    with contextlib.suppress(RecorderAway):
        return max(recorder.status().procedures, key=lambda one: one.id, default=None)
    return None


def id_of(recorder: RecorderProcess) -> int:
    found = procedure(recorder)
    return found.id if found is not None else 0


def remembered_line(recorder: RecorderProcess) -> int:
    kept = read_newest(recorder.places.recorder_state, RecorderState.model_validate_json)
    return kept.procedures[0].line if kept.procedures else 0


def ended(recorder: RecorderProcess) -> bool:
    found = procedure(recorder)
    return found is not None and found.state == "ended"


def test_steps_go_to_the_instrument_one_after_the_other(
    shop: Shop, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    assert ask(recorder, StartProcedure(text=STEPS, by="M. Okafor")).trouble == ""
    refused = ask(recorder, StartProcedure(text=STEPS))
    assert refused.why == "“Five openings” is being carried out. Stop it first, or wait for its end."
    wait_for(lambda: ended(recorder), "its end", 20)
    assert valve.heard == [b"VP %03d.0" % opening for opening in (20, 30, 40, 50, 60, 50)]
    found = procedure(recorder)
    assert found is not None
    assert (found.failed, found.why) == (False, "all steps are done")
    assert [one.words for one in found.log][1:3] == [
        "opening = 20 % (1 of 5)",
        "Set opening 20: answered “OK”",
    ]
    wrong = ask(recorder, StartProcedure(text=STEPS.replace("60", "130")))
    assert wrong.why == "Line 3, column 37: Opening is 110 %: the highest it can be is 100 %."
    assert (
        ask(recorder, StopProcedure(id=id_of(recorder))).why
        == "This procedure is not being carried out any more."
    )


def test_an_acceptance_with_a_question_a_run_and_points(
    shop: Shop, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    recorder.start("valve-positioner", "loop-flow-meter")
    wait_for(recorder.all_passing, "all to pass")
    text = """procedure Acceptance
  ask "Primed?"
  begin run "Acceptance"
  for opening = 30, 60 [%]
    set valve-positioner.opening to opening
    wait until "valve-opening" > opening - 1 [%], at most 20 s
    take point "valve {opening}", averaging 1 s
  mark "both taken"
  wait 1 h
  end run
always
  set valve-positioner.opening to 50 [%]
"""
    assert ask(recorder, StartProcedure(text=text, by="M. Okafor")).trouble == ""
    wait_for(
        lambda: (found := procedure(recorder)) is not None and found.question is not None, "the question"
    )
    assert (
        ask(recorder, AnswerQuestion(id=id_of(recorder), question=1, value=3.5)).why == "Yes or no is wanted."
    )
    assert (
        ask(recorder, AnswerQuestion(id=id_of(recorder), question=2, value=True)).why
        == "This is not asked any more."
    )
    assert (
        ask(recorder, AnswerQuestion(id=id_of(recorder), question=1, value=True, by="M. Okafor")).trouble
        == ""
    )
    wait_for(
        lambda: (found := procedure(recorder)) is not None and found.waits == "1 h to pass", "both points", 40
    )
    assert ask(recorder, PauseProcedure(id=id_of(recorder), on=True, by="M. Okafor")).trouble == ""
    paused = procedure(recorder)
    assert paused is not None
    assert paused.state == "paused"
    ask(recorder, PauseProcedure(id=id_of(recorder), on=False))
    run = recorder.status().run
    assert run is not None
    assert ask(recorder, SkipWait(id=id_of(recorder), by="M. Okafor")).trouble == ""
    wait_for(lambda: ended(recorder), "its end", 20)
    found = procedure(recorder)
    assert found is not None
    assert not found.failed, found.log
    points = read_points(Path(run.folder))
    assert [point.name for point in points] == ["valve 30 %", "valve 60 %"]
    assert all(point.gave_up == "" for point in points)
    told = [one.text for _, _, one in read_kinds(Path(run.folder) / "tape", "note") if isinstance(one, Note)]
    assert 'line 6: "valve-opening" > opening - 1 [%]' in told
    assert valve.heard[-1] == b"VP 050.0"


def test_stopped_in_the_middle_the_valve_is_left_as_it_always_is(
    valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    ask(recorder, StartProcedure(text=STEPS.replace("100 ms", "1 h")))
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its first step")
    assert ask(recorder, StopProcedure(id=id_of(recorder), by="M. Okafor")).trouble == ""
    wait_for(lambda: ended(recorder), "its end")
    found = procedure(recorder)
    assert found is not None
    assert (found.failed, found.why) == (True, "stopped by M. Okafor")
    assert valve.heard == [b"VP 020.0", b"VP 050.0"]
    ask(recorder, StartProcedure(text=STEPS.replace("100 ms", "1 h")))
    wait_for(lambda: len(valve.heard) == 3, "its first step")
    recorder.stop()  # Tidy Bench ends in an orderly way
    assert valve.heard[-1] == b"VP 050.0"


def test_what_comes_late_of_one_is_not_taken_for_the_next(
    valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    """Wishes are numbered within a procedure: the second one's first step waited for its own answer all the same."""
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    valve.mute = True
    first = "procedure First\n  set valve-positioner.opening to 20 [%]\n"
    ask(recorder, StartProcedure(text=first))
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its command")
    ask(recorder, StopProcedure(id=id_of(recorder)))
    wait_for(lambda: ended(recorder), "its end")
    valve.mute = False
    ask(recorder, StartProcedure(text=first.replace("First", "Second").replace("20 [%]", "30 [%]")))
    wait_for(lambda: ended(recorder) and len(valve.heard) == 2, "the second one", 10)
    found = procedure(recorder)
    assert found is not None
    assert (found.name, found.failed) == ("Second", False)
    assert found.log[1].words == "Set opening 30: answered “OK”"


def test_the_end_of_one_does_not_make_the_next_one_forgotten(places: Places) -> None:
    """What is remembered is told late, and the next one may have begun meanwhile: killed in it, it must be brought to its end."""
    first = KeptProcedure(name="First", text="", by="", begun_at=1)
    second = KeptProcedure(name="Second", text="", by="", begun_at=2)
    with inside(places) as one:
        service, state = one.recorder.service, one.recorder.state
        state.remember(procedures=[second])
        service.remember_procedure(first, False, None)
        assert state.now.procedures == [second]
        service.remember_procedure(second.model_copy(update={"line": 3}), True, None)
        assert [one.line for one in state.now.procedures] == [3]
        service.remember_procedure(second, False, None)
        assert state.now.procedures == []
        service.remember_procedure(second, True, None)
        assert state.now.procedures == []


def test_a_state_of_before_there_were_several_is_read() -> None:
    """Killed in a procedure, and upgraded before it is started again: the bench is brought to its end all the same."""
    old = {"procedure": KeptProcedure(name="First", text="procedure First", by="", begun_at=1).model_dump()}
    assert [one.name for one in RecorderState.model_validate(old).procedures] == ["First"]
    assert RecorderState.model_validate({"procedure": None}).procedures == []
    assert RecorderState.model_validate_json(RecorderState.model_validate(old).model_dump_json()).procedures


def test_a_run_is_begun_as_its_plan_says(shop: Shop, recorder: RecorderProcess) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "all to pass")
    text = 'procedure Planned\n  begin run from plan "Acceptance"\n  wait 1 s\n'
    refused = ask(recorder, StartProcedure(text=text))
    assert refused.why == "Line 2, column 24: There is no plan “Acceptance”."
    rule = {"kind": "steady rows", "every_s": 0.5}
    plan = {
        "name": "Pump 7",
        "item": "P7",
        "row_rule": rule,
        "ends": {"rows": 1000},
        "begins": {"reading": "loop-flow"},
    }
    wanted = StartProcedure.model_validate({"text": text, "by": "M. Okafor", "plans": {"Acceptance": plan}})
    assert ask(recorder, wanted).trouble == ""
    wait_for(lambda: ended(recorder), "its end")
    run = recorder.status().run
    assert run is not None
    assert (run.name, run.item, run.operator, run.ends.rows) == ("Pump 7", "P7", "M. Okafor", 1000)
    assert run.row_rule.kind == "steady rows"


def test_a_channel_is_zeroed_by_a_step(shop: Shop, recorder: RecorderProcess) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "all to pass")
    time.sleep(1)
    assert ask(recorder, StartProcedure(text="procedure Zero\n  zero loop-flow\n")).trouble == ""
    wait_for(lambda: ended(recorder), "its end")
    found = procedure(recorder)
    assert found is not None
    assert "Loop flow" in found.log[1].words
    assert "is taken off from now on" in found.log[1].words
    channel = next(one for one in recorder.status().channels if one.id == "loop-flow")
    assert channel.zero > 50
    wrong = ask(recorder, StartProcedure(text="procedure Zero\n  zero flow\n"))
    assert wrong.why == "Line 2, column 8: There is no channel “flow” on this bench."


def test_it_says_where_it_was(valve: HeardPositioner, recorder: RecorderProcess) -> None:
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    ask(recorder, StartProcedure(text=STEPS.replace("100 ms", "1 h")))
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its first step")
    wait_for(lambda: remembered_line(recorder) == 4, "its line to be written down")
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(lambda: ended(recorder), "its end", 30)
    found = procedure(recorder)
    assert found is not None
    assert found.why == "the recorder was restarted when it was at line 4, or a little further"


LAMPS = """
[[reaction]]
id = "lamps"
name = "Lamps"
channel = "valve-opening"
above = 25
do = [
  { when = "good", instrument = "switch-box", command = "lamp", values = { which = 1 } },
  { when = "above", instrument = "switch-box", command = "lamp", values = { which = 2 } },
]
"""
DARK = '\n[safe]\ncommands = [{ command = "lamp", values = { which = 0 } }]\n'


def test_killed_at_any_instant_the_bench_is_brought_to_its_end_and_nothing_is_sent_twice(
    shop: Shop, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    """With a reaction to what the procedure does. TIDY_KILLS: how often."""
    box = shop.plug_in(SwitchBox)
    recorder.start()
    texts = {"valve-positioner": setup_text("valve-positioner"), "switch-box": BOX + DARK}
    setups = [SetupText(id=id, text=text) for id, text in texts.items()]
    assert ask(recorder, ApplySetups(setups=setups)).trouble == ""
    wait_for(recorder.all_passing, "all to pass")
    ask(recorder, BeginRun(name="Wear", carry_on=True))
    run = recorder.status().run
    assert run is not None
    assert ask(recorder, ApplyReactions(kept=KeptReactions(text=LAMPS))).trouble == ""
    dice = random.Random(7)
    text = (
        STEPS.replace("20 to 60 step 10", "0 to 100 step 0.5")
        .replace("100 ms", "5 ms")
        .replace("to 50 [%]", "to 50.5 [%]")
    )
    for turn in range(KILLS):
        before = len(valve.heard)
        wait_for(lambda: ask_again(recorder, text), "it to begin", 20)
        if turn == 0:  # the reaction is there, however slow the machine is
            wait_for(lambda: b"L2" in box.heard, "the reaction")
        time.sleep(dice.uniform(0.05, 0.9))
        recorder.kill()
        steps = valve.heard[before:]
        assert len(set(steps)) == len(steps), "none twice"
        recorder.start(carry_on=True)
        wait_for(lambda: ended(recorder), "what is always done", 30)
        assert valve.heard[-1] == b"VP 050.5", turn
        assert valve.heard[before + len(steps) :].count(b"VP 050.5") == 1
        found = procedure(recorder)
        assert found is not None
        assert found.why.startswith("the recorder was restarted")
    told = told_on_tape(Path(run.folder))
    heard = Counter([*valve.heard, *box.heard])
    assert heard <= told, "none without its line, and none twice"
    assert heard[b"L2"] >= 1


def told_on_tape(folder: Path) -> Counter[bytes]:
    """The commands that stand on a run's tape, as valve and switch box hear them."""
    events = (one for _, _, one in read_kinds(folder / "tape", "command"))
    return Counter(
        f"VP {one.values['opening']:05.1f}".encode()
        if one.command == "opening"
        else b"L%d" % int(one.values["which"])
        for one in events
        if isinstance(one, CommandGiven)
    )


def ask_again(recorder: RecorderProcess, text: str, **called: str) -> bool:
    with contextlib.suppress(RecorderAway):
        run = recorder.status().run
        if run is not None and not run.troubles and recorder.all_passing():
            return ask(recorder, StartProcedure(text=text, called=called)).trouble == ""
    return False
