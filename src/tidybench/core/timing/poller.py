"""The schedule of one link's queries: a fixed grid, one query at a time, no bursts.

Slots of a query lie at whole multiples of its interval since 1970 UTC, so a restart stays on the
same grid and instruments with the same interval are asked together. A poll that cannot start within
half its interval is missed and counted; the next one keeps the grid. Interval 0 means "the next
as soon as the reply is whole".

After giving up, the link is drained: a late reply must not become the answer to the next query.
Commands go between polls, before any poll that is due, one at a time, each with its answer.
"""

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.plan import QueryPlan

QUIET = 20_000
"""Silence (microseconds) after a late reply that ends the draining."""

LONGEST_ANSWER = 5_000_000
"""Microseconds after which the answer to a command is taken as it is: some devices never fall silent."""


@dataclass(slots=True, frozen=True)
class Errand:
    """A command to send out of turn, and when its answer is whole. Times in microseconds.

    `wait`: for the first byte of an answer; 0 where none is expected. `quiet`: silence that ends
    it. `lines`: so many lines end it at once, 0 for silence alone.
    """

    name: str
    data: bytes
    wait: int
    quiet: int = 60_000
    lines: int = 0
    wire_time: int = 0


@dataclass(slots=True)
class Ask:
    """Write this query now, as poll number `poll`."""

    query: QueryPlan
    poll: int
    slot: int


@dataclass(slots=True)
class Trigger:
    """Write what this query's trigger is; the query follows after its wait."""

    query: QueryPlan


@dataclass(slots=True)
class GiveUp:
    """No whole reply came in time to this poll."""

    poll: int


@dataclass(slots=True)
class Resume:
    """The link is drained."""


@dataclass(slots=True)
class Skip:
    """Slots of this query went by."""

    query: QueryPlan
    count: int


@dataclass(slots=True)
class Run:
    """Write this command now."""

    errand: Errand


@dataclass(slots=True)
class Finish:
    """The answer to this command is whole, or none came."""

    errand: Errand


Effect = Ask | Trigger | GiveUp | Resume | Skip | Run | Finish


class Poller:
    """Decides what a link does next. Sans-I/O: `step(now)` gives effects, `deadline` the next call.

    `first_poll` lets poll numbers go on counting after a restart. `gap`: microseconds the link is
    left alone before every command.
    """

    def __init__(self, queries: Sequence[QueryPlan], now: int, first_poll: int = 1, gap: int = 0) -> None:
        self.queries = tuple(queries)
        self._grid = [query for query in queries if query.every and not query.on_demand]
        self._eager = [query for query in queries if not query.every and not query.on_demand]
        self._due = [-(-now // query.every) * query.every for query in self._grid]
        self._turn = 0
        self._poll = first_poll - 1
        self._waiting: int | None = None
        self._query: QueryPlan | None = None
        self._drain_until: int | None = None
        self._drain_end = 0
        self._wanted: deque[QueryPlan] = deque()
        self._errands: deque[Errand] = deque()
        self._errand: Errand | None = None
        self._errand_until = self._errand_end = 0
        self._gap, self._free_at = gap, 0
        self._armed: tuple[QueryPlan, int] | None = None  # triggered, and its slot
        self._armed_until = 0

    @property
    def deadline(self) -> int | None:
        """When `step` wants to be called at the latest; None where there is nothing to ask."""
        if self._waiting is not None:
            return self._waiting
        if self._drain_until is not None:
            return self._drain_until
        if self._errand is not None:
            return self._errand_until
        if self._armed is not None:
            return self._armed_until
        if self._eager or self._errands or self._wanted:
            return self._free_at
        due = min(self._due, default=None)
        return due if due is None or due > self._free_at else self._free_at

    @property
    def waiting(self) -> bool:
        """Whether a reply is outstanding."""
        return self._waiting is not None

    @property
    def on_errand(self) -> Errand | None:
        """The command whose answer is awaited."""
        return self._errand

    @property
    def poll(self) -> int:
        """The number of the last poll."""
        return self._poll

    def commission(self, errand: Errand) -> None:
        """Send a command as soon as the link is free."""
        self._errands.append(errand)

    def want(self, queries: Sequence[QueryPlan]) -> None:
        """Ask these once, as soon as the link is free."""
        self._wanted.extend(queries)

    def step(self, now: int) -> list[Effect]:
        """What is to be done at `now`."""
        if self._waiting is not None:
            if now < self._waiting:
                return []
            assert self._query is not None
            self._waiting = None
            self._drain_end = now + self._query.give_up_after
            self._drain_until = self._drain_end
            return [GiveUp(self._poll)]
        effects: list[Effect] = []
        if self._drain_until is not None:
            if now < self._drain_until:
                return effects
            self._drain_until = None
            self._free_at = now + self._gap
            effects.append(Resume())
        if self._errand is not None:
            if now < self._errand_until:
                return effects
            effects.append(Finish(self._errand))
            self._errand = None
            self._free_at = now + self._gap
            return effects
        if self._armed is not None:
            if now >= self._armed_until:
                (plan, slot), self._armed = self._armed, None
                effects.append(self._ask(plan, slot, now))
            return effects
        if now < self._free_at:
            return effects
        if self._errands:
            errand = self._errand = self._errands.popleft()
            self._errand_until = now + errand.wire_time + errand.wait
            self._errand_end = self._errand_until + LONGEST_ANSWER
            effects.append(Run(errand))
            return effects
        query = (self._wanted.popleft(), now) if self._wanted else self._next(now, effects)
        if query is not None:
            plan, slot = query
            if plan.trigger:
                self._armed = query
                share = len(plan.trigger) / max(1, len(plan.data))
                self._armed_until = now + round(plan.wire_time * share) + plan.trigger_wait
                effects.append(Trigger(plan))
            else:
                effects.append(self._ask(plan, slot, now))
        return effects

    def _ask(self, plan: QueryPlan, slot: int, now: int) -> Ask:
        self._poll += 1
        self._query = plan
        self._waiting = now + plan.wire_time + plan.give_up_after
        return Ask(plan, self._poll, slot)

    def _next(self, now: int, effects: list[Effect]) -> tuple[QueryPlan, int] | None:
        best = -1
        for index, query in enumerate(self._grid):
            due = self._due[index]
            if due > now:
                continue
            every = query.every
            late = now - due
            if late > every // 2:
                missed = -(-(late - every // 2) // every)
                effects.append(Skip(query, missed))
                due += missed * every
                self._due[index] = due
                if due > now:
                    continue
            if best < 0 or due < self._due[best]:
                best = index
        if best >= 0:
            slot = self._due[best]
            self._due[best] += self._grid[best].every
            return self._grid[best], slot
        if self._eager:
            self._turn = (self._turn + 1) % len(self._eager)
            return self._eager[self._turn], now
        return None

    def replied(self, now: int) -> None:
        """The reply is whole."""
        self._waiting = None
        self._free_at = now + self._gap

    def goes_on(self, now: int) -> None:
        """Another line of the reply came, and it is not whole yet: the next has its time too."""
        if self._waiting is not None and self._query is not None:
            self._waiting = now + self._query.give_up_after

    def heard(self, now: int, lines: int = 0) -> None:
        """Bytes came; what is late, or an answer of several lines, is given the time to end.
        `lines`: how many lines of the present command's answer there are."""
        if self._errand is not None:
            if self._errand.lines and lines >= self._errand.lines:
                self._errand_until = now
            else:
                self._errand_until = min(now + self._errand.quiet, self._errand_end)
        elif self._drain_until is not None:
            self._drain_until = min(now + QUIET, self._drain_end)

    def reopened(self, now: int) -> None:
        """The port was opened (again): nothing is outstanding, and the grid goes on from now."""
        self._waiting = self._drain_until = self._errand = self._armed = None
        self._errands.clear()
        self._wanted.clear()
        self._free_at = now
        self._due = [-(-now // query.every) * query.every for query in self._grid]
