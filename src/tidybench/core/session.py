"""One link's reader: what happened on the link in, samples out.

This is the pure function of the spine. The recorder feeds it live, `runs.reread` feeds it the events
of a tape; both get the same samples, bit for bit. It never looks at a clock, and it decides
nothing that is not on the tape.
"""

from dataclasses import dataclass, field
from typing import Any

from tidybench.core.events import (
    Event,
    GaveUp,
    Identified,
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
    bytes_out: int = 0
    unprintable: int = 0
    messages: int = 0
    stray: int = 0
    overlong: int = 0
    polls: int = 0
    gave_up: int = 0
    late: int = 0
    missed: int = 0
    echoes: int = 0
    unasked: int = 0
    withheld: int = 0
    doubled: int = 0
    last_doubled: int = 0
    opened_at: int = 0
    last_in: int = 0
    last_message: int = 0
    last_gave_up: int = 0
    last_missed: int = 0
    last_echo: int = 0
    last_unasked: int = 0
    answer_time: int = 0
    worst_late: int = 0
    silent_polls: int = 0  # given up in a row
    recent: bytes = b""


RECENT = 200
"""The newest bytes that are kept as evidence."""

MOST_LINES = 200
"""Lines kept of one answer to a command."""

_TEXT = bytes(range(0x20, 0x7F)) + b"\r\n\t"


@dataclass(slots=True)
class Command:
    """What was sent out of turn last, and the lines that came upon it."""

    name: str = ""
    lines: list[bytes] = field(default_factory=list)


class LinkReader:
    """Feed it a link's events in order; it gives the samples of each."""

    def __init__(self, plan: LinkPlan) -> None:
        self.plan = plan
        self.framer = plan.framer()
        self.counts = LinkCounts()
        self.command = Command()
        self.withheld: set[str] = plan.expecting()
        self.power_ups = 0
        self._reader: MessageReader | None = plan.readers.get("")
        self._asked: MessageReader | None = None
        self._commanded = False
        self._poll = 0
        self._draining = self._late_seen = False
        self._sent_at = 0
        self._sent_data = b""
        self._echo = b""  # of our own query, still to come
        self._last_body, self._last_time, self._last_gap = b"", 0, 0
        self._power_up = [
            s.instrument.power_up.encode("latin-1", "replace") for s in plan.setups if s.instrument.power_up
        ]

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
            "commanded": self._commanded,
            "withheld": sorted(self.withheld),
            "echo": self._echo.decode("latin-1"),
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
            self._asked, self._draining, self._commanded, self._echo = None, False, False, b""
            self.withheld = self.plan.expecting()
            self.counts = LinkCounts(opened_at=event.at)
        elif isinstance(event, Quiet):
            self._draining = self._commanded = False
        elif isinstance(event, Missed):
            self.counts.missed += event.count
            self.counts.last_missed = event.at
        elif isinstance(event, Tick):
            return self._messages(self.framer.passed(event.at), event.at)
        elif isinstance(event, Identified):
            (self.withheld.discard if event.matches else self.withheld.add)(event.instrument)
        elif isinstance(event, Start):
            self._start(event.state)
        return None

    def _start(self, state: dict[str, Any]) -> None:
        self.framer.restore(state["framer"])
        self._poll, self._draining = state["poll"], state["draining"]
        self._sent_at = state["sent"]
        self._asked = self.plan.readers.get(state["query"]) if state["query"] else None
        self._commanded = state.get("commanded", False)
        self.withheld = set(state.get("withheld", ()))
        self._echo = state.get("echo", "").encode("latin-1")

    def _sent(self, event: Sent) -> None:
        counts = self.counts
        counts.bytes_out += len(event.data)
        if self.plan.link.echo:
            self._echo = event.data
        self._sent_at, self._sent_data = event.at, event.data
        if event.poll:
            counts.polls += 1
            self.framer.asked(event.data, event.at)
            self._asked = self.plan.readers[event.query]
            self._poll, self._commanded = event.poll, False
        else:
            self.command = Command(event.query)
            self._commanded, self._draining = True, False
            if self._reader is None:
                self.framer.asked(event.data, event.at)
            elif not counts.bytes_in:
                # Silent so far: what comes now begins with an answer, not in the middle of talk.
                self.framer.opened(event.at, whole=True)

    def _received(self, data: bytes, at: int) -> Batch | None:
        counts = self.counts
        counts.bytes_in += len(data)
        counts.last_in = at
        unprintable = len(data.translate(None, _TEXT))
        counts.unprintable += unprintable
        counts.recent = (counts.recent + data)[-RECENT:] if len(data) < RECENT else data[-RECENT:]
        if self._echo:
            data = self._without_echo(data)
        if self._asked is None and self._reader is None and not self._commanded:
            counts.stray += len(data)
            if self._draining:
                counts.late += not self._late_seen  # one reply, however many pieces
                self._late_seen = True
                counts.worst_late = max(counts.worst_late, at - self._sent_at)
            else:
                counts.unasked += len(data)
                counts.last_unasked = at
            return None
        return self._messages(self.framer.feed(data, at), at)

    def _without_echo(self, data: bytes) -> bytes:
        """Take our own query off the beginning of what came back."""
        common = 0
        while common < min(len(data), len(self._echo)) and data[common] == self._echo[common]:
            common += 1
        whole = common == len(self._echo) or common == len(data)
        self._echo = self._echo[common:] if whole else b""
        return data[common:] if whole else data

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
        if self._power_up:
            self.power_ups += sum(any(text in body for text in self._power_up) for body in bodies)
        if self._asked is not None:
            reader, self._asked = self._asked, None
            counts.answer_time = times[0] - self._sent_at
            counts.silent_polls = 0
            if bodies[0].startswith(self._sent_data.rstrip(b"\r\n")) and not reader.understands(bodies[0]):
                counts.echoes += 1
                counts.last_echo = at
            if len(bodies) == 1:
                self._read(reader, bodies, times, out)
            else:
                # One query, one reply: what came after it was not asked for.
                self._read(reader, bodies[:1], times[:1], out)
                if self._reader is not None:
                    self._read(self._reader, bodies[1:], times[1:], out)
                else:
                    more = sum(map(len, bodies[1:]))
                    counts.stray += more
                    counts.unasked += more
                    counts.last_unasked = at
        elif self._commanded:
            self._answered(bodies, times, out)
        elif self._reader is not None:
            if len(bodies) <= 4:  # a stream without pauses has no doubles that could be told
                self._look_for_doubles(bodies, times)
            self._read(self._reader, bodies, times, out)
        return out

    def _look_for_doubles(self, bodies: list[bytes], times: list[int]) -> None:
        """Count messages that come again right after themselves, when there was a pause before."""
        for body, time in zip(bodies, times, strict=True):
            gap = time - self._last_time
            soon = round((len(body) + 8) * self.plan.link.byte_time * 1.5) + 4_000
            if body == self._last_body and gap <= soon < self._last_gap:
                self.counts.doubled += 1
                self.counts.last_doubled = time
            self._last_body, self._last_time, self._last_gap = body, time, gap

    def _read(self, reader: MessageReader, bodies: list[bytes], times: list[int], out: Batch) -> None:
        if reader.instrument in self.withheld:
            # Another instrument may be on this port: read, but not taken for samples.
            self.counts.withheld += len(bodies)
            out = Batch()
        reader.read(bodies, times, out)

    def _answered(self, bodies: list[bytes], times: list[int], out: Batch) -> None:
        """Lines after a command: its answer, or what the instrument says of itself all the while."""
        own = self._reader
        for body, time in zip(bodies, times, strict=True):
            if own is not None and own.understands(body):
                self._read(own, [body], [time], out)
            elif len(self.command.lines) < MOST_LINES:
                self.command.lines.append(body)

    def _gave_up(self, event: GaveUp) -> Batch | None:
        if self._asked is None or event.poll != self._poll:
            return None
        out = Batch()
        self.counts.gave_up += 1
        self.counts.silent_polls += 1
        self.counts.last_gave_up = event.at
        self.counts.stray += self.framer.pending
        if self._asked.instrument not in self.withheld:
            self._asked.nothing(Quality.NO_REPLY, event.at, out)
        self._asked, self._draining, self._late_seen = None, True, False
        return out

    def _lost(self, at: int) -> Batch:
        self._asked, self._draining, self._commanded = None, False, False
        out = Batch()
        for channel in self.plan.channels:
            out.add(channel, Quality.LINK_LOST, at)
        return out
