"""The exchange of a link: its table, and what the live side makes of it."""

from collections.abc import Iterable

import pytest

from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.exchange import Exchange
from tidybench.core.exchange.gathering import HOLD, HOLD_SIZE
from tidybench.core.exchange.link_talk import MAX_ANSWER, QUIET, LinkTalk
from tidybench.core.exchange.state import TRANSITIONS, ExchangeError, State, Turn
from tidybench.core.tape.events import Event, GaveUp, Lost, Missed, Opened, Quiet, Received, Sent, Tick
from tidybench.core.values.origin import Asked, ByHand, Triggered

S = 1_000_000
REPLY = b"1.5\n"
SHORT = 4_167  # µs on the wire: "Q\r\n" and the like at 9600 baud take less

HEAD = '[instrument]\nid = "m"\nname = "M"\n{0}[link]\nport = "/dev/x"\n{1}[framing]\nterminator = "\\n"\n'
QUERY = '[[query]]\nid = "{0}"\nsend = "Q\\r"\nevery_s = {1}\npatterns = ["<v>"]\n{2}'
CHANNEL = '[[channel]]\nid = "{0}"\nname = "{0}"\nfield = "v"\nquery = "{0}"\n'


def query(key: str = "q", every: float = 0.2, more: str = "") -> str:
    return QUERY.format(key, every, more)


class Played:
    """A talk, driven as the recorder drives it: every event is fed back."""

    def __init__(self, queries: str, *, now: int = 0, link: str = "", release: str = "") -> None:
        keys = [line.split('"')[1] for line in queries.splitlines() if line.startswith("id = ")]
        text = HEAD.format("", link) + release + queries + "".join(map(CHANNEL.format, keys))
        [plan] = plan_links([load(text)], {key: n for n, key in enumerate(keys, 1)})
        self.talk = LinkTalk(plan, now)
        self.talk.feed(Opened(now, {}))
        self.talk.opened(now)

    def carry_out(self, events: Iterable[Event]) -> list[Event]:
        done = []
        for event in events:
            self.talk.feed(event)
            done.append(event)
        return done

    def speak(self, now: int) -> list[Event]:
        assert self.talk.may_speak
        return self.carry_out(self.talk.speak(now))

    def stop_waiting(self, now: int) -> list[Event]:
        return self.carry_out(self.talk.stop_waiting(now))

    def hear(self, data: bytes, at: int) -> list[Event]:
        return self.carry_out(self.talk.received(data, at))

    @property
    def state(self) -> State:
        return self.talk.reader.exchange.state


def asks(events: Iterable[Event]) -> list[tuple[str, int]]:
    return [(e.origin.query, e.poll) for e in events if isinstance(e, Sent) and isinstance(e.origin, Asked)]


# ---- the table


def test_every_state_can_be_reached_and_left() -> None:
    reached = {State.IDLE}
    while True:
        more = reached | {after for state in reached for after in TRANSITIONS[state].values()}
        if more == reached:
            break
        reached = more
    assert reached == set(State) == set(TRANSITIONS)
    for state in State:
        assert TRANSITIONS[state][Turn.OPEN] is TRANSITIONS[state][Turn.LOSE] is State.IDLE


@pytest.mark.parametrize(
    ("state", "turn"),
    [
        (State.IDLE, Turn.WHOLE),
        (State.IDLE, Turn.GIVE_UP),
        (State.ASKED, Turn.ASK),  # two polls in the air at once
        (State.GATHERING, Turn.ASK),
        (State.DRAINING, Turn.ASK),  # a late reply would answer it
        (State.DRAINING, Turn.WHOLE),
        (State.COMMANDED, Turn.WHOLE),
        (State.ARMED, Turn.GIVE_UP),
    ],
)
def test_what_does_not_stand_in_the_table_cannot_happen(state: State, turn: Turn) -> None:
    exchange = Exchange()
    exchange.state = state
    with pytest.raises(ExchangeError, match=f"{turn.name} cannot happen in the state {state.name}"):
        exchange.turn(turn)
    assert exchange.state is state


def test_a_poll_goes_round() -> None:
    played = Played(query())
    played.speak(0)
    assert played.state is State.ASKED
    played.hear(REPLY, 30_000)
    assert played.state is State.IDLE
    played.speak(S // 5)
    played.stop_waiting(2 * S)
    assert played.state is State.DRAINING
    played.stop_waiting(4 * S)
    assert played.state is State.IDLE


# ---- the grid


def test_polls_lie_on_whole_multiples_of_the_interval() -> None:
    played = Played(query(), now=10 * S + 1)
    assert played.talk.deadline() == 10 * S + S // 5
    assert asks(played.speak(10 * S + S // 5 + 90)) == [("q", 1)]
    played.hear(REPLY, 10 * S + S // 5 + 30_000)
    assert played.talk.deadline() == 10 * S + 2 * S // 5  # no drift, however late the last one was


def test_a_poll_waits_for_its_reply() -> None:
    played = Played(query())
    played.speak(0)
    assert not played.talk.may_speak
    assert played.stop_waiting(S // 5) == []
    played.hear(REPLY, S // 5)
    assert asks(played.speak(S // 5)) == [("q", 2)]


def test_late_slots_are_missed_and_counted_never_burst() -> None:
    played = Played(query())
    played.speak(0)
    played.hear(REPLY, 30_000)
    events = played.speak(S)  # slots at 0.2 to 0.8 s went by; the one at 1 s is on time
    assert events[0] == Missed(S, Asked("m", "q"), 4)
    assert asks(events) == [("q", 2)]
    played.hear(REPLY, S + 1)
    assert played.speak(S + 1) == []


@pytest.mark.parametrize(("now", "asked"), [(S // 10, 1), (S // 10 + 1, 0)])
def test_a_poll_may_start_within_half_its_interval(now: int, asked: int) -> None:
    played = Played(query())
    assert len(asks(played.speak(now))) == asked


def test_queries_on_one_link_take_turns() -> None:
    played = Played(query("a") + query("b"))
    assert asks(played.speak(0)) == [("a", 1)]
    played.hear(REPLY, 30_000)
    assert asks(played.speak(30_000)) == [("b", 2)]


def test_interval_nought_asks_as_soon_as_the_reply_is_whole() -> None:
    played = Played(query("a", 0) + query("b", 0))
    seen = []
    for now in range(4):
        seen += [key for key, _ in asks(played.speak(now))]
        played.hear(REPLY, now)
    assert seen == ["b", "a", "b", "a"]


def test_giving_up_counts_from_the_query_s_last_byte() -> None:
    played = Played(query())
    played.speak(0)
    due = played.talk.deadline()
    assert due is not None
    assert S // 2 < due < S // 2 + SHORT
    assert played.stop_waiting(due - 1) == []
    assert played.stop_waiting(due) == [GaveUp(due, 1)]


def test_after_giving_up_the_link_is_drained() -> None:
    played = Played(query(every=1))
    played.speak(0)
    played.stop_waiting(502_100)
    assert played.stop_waiting(700_000) == []
    played.hear(b"1.", 800_000)  # the late reply begins
    assert played.talk.deadline() == 1_300_000  # and has its time
    played.hear(b"5\n", 810_000)
    assert played.talk.deadline() == 810_000 + QUIET
    played.hear(b"r\n", 810_000)
    assert played.stop_waiting(830_000) == [Quiet(830_000)]
    assert asks(played.speak(S)) == [("q", 2)]


def test_draining_takes_at_most_four_more_timeouts() -> None:
    played = Played(query(every=10))
    played.speak(0)
    played.stop_waiting(502_100)
    for now in range(510_000, 2_502_000, 10_000):
        played.hear(b"x", now)
        assert played.stop_waiting(now) == []
    assert played.stop_waiting(2_502_100) == [Quiet(2_502_100)]


def test_a_port_that_comes_back_goes_on_with_the_grid() -> None:
    played = Played(query())
    played.speak(0)
    played.carry_out([Lost(6 * S, "gone"), Opened(7 * S + 5, {})])
    played.talk.opened(7 * S + 5)
    assert played.state is State.IDLE
    assert played.talk.deadline() == 7 * S + S // 5


def test_a_query_on_demand_is_asked_only_when_it_is_wanted() -> None:
    played = Played(query(more="on_demand = true\n"))
    assert played.talk.deadline() is None
    played.talk.want("m")
    assert asks(played.speak(5 * S + 3)) == [("q", 1)]
    played.hear(REPLY, 5 * S + 100_000)
    assert played.speak(9 * S) == []


# ---- triggers and answers of several lines


def test_a_trigger_comes_first_and_the_query_after_its_wait() -> None:
    played = Played(query(every=1, more='trigger = "T\\n"\ntrigger_wait_s = 0.2\n'), now=S)
    [trigger] = played.speak(S)
    assert trigger == Sent(S, b"T\n", 0, Triggered("m", "q"))
    assert played.state is State.ARMED
    due = played.talk.deadline()
    assert due is not None
    assert due >= S + 200_000
    played.hear(b"7\n", S + 50_000)  # the trigger's own answer is nobody's reading
    assert played.speak(due - 1) == []
    assert asks(played.speak(due)) == [("q", 1)]
    played.hear(REPLY, due + 200_000)
    assert played.talk.deadline() == 2 * S


def test_each_line_of_an_answer_has_its_time() -> None:
    played = Played(query(more="lines = 2\n"))
    played.speak(0)
    played.hear(REPLY, 400_000)
    assert played.state is State.GATHERING
    assert played.talk.deadline() == 400_000 + S // 2
    played.hear(REPLY, 800_000)
    assert played.state is State.IDLE


def test_silence_ends_an_answer_only_when_the_link_was_listened_to() -> None:
    played = Played(query(more="lines = 0\nquiet_ms = 50\n"))
    played.speak(0)
    played.hear(REPLY, 100_000)
    assert played.talk.deadline() == 150_000
    assert not played.talk.may_speak  # who is late must read first: there may be more
    played.hear(REPLY, 149_000)
    assert played.stop_waiting(160_000) == []
    assert played.stop_waiting(199_000) == [Tick(199_000)]
    assert played.state is State.IDLE


# ---- commands


COMMAND = Command(ByHand(1), b"ID?\r", wait=300_000, quiet=60_000, lines=2, wire_time=4_000)


def test_a_command_goes_before_a_poll_that_is_due_and_never_into_one() -> None:
    played = Played(query(every=1))
    played.speak(0)
    played.talk.enqueue([COMMAND])
    assert played.stop_waiting(100_000) == []  # a reply is awaited
    played.hear(REPLY, 120_000)
    assert played.talk.deadline() == 120_000
    assert played.speak(120_000) == [Sent(120_000, b"ID?\r", 0, ByHand(1))]
    assert played.talk.deadline() == 120_000 + 4_000 + 300_000
    assert not played.talk.may_speak


def test_an_answer_to_a_command_ends_with_its_lines_or_with_silence() -> None:
    played = Played(query(every=1))
    played.talk.enqueue([COMMAND])
    played.speak(0)
    played.hear(b"one\n", 50_000)
    assert played.talk.deadline() == 110_000
    played.hear(b"two\n", 60_000)
    assert played.stop_waiting(60_000) == [Quiet(60_000)]
    assert played.talk.answers == [(1, [b"one", b"two"])]
    played.talk.enqueue([Command(ByHand(2), b"X", wait=100_000)])
    played.speak(70_000)
    assert played.stop_waiting(169_000) == []
    assert played.stop_waiting(170_000) == [Quiet(170_000)]  # no answer came
    assert played.talk.answers[1:] == [(2, [])]


def test_an_answer_that_never_falls_silent_is_taken_as_it_is() -> None:
    played = Played(query(every=1))
    played.talk.enqueue([Command(ByHand(1), b"GO\r", wait=100_000)])
    played.speak(0)
    for now in range(10_000, MAX_ANSWER + 100_000, 10_000):
        played.hear(b"x\n", now)
        assert played.stop_waiting(now) == []
    assert played.stop_waiting(MAX_ANSWER + 100_000) == [Quiet(MAX_ANSWER + 100_000)]


def test_the_link_is_left_alone_before_every_command() -> None:
    played = Played(query(every=0), link="command_gap_ms = 50\n")
    played.speak(0)
    played.hear(REPLY, 10_000)
    assert played.talk.deadline() == 60_000
    assert played.speak(59_999) == []
    assert asks(played.speak(60_000)) == [("q", 2)]


# ---- release commands


RELEASE = '[[release]]\nsend = "LOCAL\\n"\nwait_s = 0.1\n[[release]]\nsend = "OFF\\n"\nwait_s = 0\n'


def test_release_commands_go_out_one_after_the_other_and_then_the_port_may_be_closed() -> None:
    played = Played(query(), release=RELEASE)
    played.talk.part(5)
    assert [e.data for e in played.speak(5) if isinstance(e, Sent)] == [b"LOCAL\n"]
    due = played.talk.deadline()
    assert due is not None
    assert due > 100_000
    assert played.speak(due - 1) == []
    assert [e.data for e in played.speak(due) if isinstance(e, Sent)] == [b"OFF\n"]
    assert not played.talk.parted
    last = played.talk.deadline()
    assert last is not None
    assert played.speak(last) == []
    assert played.talk.parted


def test_a_reply_that_is_awaited_while_the_port_is_given_up_still_counts() -> None:
    played = Played(query(), release=RELEASE)
    played.speak(0)
    played.talk.part(10_000)
    played.speak(10_000)
    assert played.state is State.PARTING
    [event] = played.talk.received(REPLY + b"OK\n", 20_000)
    batch = played.talk.feed(event)
    assert batch is not None
    assert batch.values == [1.5]
    assert played.state is State.COMMANDED
    assert played.stop_waiting(9 * S) == []  # nothing is given up any more


def test_while_parting_silence_wakes_nobody() -> None:
    """A deadline of the framing that nobody answers would keep the link's thread spinning."""
    played = Played(query(more="lines = 0\nquiet_ms = 50\n"), release=RELEASE)
    played.speak(0)
    played.hear(REPLY, 10_000)
    played.talk.part(20_000)
    played.speak(20_000)
    due = played.talk.deadline()
    assert due is not None
    assert due > 100_000  # not 60 000, when the answer would have been whole


# ---- bytes held back


def test_bytes_that_cannot_end_a_message_go_on_with_those_that_follow() -> None:
    played = Played(query())
    played.speak(0)
    assert played.hear(b"1", 30_000) == []
    assert played.talk.deadline() == 30_000 + HOLD
    assert played.hear(b".5\n", 31_000) == [Received(31_000, b"1.5\n")]
    played.speak(S // 5)
    played.hear(b"2", S // 5 + 1_000)
    assert played.stop_waiting(S // 5 + 1_000 + HOLD) == [Received(S // 5 + 1_000, b"2")]
    assert played.hear(b"x" * HOLD_SIZE, S // 4) == [Received(S // 4, b"x" * HOLD_SIZE)]
