"""Safe states: what is sent when something ends or is lost, and what could not be."""

import time
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tests.recorder.test_acts import HeardPositioner
from tests.recorder.test_procedures import ask, ended
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError
from tidybench.core.tape.events import CommandGiven
from tidybench.recorder.state import RecorderState
from tidybench.runs.tape import read_kinds
from tidybench.runs.whole import read_newest
from tidybench.wire.procedures import StartProcedure, StopProcedure
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.safe import SafeStatus
from tidybench.wire.setups import ApplySetups, SetupText

SAFE = '\n[safe]\ncommands = [{ command = "opening", values = { opening = 5 } }]\n'
STEPS = "procedure Wear\n  set valve-positioner.opening to 20 [%]\n  wait 1 h\nalways\n  set valve-positioner.opening to 30 [%]\n"
Bench = Callable[[str], None]


@pytest.fixture
def valve(shop: Shop) -> HeardPositioner:
    return shop.plug_in(HeardPositioner)


@pytest.fixture
def bench(valve: HeardPositioner, recorder: RecorderProcess) -> Bench:
    """Puts valve and flow meter in force, the valve with more in its set-up."""

    def put(more: str) -> None:
        recorder.start()
        texts = [
            SetupText(id="valve-positioner", text=setup_text("valve-positioner") + more),
            SetupText(id="loop-flow-meter", text=setup_text("loop-flow-meter")),
        ]
        assert ask(recorder, ApplySetups(setups=texts)).trouble == ""
        wait_for(recorder.all_passing, "all to pass")

    return put


def safe(recorder: RecorderProcess) -> SafeStatus | None:
    return next(iter(recorder.status().safe), None)


def test_a_procedure_that_is_stopped_leaves_it_behind_what_is_always_done(
    bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    bench(SAFE)
    ask(recorder, StartProcedure(text=STEPS))
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its first step")
    ask(recorder, StopProcedure(id=recorder.status().procedures[0].id, by="M. Okafor"))
    wait_for(lambda: ended(recorder), "its end")
    wait_for(lambda: len(valve.heard) == 3, "the safe state")
    assert valve.heard == [b"VP 020.0", b"VP 030.0", b"VP 005.0"]
    wait_for(
        lambda: (one := safe(recorder)) is not None and one.words == "Set opening: answered “OK”",
        "its answer",
    )
    ask(recorder, StartProcedure(text=STEPS.replace("1 h", "10 ms")))
    wait_for(lambda: ended(recorder) and len(valve.heard) == 5, "the second one")
    recorder.stop()
    assert valve.heard[3:] == [b"VP 020.0", b"VP 030.0", b"VP 005.0"], "all went well; then Tidy Bench ended"


def test_when_a_run_ends_where_that_is_wanted(
    bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    bench(SAFE + "run_ends = true\n")
    ask(recorder, BeginRun(name="x"))
    run = recorder.status().run
    assert run is not None
    ask(recorder, EndRun(run=run.id))
    wait_for(lambda: valve.heard == [b"VP 005.0"], "the safe state")


def test_a_watched_channel_that_is_lost_brings_it_once_and_again_after_it_was_back(
    shop: Shop, bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    bench(SAFE + 'watch = "loop-flow"\nwatch_s = 1\n')
    ask(recorder, BeginRun(name="x", carry_on=True))
    run = recorder.status().run
    assert run is not None
    for turn in (1, 2):
        shop.flow.fault("silent")
        wait_for(lambda turn=turn: len(valve.heard) == turn, "the safe state", 15)  # type: ignore[misc]
        shop.flow.fault("silent", False)
        time.sleep(1.5)  # it is measured again
    assert valve.heard == [b"VP 005.0", b"VP 005.0"]
    given = [
        one for _, _, one in read_kinds(Path(run.folder) / "tape", "command") if isinstance(one, CommandGiven)
    ]
    assert [one.by for one in given] == ["its safe state: “loop-flow” has not been measured for 1 s"] * 2


def test_a_channel_that_is_asked_seldom_is_not_lost_between_two_samples(
    bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    """The valve is asked once a second: watched for 0.2 s, it would have been set at every sample."""
    bench(SAFE + 'watch = "valve-opening"\nwatch_s = 0.2\n')
    time.sleep(3)
    assert valve.heard == []


def test_what_could_not_be_reached_is_said(
    bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    bench(SAFE)
    ask(recorder, StartProcedure(text=STEPS))
    wait_for(lambda: valve.heard == [b"VP 020.0"], "its first step")
    valve.mute = True
    ask(recorder, StopProcedure(id=recorder.status().procedures[0].id))
    wait_for(lambda: (one := safe(recorder)) is not None and not one.good, "its fault", 15)
    one = safe(recorder)
    assert one is not None
    assert one.words == "Set opening: no answer within 1 s: it is not known whether it was done"
    state = recorder.places.recorder_state
    wait_for(
        lambda: read_newest(state, RecorderState.model_validate_json).unreached == [one], "it to be kept"
    )
    recorder.kill()
    recorder.start(carry_on=True)
    assert safe(recorder) == one, "a person has to know of it over a restart too"
    valve.mute = False
    wait_for(recorder.all_passing, "all to pass")
    ask(recorder, StartProcedure(text=STEPS))
    wait_for(lambda: valve.heard[-1] == b"VP 020.0", "its first step")
    ask(recorder, StopProcedure(id=recorder.status().procedures[0].id))
    wait_for(
        lambda: (now := safe(recorder)) is not None and now.good and now.words != "on its way",
        "its safe state",
    )
    wait_for(
        lambda: read_newest(state, RecorderState.model_validate_json).unreached == [], "it to be forgotten"
    )


def test_a_channel_that_is_not_there_cannot_be_watched(
    bench: Bench, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    bench(SAFE + 'watch = "sump-level"\n')
    wait_for(lambda: safe(recorder) is not None, "its fault")
    one = safe(recorder)
    assert one is not None
    assert not one.good
    assert "“sump-level”, which is not on this bench" in one.words
    assert valve.heard == []


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        (SAFE.replace("5 }", "101 }"), "[safe]: opening: Opening is 101 %: the highest it can be is 100 %."),
        (
            SAFE.replace('"opening"', '"shut"'),
            "[safe]: there is no command “shut” (there are: opening, auto).",
        ),
    ],
)
def test_a_safe_state_that_cannot_be_sent_is_refused(more: str, sentence: str) -> None:
    with pytest.raises(SetupError) as error:
        load(setup_text("valve-positioner") + more)
    assert str(error.value) == sentence
