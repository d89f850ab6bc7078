"""Commands of set-ups, from a real recorder to instruments on pseudo-terminals."""

import contextlib
import random
import threading
import time
from pathlib import Path

import pytest

from tests.conftest import RecorderProcess, Shop, wait_for
from tidybench.core.tape.events import CommandEnded, CommandGiven, Sent
from tidybench.core.values.origin import Acting
from tidybench.runs.tape import read_kinds
from tidybench.standins.instruments.valve_positioner import ValvePositioner
from tidybench.wire.client import RecorderAway
from tidybench.wire.commands import ActStatus, GetAct, GiveCommand
from tidybench.wire.protocol import Answer
from tidybench.wire.runs import BeginRun
from tidybench.wire.tape import GetTape


class HeardPositioner(ValvePositioner):
    """Remembers what it was told to set."""

    def factory(self) -> None:
        super().factory()
        self.heard: list[bytes] = []
        self.mute = False

    def answer(self, query: bytes) -> bytes | None:
        if query.startswith(b"VP "):
            self.heard.append(query)
            if self.mute:
                return None
        return super().answer(query)


def given(
    recorder: RecorderProcess, instrument: str, command: str, sure: bool = False, **values: float | str
) -> ActStatus:
    """A command given, and what came of it."""
    asked = GiveCommand(instrument=instrument, command=command, values=values, by="M. Okafor", sure=sure)
    answer = recorder.ask(asked)[0]
    assert isinstance(answer, Answer)
    assert answer.act is not None, answer.why
    number = answer.act.number

    def ended() -> ActStatus | None:
        now = recorder.ask(GetAct(number=number))[0]
        assert isinstance(now, Answer)
        return now.act if now.act is not None and now.act.ended_at is not None else None

    wait_for(ended, "its end", 10)
    act = ended()
    assert act is not None
    return act


def refused(recorder: RecorderProcess, instrument: str, command: str, **values: float | str) -> str:
    answer = recorder.ask(GiveCommand(instrument=instrument, command=command, values=values))[0]
    assert isinstance(answer, Answer)
    assert answer.act is None
    return answer.why


@pytest.fixture
def valve(shop: Shop) -> HeardPositioner:
    return shop.plug_in(HeardPositioner)


def test_a_valve_is_set_and_the_tape_says_who_asked(
    shop: Shop, valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    recorder.start("valve-positioner", "power-analyser")
    wait_for(recorder.all_passing, "all to pass")
    act = given(recorder, "valve-positioner", "opening", opening=30)
    assert (act.outcome, act.words, act.lines) == ("answered", "answered “OK”", ["OK"])
    assert (act.sent, valve.heard) == ("VP 030.0\r", [b"VP 030.0"])
    wait_for(lambda: abs(shop.loop.opening() - 0.3) < 0.01, "the valve to be there")

    def told() -> list[tuple[str, str]]:
        tape = recorder.tape(GetTape(link="simulated/valve-positioner"))
        mine = [one for one in tape if one.kind.startswith("command") or "/command/" in one.why]
        return [(one.kind, one.text) for one in mine]

    wait_for(lambda: len(told()) == 3, "its lines", 5)
    assert told() == [
        ("command", "command valve-positioner opening (opening 30), asked for by M. Okafor"),
        ("out", "VP 030.0\r"),
        ("command ended", "command valve-positioner opening: answered “OK”"),
    ]
    newest = next(one for one in recorder.status().instruments if one.id == "valve-positioner").acts
    assert [(one.command, one.outcome) for one in newest] == [("opening", "answered")]

    assert refused(recorder, "valve-positioner", "opening", opening=101) == (
        "Opening is 101 %: the highest it can be is 100 %."
    )
    assert refused(recorder, "valve-positioner", "shut") == "Valve positioner has no command “shut”."
    assert refused(recorder, "valve", "opening") == "There is no instrument “valve” on the bench."
    assert refused(recorder, "power-analyser", "reset") == (
        "“Factory settings” cannot be undone. Send it with sure = true."
    )
    assert valve.heard == [b"VP 030.0"]
    reset = given(recorder, "power-analyser", "reset", sure=True)
    assert (reset.outcome, reset.words) == ("sent", "sent")
    identity = given(recorder, "power-analyser", "identity")
    assert identity.fields["serial"] == "PA-0031"


def test_an_instrument_that_is_away_gets_nothing(valve: HeardPositioner, recorder: RecorderProcess) -> None:
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    valve.mute = True  # it is pulled while the command is on its way
    pulled = threading.Timer(0.3, valve.fault, ["unplugged"])
    pulled.start()
    act = given(recorder, "valve-positioner", "opening", opening=40)
    assert act.outcome == "not known"
    assert act.words.startswith("sent, but it is not known whether it was done. ")
    why = refused(recorder, "valve-positioner", "opening", opening=50)
    assert why.startswith("“Set opening” cannot be sent. ")
    valve.mute = False
    valve.fault("unplugged", False)
    wait_for(recorder.all_passing, "it to be back")
    assert valve.heard == [b"VP 040.0"], "nothing is sent again, and nothing late"


def test_killed_at_any_instant_no_command_is_sent_twice_and_none_without_its_line(
    valve: HeardPositioner, recorder: RecorderProcess
) -> None:
    """Commands one after the other; the recorder is killed five times in the middle of a run that goes on."""
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    recorder.ask(BeginRun(name="Wear", carry_on=True))
    run = recorder.status().run
    assert run is not None
    folder = Path(run.folder)
    dice, tenths, stop = random.Random(15), iter(range(1000)), threading.Event()

    def command_on() -> None:
        while not stop.is_set():
            opening = next(tenths) / 10  # each one once
            with contextlib.suppress(RecorderAway):
                recorder.ask(
                    GiveCommand(instrument="valve-positioner", command="opening", values={"opening": opening})
                )
            time.sleep(0.01)

    for _ in range(5):
        stop.clear()
        thread = threading.Thread(target=command_on)
        thread.start()
        time.sleep(dice.uniform(0.3, 1.2))
        recorder.kill()
        stop.set()
        thread.join()
        recorder.start(carry_on=True)
        wait_for(lambda: _in_order(recorder), "it to go on")
    time.sleep(0.5)
    heard = list(valve.heard)
    assert len(heard) > 10
    assert len(set(heard)) == len(heard), "none twice"
    given = [one for _, _, one in read_kinds(folder / "tape", "command") if isinstance(one, CommandGiven)]
    told = {f"VP {one.values['opening']:05.1f}".encode() for one in given}
    assert set(heard) <= told, "none without its line"
    sent = [
        one.data
        for _, _, one in read_kinds(folder / "tape", "out")
        if isinstance(one, Sent) and isinstance(one.origin, Acting)
    ]
    assert len(set(sent)) == len(sent)
    ended = [
        one for _, _, one in read_kinds(folder / "tape", "command ended") if isinstance(one, CommandEnded)
    ]
    assert {one.outcome for one in ended} >= {"answered"}


def _in_order(recorder: RecorderProcess) -> bool:
    with contextlib.suppress(RecorderAway):
        run = recorder.status().run
        return run is not None and not run.troubles and recorder.all_passing()
    return False
