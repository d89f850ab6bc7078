"""What is said around a session, decided without a port: the attendant, and the poller's errands."""

import pytest

from tests.conftest import setup_text
from tidybench.core.events import Event, GaveUp, Identified, Opened, Quiet, Received, Sent
from tidybench.core.plan import QueryPlan, plan_links
from tidybench.core.session import LinkReader
from tidybench.core.setup import load
from tidybench.core.timing.attendant import ASK_AGAIN, Attendant
from tidybench.core.timing.poller import LONGEST_ANSWER, Ask, Errand, Finish, Poller, Run

S = 1_000_000
FLOW = "loop-flow-meter"
GOOD = b"FL=+0148.27 L/min OK\r\n"
IDENTITY = [b"LOOP FLOW METER", b"SERIAL 20417", b"VERSION 3.2"]


def made(text: str = setup_text(FLOW)) -> tuple[Attendant, LinkReader]:
    plan = plan_links([load(text)], {"loop-flow": 7})[0]
    reader = LinkReader(plan)
    reader.feed(Opened(0, {}))
    return Attendant(plan), reader


def names(errands: list[Errand]) -> list[str]:
    return [errand.name.removeprefix(f"{FLOW}/") for errand in errands]


def poll(attendant: Attendant, reader: LinkReader, at: int, number: int, reply: bytes | None) -> list[str]:
    """One poll and what came of it; gives what is to be sent."""
    reader.feed(Sent(at, b"FL?\r", number, f"{FLOW}/flow"))
    if reply is None:
        reader.feed(GaveUp(at + S // 2, number))
        return []
    reader.feed(Received(at + 30_000, reply))
    return names(attendant.heard(reader, at + 30_000))


def test_who_are_you_comes_first_and_start_commands_only_when_it_is_the_one() -> None:
    attendant, reader = made()
    assert names(attendant.opened(0)) == ["identity"]
    [event], errands = attendant.finished(f"{FLOW}/identity", IDENTITY, S)
    assert event == Identified(S, FLOW, True, "LOOP FLOW METER\nSERIAL 20417\nVERSION 3.2")
    assert names(errands) == ["start/1"]
    assert reader.withheld == {FLOW}
    reader.feed(event)
    assert not reader.withheld
    assert attendant.finished(f"{FLOW}/start/1", [b"OK"], S) == ([], [])
    assert attendant.troubles == {}


@pytest.mark.parametrize("answer", [[b"SERIAL 1"], []])
def test_a_stranger_gets_no_command(answer: list[bytes]) -> None:
    attendant, reader = made()
    attendant.opened(0)
    [event], errands = attendant.finished(f"{FLOW}/identity", answer, S)
    assert not event.matches
    assert errands == []
    assert attendant.farewell() == []
    reader.feed(event)
    assert names(attendant.idle(reader, ASK_AGAIN - 1)) == []
    assert names(attendant.idle(reader, ASK_AGAIN)) == ["identity"]


def test_an_instrument_that_is_known_stays_known_when_an_answer_is_lost() -> None:
    attendant, _ = made()
    attendant.opened(0)
    attendant.finished(f"{FLOW}/identity", IDENTITY, S)
    assert attendant.finished(f"{FLOW}/identity", [], 9 * S) == ([], [])
    assert attendant.identities[FLOW].matches
    [event], _ = attendant.finished(f"{FLOW}/identity", [b"SERIAL 1"], 10 * S)
    assert not event.matches


def test_all_of_it_again_when_it_answers_after_silence() -> None:
    attendant, reader = made()
    attendant.opened(0)
    assert poll(attendant, reader, S, 1, GOOD) == []
    poll(attendant, reader, 2 * S, 2, None)
    assert poll(attendant, reader, 3 * S, 3, GOOD) == []  # one lost reply is no restart
    for number, at in ((4, 4 * S), (5, 5 * S)):
        poll(attendant, reader, at, number, None)
        reader.feed(Quiet(at + S // 2))
        attendant.heard(reader, at + S // 2)
    assert poll(attendant, reader, 6 * S, 6, GOOD) == ["identity"]


def test_all_of_it_again_when_it_reads_strangely_after_a_lost_reply() -> None:
    attendant, reader = made()
    attendant.opened(0)
    reader.withheld.clear()
    assert poll(attendant, reader, S, 1, GOOD) == []
    strange = b"FL=+0008.89 m3/h OK\r\n"
    for number in (2, 3, 4):  # strange alone is no restart: the pattern may be wrong
        assert poll(attendant, reader, number * S, number, strange) == []
    poll(attendant, reader, 5 * S, 5, None)
    reader.feed(Quiet(5 * S + 600_000))
    assert poll(attendant, reader, 6 * S, 6, strange) == ["identity"]
    assert poll(attendant, reader, 7 * S, 7, strange) == []  # said once


def test_a_power_up_text_is_a_restart() -> None:
    text = setup_text("shaft-pickup") + '[[start]]\nsend = "GO\\n"\n[[release]]\nsend = "STOP\\n"\n'
    plan = plan_links([load(text)], {"shaft-speed": 1, "shaft-torque": 2})[0]
    attendant, reader = Attendant(plan), LinkReader(plan)
    reader.feed(Opened(0, {}))
    assert [e.data for e in attendant.opened(0)] == [b"GO\n"]
    reader.feed(Received(S, b"1450.0,14.0\r\n1450.0,14.1\r\n"))
    assert attendant.heard(reader, S) == []
    reader.feed(Received(S + 50_000, b"\xff\r\nSPEED,TORQUE\r\n"))
    assert [e.data for e in attendant.heard(reader, S + 50_000)] == [b"GO\n"]
    reader.feed(Received(20 * S, b"1450.0,14.0\r\n"))
    assert [e.data for e in attendant.heard(reader, 20 * S)] == [b"GO\n"]  # it had stopped talking
    assert [e.data for e in attendant.farewell()] == [b"STOP\n"]


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
    assert not Attendant(plan).active


# ---- errands between polls


def query(every: int = S, key: str = "m/q") -> QueryPlan:
    return QueryPlan(key, "m", b"Q\r", every, S // 2, 2_000)


ERRAND = Errand("command/1", b"ID?\r", wait=300_000, quiet=60_000, lines=2, wire_time=4_000)


def test_a_command_goes_before_a_poll_that_is_due_and_never_into_one() -> None:
    poller = Poller([query()], now=0)
    [ask] = poller.step(0)
    assert isinstance(ask, Ask)
    poller.commission(ERRAND)
    assert poller.step(100_000) == []  # a reply is awaited
    poller.replied(120_000)
    assert poller.deadline == 120_000
    assert poller.step(120_000) == [Run(ERRAND)]
    assert poller.on_errand is ERRAND
    assert poller.deadline == 120_000 + 4_000 + 300_000


def test_an_answer_ends_with_its_lines_or_with_silence() -> None:
    poller = Poller([query()], now=0)
    poller.commission(ERRAND)
    poller.step(1)
    poller.heard(50_000, lines=1)
    assert poller.deadline == 110_000
    poller.heard(60_000, lines=2)
    assert poller.step(60_000) == [Finish(ERRAND)]
    poller.commission(Errand("command/2", b"X", wait=100_000))
    poller.step(70_000)
    poller.heard(80_000)
    poller.heard(130_000)
    assert poller.step(140_000) == []
    assert poller.step(190_000) == [Finish(Errand("command/2", b"X", wait=100_000))]


def test_nothing_is_waited_for_for_ever() -> None:
    poller = Poller([], now=0)
    poller.commission(ERRAND)
    poller.step(0)
    for at in range(0, 20 * S, 50_000):  # a device that never falls silent
        poller.heard(at)
    assert poller.deadline is not None
    assert poller.deadline <= 304_000 + LONGEST_ANSWER


def test_the_gap_between_commands_is_kept() -> None:
    poller = Poller([query(every=0)], now=0, gap=50_000)
    poller.step(0)
    poller.replied(10_000)
    assert poller.step(30_000) == []
    assert poller.deadline == 60_000
    assert isinstance(poller.step(60_000)[0], Ask)


def test_a_query_on_demand_is_asked_when_it_is_wanted() -> None:
    by_hand = QueryPlan("m/d", "m", b"D\r", S, S // 2, 0, on_demand=True)
    poller = Poller([by_hand], now=0)
    assert poller.deadline is None
    assert poller.step(5 * S) == []
    poller.want([by_hand])
    [ask] = poller.step(6 * S)
    assert isinstance(ask, Ask)
    assert ask.query is by_hand
    poller.commission(ERRAND)
    poller.reopened(7 * S)
    assert poller.step(7 * S) == []  # what was to be said on a link that is gone is forgotten


# ---- the reader's part


def feed(reader: LinkReader, *events: Event) -> None:
    for event in events:
        reader.feed(event)


def test_answers_to_commands_are_no_readings() -> None:
    _, reader = made()
    reader.withheld.clear()
    feed(reader, Sent(S, b"ID?\r", 0, "command/1"), Received(S + 30_000, b"A\r\nB\r\n"))
    assert reader.command.lines == [b"A", b"B"]
    assert reader.plan.readers[f"{FLOW}/flow"].counts.not_understood == 0
    feed(reader, Quiet(S + 90_000), Received(2 * S, b"late\r\n"))
    assert reader.command.lines == [b"A", b"B"]
    assert reader.counts.unasked == 6


def test_the_state_on_a_tape_keeps_what_is_withheld_and_asked() -> None:
    _, reader = made()
    feed(reader, Sent(S, b"ID?\r", 0, f"{FLOW}/identity"))
    other = made()[1]
    other.withheld.clear()
    other._start(reader.state())
    assert other.withheld == {FLOW}
    feed(other, Received(2 * S, b"LOOP\r\n"))
    assert other.command.lines == [b"LOOP"]


def test_an_echo_is_taken_off_in_pieces_of_any_size() -> None:
    text = setup_text(FLOW).replace("baud = 9600", "baud = 9600\necho = true")
    for size in (1, 2, 3, 5, 50):
        _, reader = made(text)
        reader.withheld.clear()
        reader.feed(Sent(S, b"FL?\r", 1, f"{FLOW}/flow"))
        data, out = b"FL?\r" + GOOD, []
        for at in range(0, len(data), size):
            batch = reader.feed(Received(S + at, data[at : at + size]))
            out += batch.values if batch is not None else []
        assert out == [148.27], size
    _, reader = made()
    reader.withheld.clear()
    feed(reader, Sent(S, b"FL?\r", 1, f"{FLOW}/flow"), Received(S + 9, b"FL?\r" + GOOD))
    assert reader.counts.echoes == 1
