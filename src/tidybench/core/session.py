"""One link's reader: what happened on the link in, samples out.

This is the pure function of the spine. The recorder feeds it live, `runs.reread` feeds it the events
of a tape; both get the same samples, bit for bit. It never looks at a clock, and it decides
nothing that is not on the tape.
"""

from dataclasses import dataclass, field
from typing import Any

from tidybench.core.channels.finisher import Finisher
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
    Zeroed,
)
from tidybench.core.framing import Cut
from tidybench.core.plan import LinkPlan, Reply
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
    recent_doubles: int = 0  # of the last messages, a bit each: 1 came twice
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

DOUBLES = (1 << 20) - 1
"""The messages among which those that came twice are counted: readings that are alike, held up and then read together,
now and then look so too."""

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
        self.finishers = plan.finishers()
        self.command = Command()
        self.withheld: set[str] = plan.expecting()
        self.power_ups = 0
        self._asked: MessageReader | None = None
        self._reply = Reply()
        self._lines = 0  # of the present answer
        self._quiet_at: int | None = None  # when silence ends the present answer
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

    @property
    def answered_lines(self) -> int:
        """Messages of the answer that is awaited."""
        return self._lines

    def deadline(self) -> int | None:
        """When a Tick is wanted if nothing comes before: silence ends a message, or an answer."""
        due = self.framer.deadline()
        if self._quiet_at is not None and (due is None or self._quiet_at < due):
            return self._quiet_at
        return due

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
            "lines": self._lines,
            "quiet_at": self._quiet_at,
            "channels": {self.plan.parts[n].id: f.state() for n, f in self.finishers.items()},
            "learnt": {key: state for key, r in self.plan.readers.items() if (state := r.state())},
        }

    def feed(self, event: Event) -> Batch | None:
        """The samples an event gives; None for none."""
        batch = self._feed(event)
        return batch if batch is None or not self.finishers else self._finished(batch)

    def _finished(self, batch: Batch) -> Batch:
        finishers, out = self.finishers, Batch()
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            finisher = finishers.get(word >> 8)
            if finisher is not None:
                finisher.take(word & 0xFF, at, value, out)
            else:
                out.words.append(word)
                out.times.append(at)
                out.values.append(value)
        return out

    def _zero(self, event: Zeroed) -> None:
        for number, part in self.plan.parts.items():
            if part.id == event.channel:
                self.plan.zeros[number] = event.amount
                self.finishers.setdefault(number, Finisher(number)).zero = event.amount

    def _feed(self, event: Event) -> Batch | None:
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
            self._quiet_at = None
            self.withheld = self.plan.expecting()
            self.counts = LinkCounts(opened_at=event.at)
        elif isinstance(event, Quiet):
            self._draining = self._commanded = False
        elif isinstance(event, Missed):
            self.counts.missed += event.count
            self.counts.last_missed = event.at
        elif isinstance(event, Tick):
            return self._ticked(event.at)
        elif isinstance(event, Identified):
            (self.withheld.discard if event.matches else self.withheld.add)(event.instrument)
        elif isinstance(event, Zeroed):
            self._zero(event)
        elif isinstance(event, Start):
            self._start(event.state)
        return None

    def _start(self, state: dict[str, Any]) -> None:
        self.framer.restore(state["framer"])
        self._poll, self._draining = state["poll"], state["draining"]
        self._sent_at = state["sent"]
        self._asked = self.plan.readers.get(state["query"]) if state["query"] else None
        self._reply = self.plan.reply_to(state["query"])
        self._lines, self._quiet_at = state.get("lines", 0), state.get("quiet_at")
        for key, learnt in state.get("learnt", {}).items():
            if key in self.plan.readers:
                self.plan.readers[key].restore(learnt)
        for number, part in self.plan.parts.items():
            kept = state.get("channels", {}).get(part.id)
            if kept is not None:
                self.finishers.setdefault(number, Finisher(number)).restore(kept)
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
            self._asked, self._reply = self.plan.readers[event.query], self.plan.reply_to(event.query)
            self._lines, self._quiet_at = 0, None
            self._poll, self._commanded = event.poll, False
        else:
            self.command = Command(event.query)
            self._commanded, self._draining = True, False
            if not self.plan.listeners:
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
        if self._quiet_at is not None:
            self._quiet_at = at + self._reply.quiet
        if self._asked is None and not self.plan.listeners and not self._commanded:
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
            if cut.prompts and self._asked is not None and self._lines and self._reply.prompt:
                self._asked = self._quiet_at = None
            return None
        out = Batch()
        counts.messages += len(bodies)
        counts.last_message = at
        if self._power_up:
            self.power_ups += sum(any(text in body for text in self._power_up) for body in bodies)
        if self._asked is not None:
            self._replied(self._asked, cut, at, out)
        elif self._commanded:
            self._answered(bodies, times, out)
        elif self.plan.listeners:
            if len(bodies) <= 4:  # a stream without pauses has no doubles that could be told
                self._look_for_doubles(bodies, times)
            self._heard(bodies, times, out)
        return out

    def _replied(self, reader: MessageReader, cut: Cut, at: int, out: Batch) -> None:
        """Messages while an answer is awaited: so many are its lines, the rest was not asked for."""
        counts, reply, bodies, times = self.counts, self._reply, cut.bodies, cut.times
        if not self._lines:
            counts.answer_time = times[0] - self._sent_at
            if bodies[0].startswith(self._sent_data.rstrip(b"\r\n")) and not reader.understands(bodies[0]):
                counts.echoes += 1
                counts.last_echo = at
        counts.silent_polls = 0
        if reply.single:
            taken, whole = 1, True
        else:
            taken, whole = self._taken(bodies)
            if cut.prompts and reply.prompt:
                whole = True
        self._lines += taken
        ends = whole and reply.until and bodies[taken - 1].startswith(reply.until)
        own = taken - 1 if ends and not reader.understands(bodies[taken - 1]) else taken
        self._quiet_at = at + reply.quiet if reply.quiet and not whole else None
        if whole:
            self._asked = None
        if len(bodies) == 1 and own:
            self._read(reader, bodies, times, out)
            return
        self._read(reader, bodies[:own], times[:own], out)
        if taken == len(bodies):
            return
        if self.plan.listeners:
            self._heard(bodies[taken:], times[taken:], out)
        else:
            more = sum(map(len, bodies[taken:]))
            counts.stray += more
            counts.unasked += more
            counts.last_unasked = at

    def _taken(self, bodies: list[bytes]) -> tuple[int, bool]:
        """How many of these are lines of the answer that is awaited, and whether it is whole with them."""
        reply = self._reply
        for number, body in enumerate(bodies, 1):
            if reply.until and body.startswith(reply.until):
                return number, True
            if reply.lines and self._lines + number >= reply.lines:
                return number, True
        return len(bodies), False

    def _ticked(self, at: int) -> Batch | None:
        """Silence: it may end a message, and an answer."""
        out = self._messages(self.framer.passed(at), at)
        if self._quiet_at is not None and at >= self._quiet_at:
            self._asked = self._quiet_at = None
        return out

    def _heard(self, bodies: list[bytes], times: list[int], out: Batch) -> None:
        """Messages that nobody asked for, to whoever they belong."""
        listeners = self.plan.listeners
        if len(listeners) == 1 and not listeners[0].is_told_apart:
            self._read(listeners[0], bodies, times, out)
            return
        for body, time in zip(bodies, times, strict=True):
            mine = next((r for r in listeners if r.is_told_apart and r.is_mine(body)), None)
            if mine is None:
                mine = next((r for r in listeners if not r.is_told_apart), None)
            if mine is None:
                self.counts.stray += len(body)
                self.counts.unasked += len(body)
                self.counts.last_unasked = time
            else:
                self._read(mine, [body], [time], out)

    def _look_for_doubles(self, bodies: list[bytes], times: list[int]) -> None:
        """Count messages that come again right after themselves, when there was a pause before."""
        for body, time in zip(bodies, times, strict=True):
            gap = time - self._last_time
            soon = round((len(body) + 8) * self.plan.link.byte_time * 1.5) + 4_000
            double = body == self._last_body and gap <= soon < self._last_gap
            self.counts.recent_doubles = (self.counts.recent_doubles << 1 | double) & DOUBLES
            if double:
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
        for body, time in zip(bodies, times, strict=True):
            own = next((r for r in self.plan.listeners if r.is_mine(body) and r.understands(body)), None)
            if own is not None:
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
        self._quiet_at = None
        return out

    def _lost(self, at: int) -> Batch:
        self._asked, self._draining, self._commanded = None, False, False
        self._quiet_at = None
        out = Batch()
        for channel in self.plan.channels:
            out.add(channel, Quality.LINK_LOST, at)
        return out
