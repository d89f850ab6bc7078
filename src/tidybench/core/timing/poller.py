"""The schedule of one link's queries: a fixed grid, one query at a time, no bursts.

Slots of a query lie at whole multiples of its interval since 1970 UTC, so a restart stays on the
same grid and instruments with the same interval are asked together. A poll that cannot start within
half its interval is missed and counted; the next one keeps the grid. Interval 0 means "the next
as soon as the reply is whole".

After giving up, the link is drained: a late reply must not become the answer to the next query.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.plan import QueryPlan

QUIET = 20_000
"""Silence (microseconds) after a late reply that ends the draining."""


@dataclass(slots=True)
class Ask:
    """Write this query now, as poll number `poll`."""

    query: QueryPlan
    poll: int
    slot: int


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


Effect = Ask | GiveUp | Resume | Skip


class Poller:
    """Decides what a link does next. Sans-I/O: `step(now)` gives effects, `deadline` the next call.

    `first_poll` lets poll numbers go on counting after a restart.
    """

    def __init__(self, queries: Sequence[QueryPlan], now: int, first_poll: int = 1) -> None:
        self.queries = tuple(queries)
        self._grid = [query for query in queries if query.every]
        self._eager = [query for query in queries if not query.every]
        self._due = [-(-now // query.every) * query.every for query in self._grid]
        self._turn = 0
        self._poll = first_poll - 1
        self._waiting: int | None = None
        self._query: QueryPlan | None = None
        self._drain_until: int | None = None
        self._drain_end = 0

    @property
    def deadline(self) -> int | None:
        """When `step` wants to be called at the latest; None where there is nothing to ask."""
        if self._waiting is not None:
            return self._waiting
        if self._drain_until is not None:
            return self._drain_until
        if self._eager:
            return 0
        return min(self._due, default=None)

    @property
    def waiting(self) -> bool:
        """Whether a reply is outstanding."""
        return self._waiting is not None

    @property
    def idle(self) -> bool:
        """Whether a person's command may go now."""
        return self._waiting is None and self._drain_until is None

    @property
    def poll(self) -> int:
        """The number of the last poll."""
        return self._poll

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
            effects.append(Resume())
        query = self._next(now, effects)
        if query is not None:
            plan, slot = query
            self._poll += 1
            self._query = plan
            self._waiting = now + plan.wire_time + plan.give_up_after
            effects.append(Ask(plan, self._poll, slot))
        return effects

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

    def replied(self) -> None:
        """The reply is whole."""
        self._waiting = None

    def heard(self, now: int) -> None:
        """Bytes came; while draining, what is late is given the time to end."""
        if self._drain_until is not None:
            self._drain_until = min(now + QUIET, self._drain_end)

    def reopened(self, now: int) -> None:
        """The port was opened (again): nothing is outstanding, and the grid goes on from now."""
        self._waiting = self._drain_until = None
        self._due = [-(-now // query.every) * query.every for query in self._grid]
