"""Answers that come in two parts, the second one after the next query went out: what is left of one is never another's number."""

import random

import pytest

from tests.core.test_debts import MS, NAMED, ONE, TWO, Slow, queries, reread, two_plan
from tests.core.test_exchange import Played, S
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.quality import Quality
from tidybench.core.tape.events import Event, GaveUp, Quiet, Received, Sent
from tidybench.core.values.origin import Asked

VALID = {1: range(1000, 1007), 2: range(20, 27)}


class Torn(Slow):
    """Of some answers the second part comes late, or not at all."""

    def __init__(
        self, played: Played, seed: int, gap: tuple[int, int], lost: float = 0.0, rare: float = 0.06
    ) -> None:
        super().__init__(played, lambda _: 4 * MS)
        self._dice, self._gap, self._lost, self._rare = random.Random(seed), gap, lost, rare

    def carry_out(self, events: list[Event]) -> None:
        before = len(self._coming)
        super().carry_out(events)
        if len(self._coming) == before + 1 and self._dice.random() < self._rare:
            at, text = self._coming.pop()
            place = self._dice.randrange(1, len(text))
            self._coming.append((at, text[:place]))
            if self._dice.random() >= self._lost:
                self._free = at + self._dice.randint(*self._gap) * MS
                self._coming.append((self._free, text[place:]))

    @property
    def strange(self) -> list[tuple[int, float]]:
        """Numbers that were never sent."""
        return [(c, value) for c in (1, 2) for value in self.good(c) if value not in VALID[c]]


@pytest.mark.parametrize("lost", [0.0, 1.0])
@pytest.mark.parametrize("gap", [(100, 300), (160, 700), (900, 2500)])
@pytest.mark.parametrize("asked", [ONE, TWO])
@pytest.mark.parametrize("seed", range(4))
def test_what_is_left_of_an_answer_is_no_number(
    seed: int, asked: list[tuple[str, str, str]], gap: tuple[int, int], lost: float
) -> None:
    torn = Torn(Played(queries(asked, 0.05, 0.15)), seed, gap, lost)
    torn.run(120 * S)
    assert torn.strange == []
    for channel in range(1, len(asked) + 1):
        assert len(torn.good(channel)) > 100  # it finds its way back


def test_the_tape_of_2026_11_28() -> None:
    """As it was seen on a busy computer: “+2.”, then after the next query “30426E+02” gave 3 042 600 W."""
    a, b = Asked("m", "pressure"), Asked("m", "temperature")
    events: list[Event] = [
        Sent(0, b"P?\r", 1, a),
        GaveUp(1_000 * MS, 1),
        Quiet(2_000 * MS),
        Sent(2_070 * MS, b"P?\r", 2, a),
        Received(2_170 * MS, b"+2.30131E+02\n"),
        Sent(2_171 * MS, b"T?\r", 3, b),
        GaveUp(2_850 * MS, 3),
        Received(3_170 * MS, b"+2."),
        Quiet(4_000 * MS),
        Sent(5_200 * MS, b"T?\r", 4, b),
        Received(5_270 * MS, b"30426E+02\n+2.39979E+03\n"),
    ]
    plan = two_plan()
    samples = reread(plan, events, LinkReader(plan).state())
    assert [value for _, quality, _, value in samples if not quality] in ([230.131], [230.131, 2399.79])
    # As it was logged then: tapes of before stay what they were.
    old = LinkReader(plan).state()
    del old["torn"]
    assert 3042600.0 in [value for _, quality, _, value in reread(plan, events, old) if not quality]


def test_a_half_answer_in_the_quiet_between_two_queries_is_none_either() -> None:
    """The link was drained and quiet, then the first half comes, then a query goes out, then the second half."""
    a = Asked("m", "pressure")
    plan = two_plan()
    events: list[Event] = [
        Sent(0, b"P?\r", 1, a),
        GaveUp(150 * MS, 1),
        Quiet(300 * MS),
        Received(400 * MS, b"10"),
        Sent(450 * MS, b"P?\r", 2, a),
        Received(460 * MS, b"03\n"),
        Received(470 * MS, b"1004\n"),
    ]
    assert [(v, q) for _, q, _, v in reread(plan, events, LinkReader(plan).state()) if not q] == [(1004.0, 0)]


def test_a_prompt_that_nobody_spoke_of_costs_nothing() -> None:
    """“> ” after each answer, without an end: what is half received after a whole answer is forgotten, as ever."""
    slow = Slow(Played(queries(NAMED, 0.1, 0.15)), lambda _: 4 * MS, "{name}={value}\n> ")
    slow.form = "{name}={value}\n> "
    slow.run(20 * S)
    lost = [quality for _, quality, _, _ in slow.samples if quality == Quality.NO_REPLY]
    assert len(lost) <= 1
    assert len(slow.good(1)) > 90


@pytest.mark.parametrize("seed", range(3))
def test_a_tape_that_begins_anywhere_gives_the_same(seed: int) -> None:
    played = Played(queries(TWO, 0.05, 0.15))
    start = played.talk.reader.state()
    torn = Torn(played, seed, (160, 700), 0.3, 0.1)
    states = []
    feed = torn.talk.feed

    def remembered(event: Event) -> object:
        states.append((torn.talk.reader.state(), len(torn.samples)))
        return feed(event)

    torn.talk.feed = remembered  # type: ignore[method-assign, assignment]
    torn.run(20 * S)
    assert str(reread(two_plan(), torn.events, start)) == str(torn.samples)
    within = [n for n, (state, _) in enumerate(states) if state["torn"]]
    assert len(within) > 3
    for cut in [0, 40, 77, 200, *within]:
        state, before = states[cut]
        assert str(reread(two_plan(), torn.events[cut:], state)) == str(torn.samples[before:]), cut
