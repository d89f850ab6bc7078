"""What is said around a session, decided without a port: the manager, and the poller's commands."""

import pytest

from tests.conftest import setup_text
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.session import ASK_AGAIN, SessionManager
from tidybench.core.tape.events import Event, GaveUp, Identified, Opened, Quiet, Received, Sent
from tidybench.core.values.origin import Asked, ByHand, IdentityQuery, StartCommand

S = 1_000_000
FLOW = "loop-flow-meter"
GOOD = b"FL=+0148.27 L/min OK\r\n"
IDENTITY = [b"LOOP FLOW METER", b"SERIAL 20417", b"VERSION 3.2"]


def made(text: str = setup_text(FLOW)) -> tuple[SessionManager, LinkReader]:
    plan = plan_links([load(text)], {"loop-flow": 7})[0]
    reader = LinkReader(plan)
    reader.feed(Opened(0, {}))
    return SessionManager(plan), reader


def names(commands: list[Command]) -> list[str]:
    return [command.origin.text.removeprefix(f"{FLOW}/") for command in commands]


def poll(manager: SessionManager, reader: LinkReader, at: int, number: int, reply: bytes | None) -> list[str]:
    """One poll and what came of it; gives what is to be sent."""
    reader.feed(Sent(at, b"FL?\r", number, Asked(FLOW, "flow")))
    if reply is None:
        reader.feed(GaveUp(at + S // 2, number))
        reader.feed(Quiet(at + S // 2 + 20_000))
        return []
    reader.feed(Received(at + 30_000, reply))
    return names(manager.heard(reader, at + 30_000))


def test_who_are_you_comes_first_and_start_commands_only_when_it_is_the_one() -> None:
    manager, reader = made()
    assert names(manager.opened(0)) == ["identity"]
    [event], commands = manager.finished(IdentityQuery(FLOW), IDENTITY, S)
    assert event == Identified(S, FLOW, True, "LOOP FLOW METER\nSERIAL 20417\nVERSION 3.2")
    assert names(commands) == ["start/1"]
    assert reader.withheld == {FLOW}
    reader.feed(event)
    assert not reader.withheld
    assert manager.finished(StartCommand(FLOW, 1), [b"OK"], S) == ([], [])
    assert manager.troubles == {}


@pytest.mark.parametrize("answer", [[b"SERIAL 1"], []])
def test_a_stranger_gets_no_command(answer: list[bytes]) -> None:
    manager, reader = made()
    manager.opened(0)
    [event], commands = manager.finished(IdentityQuery(FLOW), answer, S)
    assert not event.matches
    assert commands == []
    assert manager.release_commands() == []
    reader.feed(event)
    assert names(manager.idle(reader, ASK_AGAIN - 1)) == []
    assert names(manager.idle(reader, ASK_AGAIN)) == ["identity"]


def test_an_instrument_that_is_known_stays_known_when_an_answer_is_lost() -> None:
    manager, _ = made()
    manager.opened(0)
    manager.finished(IdentityQuery(FLOW), IDENTITY, S)
    assert manager.finished(IdentityQuery(FLOW), [], 9 * S) == ([], [])
    assert manager.identities[FLOW].matches
    [event], _ = manager.finished(IdentityQuery(FLOW), [b"SERIAL 1"], 10 * S)
    assert not event.matches


def test_all_of_it_again_when_it_answers_after_silence() -> None:
    manager, reader = made()
    manager.opened(0)
    assert poll(manager, reader, S, 1, GOOD) == []
    poll(manager, reader, 2 * S, 2, None)
    assert poll(manager, reader, 3 * S, 3, GOOD) == []  # one lost reply is no restart
    for number, at in ((4, 4 * S), (5, 5 * S)):
        poll(manager, reader, at, number, None)
        reader.feed(Quiet(at + S // 2))
        manager.heard(reader, at + S // 2)
    assert poll(manager, reader, 6 * S, 6, GOOD) == ["identity"]


def test_all_of_it_again_when_it_reads_strangely_after_a_lost_reply() -> None:
    manager, reader = made()
    manager.opened(0)
    reader.withheld.clear()
    assert poll(manager, reader, S, 1, GOOD) == []
    strange = b"FL=+0008.89 m3/h OK\r\n"
    for number in (2, 3, 4):  # strange alone is no restart: the pattern may be wrong
        assert poll(manager, reader, number * S, number, strange) == []
    poll(manager, reader, 5 * S, 5, None)
    reader.feed(Quiet(5 * S + 600_000))
    assert poll(manager, reader, 6 * S, 6, strange) == ["identity"]
    assert poll(manager, reader, 7 * S, 7, strange) == []  # said once


def test_a_power_up_text_is_a_restart() -> None:
    text = setup_text("shaft-pickup") + '[[start]]\nsend = "GO\\n"\n[[release]]\nsend = "STOP\\n"\n'
    plan = plan_links([load(text)], {"shaft-speed": 1, "shaft-torque": 2})[0]
    manager, reader = SessionManager(plan), LinkReader(plan)
    reader.feed(Opened(0, {}))
    assert [e.data for e in manager.opened(0)] == [b"GO\n"]
    reader.feed(Received(S, b"1450.0,14.0\r\n1450.0,14.1\r\n"))
    assert manager.heard(reader, S) == []
    reader.feed(Received(S + 50_000, b"\xff\r\nSPEED,TORQUE\r\n"))
    assert [e.data for e in manager.heard(reader, S + 50_000)] == [b"GO\n"]
    reader.feed(Received(20 * S, b"1450.0,14.0\r\n"))
    assert [e.data for e in manager.heard(reader, 20 * S)] == [b"GO\n"]  # it had stopped talking
    assert [e.data for e in manager.release_commands()] == [b"STOP\n"]


def test_without_anything_to_say_nothing_is_watched() -> None:
    plan = plan_links(
        [
            load(
                setup_text("valve-positioner").replace("[identity]", "[framing.x]").split("[framing.x]")[0]
                + '[[query]]\nid = "o"\nsend = "VP?\\r"\n'
            )
        ],
        {},
    )[0]
    assert not SessionManager(plan).active


# ---- the reader's part


def feed(reader: LinkReader, *events: Event) -> None:
    for event in events:
        reader.feed(event)


def test_answers_to_commands_are_no_readings() -> None:
    _, reader = made()
    reader.withheld.clear()
    feed(reader, Sent(S, b"ID?\r", 0, ByHand(1)), Received(S + 30_000, b"A\r\nB\r\n"))
    assert reader.exchange.answer == [b"A", b"B"]
    assert reader.plan.readers[Asked(FLOW, "flow")].counts.not_understood == 0
    feed(reader, Quiet(S + 90_000), Received(2 * S, b"late\r\n"))
    assert reader.exchange.answer == [b"A", b"B"]
    assert reader.counts.unasked == 6


def test_the_state_on_a_tape_keeps_what_is_withheld_and_asked() -> None:
    _, reader = made()
    feed(reader, Sent(S, b"ID?\r", 0, IdentityQuery(FLOW)))
    other = made()[1]
    other.withheld.clear()
    other._start(reader.state())
    assert other.withheld == {FLOW}
    feed(other, Received(2 * S, b"LOOP\r\n"))
    assert other.exchange.answer == [b"LOOP"]


def test_an_echo_is_taken_off_in_pieces_of_any_size() -> None:
    text = setup_text(FLOW).replace("baud = 9600", "baud = 9600\necho = true")
    for size in (1, 2, 3, 5, 50):
        _, reader = made(text)
        reader.withheld.clear()
        reader.feed(Sent(S, b"FL?\r", 1, Asked(FLOW, "flow")))
        data, out = b"FL?\r" + GOOD, []
        for at in range(0, len(data), size):
            batch = reader.feed(Received(S + at, data[at : at + size]))
            out += batch.values if batch is not None else []
        assert out == [148.27], size
    _, reader = made()
    reader.withheld.clear()
    feed(reader, Sent(S, b"FL?\r", 1, Asked(FLOW, "flow")), Received(S + 9, b"FL?\r" + GOOD))
    assert reader.counts.echoes == 1
