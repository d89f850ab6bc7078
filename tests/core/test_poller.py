"""The poll grid."""

from tidybench.core.plan import QueryPlan
from tidybench.core.timing.poller import QUIET, Ask, Effect, GiveUp, Poller, Resume, Skip

S = 1_000_000


def query(key: str = "q", every: int = S // 5, give_up: int = S // 2) -> QueryPlan:
    return QueryPlan(key, "i", b"Q\r", every, give_up, 2_000)


def asks(effects: list[Effect]) -> list[tuple[str, int, int]]:
    return [(e.query.key, e.poll, e.slot) for e in effects if isinstance(e, Ask)]


def test_polls_lie_on_whole_multiples_of_the_interval() -> None:
    poller = Poller([query()], now=10 * S + 1)
    assert poller.deadline == 10 * S + S // 5
    assert asks(poller.step(10 * S + S // 5 + 90)) == [("q", 1, 10 * S + S // 5)]
    poller.replied(0)
    assert poller.deadline == 10 * S + 2 * S // 5  # no drift, however late the last one was


def test_a_poll_waits_for_its_reply() -> None:
    poller = Poller([query()], now=0)
    poller.step(0)
    assert poller.waiting
    assert poller.step(S // 5) == []
    poller.replied(0)
    assert len(asks(poller.step(S // 5))) == 1


def test_late_slots_are_missed_and_counted_never_burst() -> None:
    poller = Poller([query()], now=0)
    poller.step(0)
    poller.replied(0)
    effects = poller.step(S)  # slots at 0.2 to 0.8 s went by; the one at 1 s is on time
    assert [e for e in effects if isinstance(e, Skip)] == [Skip(poller.queries[0], 4)]
    assert asks(effects) == [("q", 2, S)]
    poller.replied(0)
    assert asks(poller.step(S + 1)) == []


def test_a_poll_may_start_within_half_its_interval() -> None:
    poller = Poller([query()], now=0)
    assert asks(poller.step(S // 10)) == [("q", 1, 0)]
    late = Poller([query()], now=0)
    assert asks(late.step(S // 10 + 1)) == []


def test_queries_on_one_link_take_turns() -> None:
    poller = Poller([query("a"), query("b")], now=0)
    assert asks(poller.step(0))[0][0] == "a"
    assert poller.step(30_000) == []
    poller.replied(0)
    assert asks(poller.step(30_000))[0][0] == "b"


def test_giving_up_counts_from_the_query_s_last_byte() -> None:
    poller = Poller([query()], now=0)
    poller.step(0)
    assert poller.deadline == S // 2 + 2_000
    assert poller.step(S // 2) == []
    assert poller.step(S // 2 + 2_000) == [GiveUp(1)]


def test_after_giving_up_the_link_is_drained() -> None:
    poller = Poller([query(every=S)], now=0)
    poller.step(0)
    poller.step(502_000)
    assert poller.step(700_000) == []
    poller.heard(800_000)  # the late reply begins
    assert poller.deadline == 800_000 + QUIET
    poller.heard(810_000)
    effects = poller.step(830_000)
    assert effects == [Resume()]
    assert asks(poller.step(S))[0][1] == 2


def test_draining_takes_at_most_one_more_timeout() -> None:
    poller = Poller([query(every=10 * S)], now=0)
    poller.step(0)
    poller.step(502_000)
    for now in range(510_000, 1_002_000, 10_000):
        poller.heard(now)
        assert poller.step(now) == []
    assert poller.step(1_002_000) == [Resume()]


def test_interval_nought_asks_as_soon_as_the_reply_is_whole() -> None:
    poller = Poller([query("a", 0), query("b", 0)], now=0)
    seen = []
    for now in range(4):
        seen += [key for key, _, _ in asks(poller.step(now))]
        poller.replied(0)
    assert seen == ["b", "a", "b", "a"]


def test_a_port_that_comes_back_goes_on_with_the_grid() -> None:
    poller = Poller([query()], now=0)
    poller.step(0)
    poller.reopened(7 * S + 5)
    assert not poller.waiting
    assert poller.deadline == 7 * S + S // 5
