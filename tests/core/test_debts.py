"""Answers that come late: none is ever taken for another query's (fault 1)."""

import random
from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_exchange import QUERY, Played, S
from tidybench.core.batch import Batch
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.state import State
from tidybench.core.quality import Quality
from tidybench.core.tape.events import Event, GaveUp, Quiet, Received, Sent, Start
from tidybench.core.values.origin import Asked

MS = 1000
TWO = [("pressure", "P?", "<v>"), ("temperature", "T?", "<v>")]
NAMED = [("pressure", "P?", "P=<v>"), ("temperature", "T?", "T=<v>")]
ONE = [("pressure", "P?", "<v>")]


def queries(asked: list[tuple[str, str, str]], every: float, give_up: float) -> str:
    return "".join(
        QUERY.replace("Q", send).replace("<v>", pattern).format(key, every, f"give_up_after_s = {give_up}\n")
        for key, send, pattern in asked
    )


class Slow:
    """An instrument that answers one command after the other, each after its own time. Its answers say which query they
    belong to: by name and, where the pattern has none, by their size."""

    def __init__(self, played: Played, latency: Callable[[int], int | None], form: str = "{value}\n") -> None:
        self.talk, self.latency, self.form = played.talk, latency, form
        self.events: list[Event] = []
        self.samples: list[tuple[int, int, int, float]] = []  # channel, quality, time, value
        self._coming: list[tuple[int, bytes]] = []
        self._free = self._asked = 0

    def carry_out(self, events: list[Event]) -> None:
        for event in events:
            self.events.append(event)
            self.keep(self.talk.feed(event))
            if isinstance(event, Sent) and isinstance(event.origin, Asked):
                self._asked += 1
                takes = self.latency(self._asked)
                if takes is not None:
                    self._free = max(self._free, event.at) + takes
                    value = {"pressure": 1000, "temperature": 20}[event.origin.query] + self._asked % 7
                    text = self.form.format(name=event.origin.query[0].upper(), value=value)
                    self._coming.append((self._free, text.encode()))

    def keep(self, batch: Batch | None) -> None:
        if batch is not None:
            for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
                self.samples.append((word >> 8, word & 0xFF, at, value))

    def run(self, until: int) -> None:
        now = 0
        while now < until:
            due = self.talk.deadline()
            comes = self._coming[0][0] if self._coming else None
            now = max(now, min(t for t in (due, comes, until) if t is not None))
            if comes is not None and comes <= now:
                self.carry_out(list(self.talk.received(self._coming.pop(0)[1], comes)))
            elif self.talk.may_speak:
                self.carry_out(self.talk.speak(now))
            else:
                self.carry_out(self.talk.stop_waiting(now))

    def good(self, channel: int) -> list[float]:
        return [value for number, quality, _, value in self.samples if number == channel and not quality]

    @property
    def wrong(self) -> int:
        return sum(value < 500 for value in self.good(1)) + sum(value > 500 for value in self.good(2))


def hiccups(seed: int) -> Callable[[int], int | None]:
    """Every 23rd answer is 310 to 600 ms late, as fault 1 was seen."""
    dice = random.Random(seed)
    return lambda n: dice.randint(310, 600) * MS if n % 23 == 0 else 4 * MS


@pytest.mark.parametrize("seed", range(5))
def test_a_hiccup_never_makes_a_pressure_of_a_temperature(seed: int) -> None:
    slow = Slow(Played(queries(TWO, 0.05, 0.15)), hiccups(seed))
    slow.run(60 * S)
    assert slow.wrong == 0
    assert len(slow.good(1)) > 300  # it finds its way back, each time
    assert len(slow.good(2)) > 300


@pytest.mark.parametrize("latency", [160, 240, 320, 400, 700, 1500, 4000])
def test_with_a_latency_that_is_always_above_the_timeout_no_number_is_on_the_other_channel(
    latency: int,
) -> None:
    slow = Slow(Played(queries(TWO, 0.05, 0.15)), lambda _: latency * MS)
    slow.run(120 * S)
    assert slow.wrong == 0
    for channel in (1, 2):
        assert [q for c, q, _, _ in slow.samples if c == channel].count(Quality.NO_REPLY) > 5
    assert slow.talk.reader.counts.late > 3  # what the reading path says of it


@given(seed=st.integers(0, 1 << 32), usual=st.integers(1, 140), rare=st.integers(4, 40))
@settings(max_examples=60, deadline=None)
def test_whatever_an_instrument_s_times_are_its_answers_stay_with_their_queries(
    seed: int, usual: int, rare: int
) -> None:
    """Answers are lost or up to three time-outs late, at most one of four in a row."""
    dice = random.Random(seed)
    late = 0

    def latency(number: int) -> int | None:
        nonlocal late
        if number - late >= 4 and dice.random() < 1 / rare:
            late = number
            return dice.choice([None, dice.randint(151, 450) * MS])
        return usual * MS

    slow = Slow(Played(queries(TWO, 0.1, 0.15)), latency)
    slow.run(30 * S)
    assert slow.wrong == 0


def test_answers_that_say_whose_they_are_are_not_withheld() -> None:
    """An answer is lost now and then; the next one can be nobody else's."""
    lossy: Callable[[int], int | None] = lambda n: None if n % 10 == 0 else 4 * MS  # noqa: E731
    slow = Slow(Played(queries(NAMED, 0.05, 0.15)), lossy, "{name}={value}\n")
    slow.run(60 * S)
    plain = Slow(Played(queries(TWO, 0.05, 0.15)), lossy)
    plain.run(60 * S)
    assert slow.wrong == plain.wrong == 0
    assert slow.talk.reader.counts.doubted == 0 < plain.talk.reader.counts.doubted
    assert len(slow.good(1)) > len(plain.good(1)) * 1.5


def test_the_only_query_of_a_link_loses_nothing_more_than_what_was_late() -> None:
    slow = Slow(Played(queries(ONE, 0.1, 0.15)), lambda n: None if n % 10 == 0 else 4 * MS)
    slow.run(60 * S)
    lost = sum(quality == Quality.NO_REPLY for _, quality, _, _ in slow.samples)
    assert lost == slow.talk.reader.counts.gave_up
    assert len(slow.good(1)) == 9 * lost or len(slow.good(1)) // 9 in (lost, lost - 1)


def test_a_neighbour_that_never_answers_costs_the_others_two_readings_and_no_more() -> None:
    played = Played(queries(TWO, 0.5, 0.1))
    slow = Slow(played, lambda _: 4 * MS)
    answers = slow.carry_out
    asked: list[Sent] = []

    def deaf(events: list[Event]) -> None:
        answers(events)
        asked.extend(e for e in events if isinstance(e, Sent))
        if asked and asked[-1].origin == Asked("m", "temperature"):
            slow._coming = [one for one in slow._coming if not one[1].startswith(b"2")]

    slow.carry_out = deaf  # type: ignore[method-assign]
    slow.run(60 * S)
    assert len(slow.good(2)) == 0
    assert len(slow.good(1)) >= 117


def test_silence_for_long_settles_it() -> None:
    """A poll a second later cannot be answered by one that was given up long before."""
    slow = Slow(Played(queries(TWO, 2, 0.15)), lambda n: None if n == 4 else 4 * MS)
    slow.run(20 * S)
    assert [quality for _, quality, _, _ in slow.samples].count(Quality.NO_REPLY) == 1


def test_a_tail_of_a_late_answer_is_not_the_head_of_the_next() -> None:
    played = Played(queries(TWO, 0.05, 0.15))
    played.speak(0)
    played.stop_waiting(160 * MS)
    assert played.state is State.DRAINING
    played.hear(b"14", 200 * MS)
    played.stop_waiting(240 * MS)
    assert played.state is State.DRAINING  # half an answer is not all of it
    played.hear(b"8.27\n", 250 * MS)
    assert played.talk.reader.exchange.debts.owed == []


def reread(
    plan: LinkPlan, events: list[Event], start: dict[str, object]
) -> list[tuple[int, int, int, float]]:
    reader, out = LinkReader(plan), []
    for event in [Start(0, start), *events]:
        batch = reader.feed(event)
        if batch is not None:
            out += [
                (w >> 8, w & 0xFF, t, v)
                for w, t, v in zip(batch.words, batch.times, batch.values, strict=True)
            ]
    return out


def two_plan() -> LinkPlan:
    played = Played(queries(TWO, 0.05, 0.15))
    return played.talk.plan


@pytest.mark.parametrize("seed", range(3))
def test_a_tape_that_begins_anywhere_gives_the_same(seed: int) -> None:
    played = Played(queries(TWO, 0.05, 0.15))
    start = played.talk.reader.state()
    slow = Slow(played, hiccups(seed))
    states = []
    feed = slow.talk.feed

    def remembered(event: Event) -> Batch | None:
        states.append((slow.talk.reader.state(), len(slow.samples)))
        return feed(event)

    slow.talk.feed = remembered  # type: ignore[method-assign]
    slow.run(20 * S)
    assert str(reread(two_plan(), slow.events, start)) == str(slow.samples)
    owing = [n for n, (state, _) in enumerate(states) if state["owed"] or state["patience"]]
    assert len(owing) > 20
    for cut in [0, 40, 77, 200, 311, *owing]:
        state, before = states[cut]
        assert str(reread(two_plan(), slow.events[cut:], state)) == str(slow.samples[before:]), cut


def test_a_tape_of_before_is_read_as_it_was_logged() -> None:
    """Then the answer to one query could be another's. It stays what the run's samples say."""
    old = LinkReader(two_plan()).state()
    for key in ("owed", "silent", "suspects", "patience"):
        del old[key]
    a, b = Asked("m", "pressure"), Asked("m", "temperature")
    events: list[Event] = [
        Sent(0, b"P?\r", 1, a),
        GaveUp(150 * MS, 1),
        Quiet(300 * MS),
        Sent(300 * MS, b"T?\r", 2, b),
        Received(310 * MS, b"1003\n"),
    ]
    assert reread(two_plan(), events, old)[-1] == (2, 0, 310 * MS, 1003.0)
    assert reread(two_plan(), events, LinkReader(two_plan()).state())[-1][:2] == (2, Quality.NO_REPLY)


def test_when_the_link_was_heard_last_goes_on_with_the_tape() -> None:
    """A segment begins between stray bytes and the next query: the same silence counts from there."""
    a, b = Asked("m", "pressure"), Asked("m", "temperature")
    first: list[Event] = [
        Sent(0, b"P?\r", 1, a),
        GaveUp(150 * MS, 1),
        Received(900 * MS, b"nonsense\n"),
        Quiet(1050 * MS),
    ]
    then: list[Event] = [Sent(1200 * MS, b"T?\r", 2, b), Received(1210 * MS, b"1003\n")]
    reader = LinkReader(two_plan())
    start = reader.state()
    for event in first:
        reader.feed(event)
    whole = reread(two_plan(), [*first, *then], start)
    assert whole[-1][:2] == (2, Quality.NO_REPLY)
    assert str(reread(two_plan(), then, reader.state())) == str(whole[1:])
