"""What is in the air on one link: the state, the query it is about, and how much of its answer has come."""

from typing import Any

from tidybench.core.compile.link_plan import LinkPlan, Reply
from tidybench.core.exchange.debts import Debts
from tidybench.core.exchange.state import AWAITING, TRANSITIONS, ExchangeError, State, Turn
from tidybench.core.tape.events import Sent
from tidybench.core.values.origin import Asked, Origin, Triggered, origin_of

MAX_LINES = 200
"""Lines kept of one answer to a command."""


class Exchange:
    """One link's. `state` changes by `turn` alone (the table is in `state.py`).

    `poll`, `query`, `reply`: of the newest query. `lines`: messages of its answer so far; `quiet_at`: when silence ends
    it, None where it does not. `origin`, `answer`: of the newest command. `sent_at`, `sent`: what went out last. `heard_at`: when
    the last byte came; `debts`: answers that may still come.
    """

    __slots__ = (
        "answer",
        "debts",
        "heard_at",
        "lines",
        "origin",
        "poll",
        "query",
        "quiet_at",
        "reply",
        "sent",
        "sent_at",
        "state",
    )

    def __init__(self) -> None:
        self.state = State.IDLE
        self.poll = 0
        self.query: Asked | None = None
        self.reply = Reply()
        self.lines = 0
        self.quiet_at: int | None = None
        self.origin: Origin | None = None
        self.answer: list[bytes] = []
        self.sent_at = 0
        self.sent = b""
        self.heard_at = 0
        self.debts = Debts()

    def turn(self, turn: Turn) -> None:
        """Something happened. Raises ExchangeError where it cannot."""
        try:
            self.state = TRANSITIONS[self.state][turn]
        except KeyError:
            raise ExchangeError(f"{turn.name} cannot happen in the state {self.state.name}") from None
        if self.state not in AWAITING:
            self.quiet_at = None

    @property
    def outstanding(self) -> int:
        """The poll whose reply is awaited, 0 for none."""
        return self.poll if self.state in AWAITING else 0

    def went_out(self, event: Sent, plan: LinkPlan) -> None:
        """Something was sent. A query that the plan does not have is another instrument's: its answer is nobody's
        reading. Raises ExchangeError where nothing may be sent."""
        self.sent_at, self.sent = event.at, event.data
        key = event.origin
        if event.poll and isinstance(key, Asked) and key in plan.readers:
            debts = self.debts
            doubt = debts.owed and debts.in_doubt(key, event.at, self.heard_at, plan.give_up_after(key))
            self.turn(Turn.DOUBT if doubt else Turn.ASK)
            self.poll, self.query, self.reply = event.poll, key, plan.reply_to(key)
            self.lines, self.quiet_at = 0, None
        else:
            self.turn(Turn.ARM if isinstance(key, Triggered) else Turn.COMMAND)
            self.origin, self.answer = key, []

    def came(self, lines: int, whole: bool, at: int) -> None:
        """So many more messages of the answer that is awaited came at `at`."""
        self.lines += lines
        self.quiet_at = at + self.reply.quiet if self.reply.quiet else None
        self.turn(Turn.WHOLE if whole else Turn.MESSAGE)

    def bytes_came(self, at: int) -> None:
        """It is not quiet."""
        self.heard_at = at
        if self.quiet_at is not None:
            self.quiet_at = at + self.reply.quiet

    def answered(self, line: bytes) -> None:
        """A line of a command's answer."""
        if len(self.answer) < MAX_LINES:
            self.answer.append(line)

    def as_kept(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {
            "state": self.state.name.lower(),
            "poll": self.poll,
            "query": self.query.text if self.query is not None and self.state in AWAITING else "",
            "origin": self.origin.text if self.origin is not None else "",
            "sent": self.sent_at,
            "lines": self.lines,
            "quiet_at": self.quiet_at,
            "heard_at": self.heard_at,
            **self.debts.as_kept(),
        }

    def take_up(self, kept: dict[str, Any], plan: LinkPlan) -> None:
        """Go on from what `as_kept` gave, or from the starting state of a tape before 2026-11-25."""
        query = origin_of(kept["query"], True) if kept["query"] else None
        self.query = query if isinstance(query, Asked) and query in plan.readers else None
        if "state" in kept:
            self.state = State[kept["state"].upper()]
            self.origin = origin_of(kept["origin"], False)
        elif self.query is not None:
            self.state = State.PARTING if kept.get("commanded") else State.ASKED
            if kept.get("lines") and self.state is State.ASKED:
                self.state = State.GATHERING
        else:
            self.state = State.COMMANDED if kept.get("commanded") else State.IDLE
            if kept["draining"]:
                self.state = State.DRAINING
        if self.state in AWAITING and self.query is None:
            self.state = State.IDLE  # of another instrument on the link, whose set-up is not here
        self.poll, self.sent_at = kept["poll"], kept["sent"]
        self.reply = plan.reply_to(self.query) if self.query is not None else Reply()
        self.lines, self.quiet_at = kept.get("lines", 0), kept.get("quiet_at")
        self.heard_at = kept.get("heard_at", 0)
        self.debts.take_up(kept)
