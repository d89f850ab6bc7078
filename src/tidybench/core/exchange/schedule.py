"""Which query is due: a fixed grid, one query at a time, no bursts.

Slots of a query lie at whole multiples of its interval since 1970 UTC, so a restart stays on the
same grid and instruments with the same interval are asked together. A poll that cannot start within
half its interval is missed and counted; the next one keeps the grid. Interval 0 means "the next
as soon as the reply is whole".
"""

from collections import deque
from collections.abc import Sequence

from tidybench.core.compile.link_plan import QueryPlan
from tidybench.core.tape.events import Missed


class Schedule:
    """The queries of one link. It knows no states: it is asked when the link is free."""

    def __init__(self, queries: Sequence[QueryPlan], now: int) -> None:
        self._grid = [query for query in queries if query.every and not query.on_demand]
        self._eager = [query for query in queries if not query.every and not query.on_demand]
        self._due = [-(-now // query.every) * query.every for query in self._grid]
        self._asked = [0] * len(
            self._grid
        )  # when each was asked, by turns: of two that are due the longer waiting one
        self._turns = self._turn = 0
        self._wanted: deque[QueryPlan] = deque()

    @property
    def due(self) -> int | None:
        """When the next query is due, 0 for at once; None where there is nothing to ask."""
        if self._eager or self._wanted:
            return 0
        return min(self._due) if self._due else None

    def want(self, queries: Sequence[QueryPlan]) -> None:
        """Ask these once, as soon as the link is free."""
        self._wanted.extend(queries)

    def restart(self, now: int) -> None:
        """The port was opened (again): nothing is wanted, and the grid goes on from now."""
        self._wanted.clear()
        self._due = [-(-now // query.every) * query.every for query in self._grid]

    def next(self, now: int) -> tuple[QueryPlan | None, list[Missed]]:
        """The query to ask at `now`, None where none is due; and the slots that went by."""
        if self._wanted:
            return self._wanted.popleft(), []
        missed: list[Missed] = []
        best = -1
        for index, query in enumerate(self._grid):
            due = self._due[index]
            if due > now:
                continue
            every = query.every
            late = now - due
            if late > every // 2:
                count = -(-(late - every // 2) // every)
                missed.append(Missed(now, query.key, count))
                due += count * every
                self._due[index] = due
                if due > now:
                    continue
            if best < 0 or (due, self._asked[index]) < (self._due[best], self._asked[best]):
                best = index
        if best >= 0:
            self._turns += 1
            self._asked[best] = self._turns
            self._due[best] += self._grid[best].every
            return self._grid[best], missed
        if self._eager:
            self._turn = (self._turn + 1) % len(self._eager)
            return self._eager[self._turn], missed
        return None, missed
