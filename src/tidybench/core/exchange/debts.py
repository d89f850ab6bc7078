"""Answers that an instrument still owes, and whose answer a message is while it does.

An answer that did not come in time may come later, when another query is out; a bare number does not say which of the two
it answers. So a poll that was given up leaves a debt. While there is one of another query, the next poll is *in doubt*: a
message counts only where it can be nobody else's; else it is withheld, and the link listened to until query and answer are
known to agree again. They are when all that was owed has come, or when it was silent for longer than lies between two
queries: an instrument answers one after the other, so a second answer would have come by then.
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum, auto
from typing import Any

from tidybench.core.values.origin import Asked, origin_of

MAX_OWED = 8
"""Debts that are kept; of more the oldest go."""

LONG = 4
"""Times a query's time-out, in silence, after which nothing that was asked before is expected any more."""

LONG_AT_LEAST = 1_000_000
"""Microseconds of the same, at the least."""

MUTE = 2
"""Times in a row that a query was seen to go without an answer, from which on it leaves no debt: nobody is there."""

MAX_PATIENCE = 10_000_000
"""Microseconds that the link is listened to at the most."""


class Whose(Enum):
    """Whose answer a message is, while another query's may still come."""

    OWN = auto()  # can be no other's
    OWED = auto()  # of one that was given up
    EITHER = auto()
    NOBODY = auto()


@dataclass(slots=True, frozen=True)
class Debt:
    """A poll without an answer, and when it was sent."""

    query: Asked
    sent: int


class Debts:
    """Of one link. `owed`: oldest first. `patience`: microseconds of silence after which nothing more is to come, once a
    message was withheld. `worst`: how long after its query an answer came at the latest."""

    __slots__ = ("_mute", "_seen", "_suspects", "kept", "owed", "patience", "worst")

    def __init__(self) -> None:
        self.kept = True  # on tapes of before 2026-11-26 there are none
        self.owed: list[Debt] = []
        self.patience = 0
        self.worst = self._seen = 0
        self._suspects: set[Asked] = set()
        self._mute: dict[Asked, int] = {}

    def in_doubt(self, query: Asked, at: int, heard_at: int, give_up_after: int) -> bool:
        """A query is sent at `at`; the last byte came at `heard_at`. Whether its answer could be taken for another's."""
        if not self.owed:
            return False
        newest = self.owed[-1].sent
        if at - max(newest, heard_at) >= max(LONG * give_up_after, LONG_AT_LEAST):
            self.owed.clear()  # it was silent for long
            return False
        self.patience = min(at - newest + give_up_after, MAX_PATIENCE)
        self._suspects = {debt.query for debt in self.owed}
        return bool(self._suspects - {query})

    def whose(self, body: bytes, query: Asked, understands: Callable[[Asked, bytes], bool]) -> Whose:
        """Whose answer this message is while `query` is out."""
        owed = any(understands(debt.query, body) for debt in self.owed if debt.query != query)
        if understands(query, body):
            return Whose.EITHER if owed else Whose.OWN
        return Whose.OWED if owed else Whose.NOBODY

    def pay(self, body: bytes, at: int, understands: Callable[[Asked, bytes], bool]) -> bool:
        """A message came that answers one of those given up: that one and all before it are owed no more. False where it
        answers none."""
        for number, debt in enumerate(self.owed):
            if understands(debt.query, body):
                self._seen = max(self._seen, at - debt.sent)
                del self.owed[: number + 1]
                if not self.owed:  # as many answers as questions: so it was the late one indeed
                    self.worst = max(self.worst, self._seen)
                    for query in self._suspects | {debt.query}:
                        self._mute.pop(query, None)
                    self.settle()
                return True
        return False

    def withhold(self, body: bytes, at: int, understands: Callable[[Asked, bytes], bool]) -> None:
        """A message may be anybody's. If it is the first one's, the next may take as long again from here on."""
        sent = next(debt.sent for debt in self.owed if understands(debt.query, body))
        self.patience = min(max(self.patience, (at - sent) * 5 // 4), MAX_PATIENCE)
        self.pay(body, at, understands)

    def owe(self, query: Asked, sent: int) -> None:
        """A poll has no answer so far."""
        if self.kept and self._mute.get(query, 0) < MUTE:
            self.owed = [*self.owed, Debt(query, sent)][-MAX_OWED:]

    def answered(self, query: Asked) -> None:
        """A poll was answered in time, for certain."""
        if self._mute:
            self._mute.pop(query, None)

    def settle(self) -> None:
        """All that was owed is known to have come, or never to come."""
        self.owed.clear()
        self._suspects.clear()
        self.patience = self._seen = 0

    def silent(self, since: int, at: int) -> None:
        """The link has been listened to until `at` and was silent `since` then."""
        if not self.owed or not self.patience or at - max(since, self.owed[-1].sent) < self.patience:
            return
        for query in self._suspects:
            self._mute[query] = self._mute.get(query, 0) + 1
        self.settle()

    def as_kept(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {
            "owed": [[debt.query.text, debt.sent] for debt in self.owed],
            "suspects": sorted(query.text for query in self._suspects),
            "silent": {query.text: count for query, count in self._mute.items()},
            "patience": self.patience,
        }

    def take_up(self, state: dict[str, Any]) -> None:
        """Go on from what `as_kept` gave; from a tape that has nothing of it, as was logged then."""
        self.kept = "owed" in state
        self.owed = [Debt(_asked(text), sent) for text, sent in state.get("owed", ())]
        self._suspects = {_asked(text) for text in state.get("suspects", ())}
        self._mute = {_asked(text): count for text, count in state.get("silent", {}).items()}
        self.patience = state.get("patience", 0)


def _asked(text: str) -> Asked:
    found = origin_of(text, True)
    if not isinstance(found, Asked):
        raise ValueError(f"{text!r} is no query")
    return found
