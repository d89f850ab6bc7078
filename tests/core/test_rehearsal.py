"""Rehearsals: a procedure in quick time, against instruments that are played from a tape."""

import time
from collections.abc import Mapping

import pytest

from tests.recorder.reacting import BOX, GAUGE
from tidybench.core.compile.load import load
from tidybench.core.procedure.bench_view import view_of
from tidybench.core.procedure.checked import checked
from tidybench.core.procedure.text import parse
from tidybench.core.rehearsal.played import Played
from tidybench.core.rehearsal.rehearsal import Rehearsal, Rehearsed
from tidybench.core.setup.calculated import Calculations, load_calculations
from tidybench.core.tape.events import Event, GaveUp, Received, Sent
from tidybench.core.values.origin import Acting, Asked

S = 1_000_000
T0 = 1_795_000_000 * S
LINKS = "simulated/sump-gauge", "simulated/switch-box"
NUMBERS = {"sump-level": 1, "pump-on": 2, "twice": 3}
TWICE = '[[calculated]]\nid = "twice"\nname = "Twice"\nexpression = \'2 * "sump-level"\'\nunit = "%"\n'


def tape() -> list[tuple[int, str, Event]]:
    """Ten seconds at 40 %; then the pump is switched off, and the level rises by 2 % a second."""
    events: list[tuple[int, str, Event]] = []

    def said(link: int, at: float, origin: Asked | Acting, asked: bytes, answer: bytes) -> None:
        poll = 1 if isinstance(origin, Asked) else 0
        events.append((0, LINKS[link], Sent(T0 + round(at * S), asked, poll, origin)))
        events.append((0, LINKS[link], Received(T0 + round((at + 0.02) * S), answer[:3])))
        events.append((0, LINKS[link], Received(T0 + round((at + 0.03) * S), answer[3:])))

    for n in range(200):
        at = n / 5
        if n == 50:
            said(1, at - 0.05, Acting("switch-box", "pump", 1), b"P0\r", b"OK\r")
        level = 40.0 if n < 50 else 40.0 + 2 * (at - 10)
        said(0, at, Asked("sump-gauge", "level"), b"LV?\r", b"LV %05.1f\r" % level)
        if n % 2:
            said(1, at + 0.01, Asked("switch-box", "state"), b"S?\r", b"S %d\r" % (n < 50))
    return events


def rehearsed(
    steps: str, answers: Mapping[int, float] = {}, events: list[tuple[int, str, Event]] | None = None
) -> Rehearsed:
    setups, calculations = [load(GAUGE), load(BOX)], load_calculations(TWICE)
    view = view_of(setups, calculations.calculated, NUMBERS)
    made = checked(parse(f"procedure P\n{steps}"), view)
    played = Played(events or tape())
    return Rehearsal(made, setups, calculations, NUMBERS, played, answers).carry_out()


def lines(done: Rehearsed) -> list[tuple[float, int, str]]:
    return [(round((one.at - done.begun_at) / S, 2), one.line, one.words) for one in done.log]


def test_what_follows_a_command_is_what_followed_it_then() -> None:
    done = rehearsed(
        "  set switch-box.pump to 0\n"
        '  wait until "sump-level" > 50 [%], at most 1 min\n'
        '  take point "full", averaging 2 s\n'
    )
    assert (done.failed, done.why) == (False, "all steps are done")
    told = lines(done)
    assert [one[1] for one in told] == [0, 2, 3, 4, 0]
    assert told[1][2] == "Pump 0: answered “OK”"
    # 50 % is passed with the sample at 15.2 s of the tape, 5.25 s behind the command at 9.95 s.
    assert told[2][0] == pytest.approx(5.25 + 0.03, abs=0.21)
    assert told[3][0] == pytest.approx(told[2][0] + 2.5, abs=0.01)
    assert [(one.instrument, one.command, one.data, one.known) for one in done.sent] == [
        ("switch-box", "pump", b"P0\r", True)
    ]


def test_before_the_command_it_is_as_before() -> None:
    done = rehearsed('  wait until "sump-level" > 41 [%], at most 5 s, else go on\n  wait 1 h\n')
    told = lines(done)
    assert told[1][0] == pytest.approx(5, abs=0.01)
    assert told[2][0] == pytest.approx(3605, abs=0.01)
    assert not done.failed


def test_a_command_that_is_not_on_the_tape_is_taken_as_answered_and_that_is_said() -> None:
    done = rehearsed("  set switch-box.lamp to 2\n")
    assert lines(done)[1][2] == "Lamp 2: taken as answered: the tape has no such command"
    assert [(one.data, one.known) for one in done.sent] == [(b"L2\r", False)]


def test_a_calculated_channel_and_steadiness() -> None:
    done = rehearsed(
        "  wait until twice is steady within 1 [%] for 3 s, at most 1 min\n"
        "  set switch-box.pump to 0\n"
        "  wait until twice is steady within 1 [%] for 3 s, at most 10 s\n"
    )
    assert done.failed
    assert done.why == "twice steady within 1 % for 3 s: not within 10 s"
    assert lines(done)[1][0] == pytest.approx(3, abs=0.5)


def test_a_question_for_a_number_ends_it_unless_it_is_answered() -> None:
    steps = '  ask which "Which lamp?"\n  set switch-box.lamp to which\nalways\n  set switch-box.pump to 0\n'
    done = rehearsed(steps)
    assert done.asks is not None
    assert (done.asks.line, done.asks.number, done.failed) == (2, 1, True)
    assert done.why == "line 2 asks for a number: give one to rehearse what follows"
    assert [one.data for one in done.sent] == [b"P0\r"], "what is always done"
    assert [one.data for one in rehearsed(steps, {1: 1}).sent] == [b"L1\r", b"P0\r"]


def test_an_instrument_that_did_not_answer_then_does_not_now() -> None:
    events = [
        (n, link, GaveUp(event.at + 1, 0) if isinstance(event, Received) and link == LINKS[1] else event)
        for n, link, event in tape()
    ]
    done = rehearsed("  set switch-box.pump to 0\n", events=events)
    assert done.failed
    assert "no answer" in done.why


def test_the_same_in_gives_the_same_out_and_a_week_takes_no_week() -> None:
    steps = '  wait until "sump-level" > 99 [%], at most 1 h, else go on\n  wait 7 d\n'.replace(
        "7 d", "168 h"
    )
    began = time.monotonic()
    first = rehearsed(steps)
    assert time.monotonic() - began < 30
    assert first.ended_at - first.begun_at > 7 * 86_400 * S
    assert first.log == rehearsed(steps).log


def test_one_that_takes_too_long_to_be_worked_out_is_given_up_with_its_end() -> None:
    setups = [load(GAUGE), load(BOX)]
    view = view_of(setups, [], NUMBERS)
    steps = (
        'procedure P\n  wait until "sump-level" > 99 [%], at most 24 h\nalways\n  set switch-box.pump to 0\n'
    )
    calls: list[int] = []

    def may() -> bool:
        calls.append(1)
        return len(calls) < 3

    done = Rehearsal(checked(parse(steps), view), setups, Calculations(), NUMBERS, Played(tape()), {}, may).carry_out()  # fmt: skip
    assert done.why == "the rehearsal was given up: it takes too long to be worked out"
    assert [one.data for one in done.sent] == [b"P0\r"]


def test_an_empty_tape_is_refused() -> None:
    with pytest.raises(ValueError, match="Nothing was sent or received"):
        Played([])


def test_what_talks_by_itself_is_heard_when_it_said_it() -> None:
    events: list[tuple[int, str, Event]] = [(0, "a", Received(T0 + n * S, b"%d\n" % n)) for n in range(5)]
    played = Played(events)
    assert played.next_alone("a") == S
    assert played.alone("a", T0, T0 + 2 * S) == [b"1\n", b"2\n"]
    played.go_on(10 * S)
    assert played.place == T0 + 2 * S, "from the beginning again"


IDENTITY = '\n[identity]\nsend = "ID?\\r"\nexpect = "SUMP 7"\n\n[[start]]\nsend = "RATE 5\\r"\n'


def test_an_instrument_that_had_said_who_it_is_before_the_tape_began() -> None:
    gauge = GAUGE.replace("[[query]]", IDENTITY + "\n[[query]]", 1)
    setups = [load(gauge), load(BOX)]
    view = view_of(setups, [], NUMBERS)
    made = checked(parse('procedure P\n  wait until "sump-level" > 39 [%], at most 5 s\n'), view)
    done = Rehearsal(made, setups, Calculations(), NUMBERS, Played(tape()), {}).carry_out()
    assert done.why == "all steps are done"
    played = Played(tape())
    assert played.hear(LINKS[0], b"ID?\r") is None
    played.introduce(setups)
    assert played.hear(LINKS[0], b"ID?\r") == ((20_000, b"SUMP 7\r"),)


def test_a_reading_is_the_next_one_of_the_tape() -> None:
    done = rehearsed('  read level = sump-level, at most 5 s\n  say "it is {level}"\n')
    assert [words for _, _, words in lines(done)][1:3] == ["sump-level is 40 %", "it is 40 %"]
