"""One link's reader: what happened on the link in, samples out.

This is the pure function of the spine. The recorder feeds it live, `runs.reread` feeds it the events
of a tape; both get the same samples, bit for bit. It never looks at a clock, and it decides
nothing that is not on the tape.
"""

from dataclasses import dataclass
from typing import Any

from tidybench.core.events import (
    Event,
    GaveUp,
    Lost,
    Missed,
    Opened,
    Quiet,
    Received,
    Sent,
    Start,
    Tick,
)
from tidybench.core.framing import Cut
from tidybench.core.plan import LinkPlan
from tidybench.core.quality import Quality
from tidybench.core.reading.reader import MessageReader
from tidybench.core.samples import Batch


@dataclass(slots=True)
class LinkCounts:
    """What a link has seen since it was opened, for the reading path."""

    bytes_in: int = 0
    unprintable: int = 0
    messages: int = 0
    stray: int = 0
    overlong: int = 0
    polls: int = 0
    gave_up: int = 0
    late: int = 0
    missed: int = 0
    opened_at: int = 0
    last_in: int = 0
    last_message: int = 0
    last_gave_up: int = 0
    last_missed: int = 0
    answer_time: int = 0
    worst_late: int = 0
    recent: bytes = b""


RECENT = 200
"""The newest bytes that are kept as evidence."""

_TEXT = bytes(range(0x20, 0x7F)) + b"\r\n\t"


class LinkReader:
    """Feed it a link's events in order; it gives the samples of each."""

    def __init__(self, plan: LinkPlan) -> None:
        self.plan = plan
        self.framer = plan.framer()
        self.counts = LinkCounts()
        self._reader: MessageReader | None = plan.readers.get("")
        self._asked: MessageReader | None = None
        self._poll = 0
        self._draining = False
        self._sent_at = 0

    @property
    def outstanding(self) -> int:
        """The poll whose reply is awaited, 0 for none."""
        return self._poll if self._asked is not None else 0

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        query = next((k for k, r in self.plan.readers.items() if r is self._asked and k), "")
        return {
            "framer": self.framer.state(),
            "poll": self._poll,
            "query": query,
            "draining": self._draining,
            "sent": self._sent_at,
        }

    def feed(self, event: Event) -> Batch | None:
        """The samples an event gives; None for none."""
        kind = type(event)
        if kind is Received:
            return self._received(event.data, event.at)  # type: ignore[union-attr]
        if kind is Sent:
            self._sent(event)  # type: ignore[arg-type]
            return None
        if isinstance(event, GaveUp):
            return self._gave_up(event)
        if isinstance(event, Lost):
            return self._lost(event.at)
        if isinstance(event, Opened):
            self.framer.opened(event.at, whole=not self.plan.talks_alone)
            self._asked, self._draining = None, False
            self.counts = LinkCounts(opened_at=event.at)
        elif isinstance(event, Quiet):
            self._draining = False
        elif isinstance(event, Missed):
            self.counts.missed += event.count
            self.counts.last_missed = event.at
        elif isinstance(event, Tick):
            return self._messages(self.framer.passed(event.at), event.at)
        elif isinstance(event, Start):
            self._start(event.state)
        return None

    def _start(self, state: dict[str, Any]) -> None:
        self.framer.restore(state["framer"])
        self._poll, self._draining = state["poll"], state["draining"]
        self._sent_at = state["sent"]
        self._asked = self.plan.readers.get(state["query"]) if state["query"] else None

    def _sent(self, event: Sent) -> None:
        counts = self.counts
        if event.query:
            counts.polls += 1
            self.framer.asked(event.data, event.at)
            self._asked = self.plan.readers[event.query]
            self._poll, self._sent_at = event.poll, event.at

    def _received(self, data: bytes, at: int) -> Batch | None:
        counts = self.counts
        counts.bytes_in += len(data)
        counts.last_in = at
        unprintable = len(data.translate(None, _TEXT))
        counts.unprintable += unprintable
        counts.recent = (counts.recent + data)[-RECENT:] if len(data) < RECENT else data[-RECENT:]
        if self._asked is None and self._reader is None:
            counts.stray += len(data)
            if self._draining:
                counts.late += 1
                counts.worst_late = max(counts.worst_late, at - self._sent_at)
            return None
        return self._messages(self.framer.feed(data, at), at)

    def _messages(self, cut: Cut, at: int) -> Batch | None:
        counts = self.counts
        counts.stray += cut.stray
        counts.overlong += cut.overlong
        bodies, times = cut.bodies, cut.times
        if not bodies:
            return None
        out = Batch()
        counts.messages += len(bodies)
        counts.last_message = at
        if self._asked is not None:
            reader, self._asked = self._asked, None
            counts.answer_time = times[0] - self._sent_at
            if len(bodies) == 1:
                reader.read(bodies, times, out)
            else:
                # One query, one reply: what came after it was not asked for.
                reader.read(bodies[:1], times[:1], out)
                if self._reader is not None:
                    self._reader.read(bodies[1:], times[1:], out)
                else:
                    counts.stray += sum(map(len, bodies[1:]))
        elif self._reader is not None:
            self._reader.read(bodies, times, out)
        return out

    def _gave_up(self, event: GaveUp) -> Batch | None:
        if self._asked is None or event.poll != self._poll:
            return None
        out = Batch()
        self.counts.gave_up += 1
        self.counts.last_gave_up = event.at
        self.counts.stray += self.framer.pending
        self._asked.nothing(Quality.NO_REPLY, event.at, out)
        self._asked, self._draining = None, True
        return out

    def _lost(self, at: int) -> Batch:
        self._asked, self._draining = None, False
        out = Batch()
        for channel in self.plan.channels:
            out.add(channel, Quality.LINK_LOST, at)
        return out
