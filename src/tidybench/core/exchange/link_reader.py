"""One link's reader: what happened on the link in, samples out.

This is the pure function of the spine. The recorder feeds it live, `runs.reread` feeds it the events
of a tape; both get the same samples, bit for bit. It never looks at a clock, and it decides
nothing that is not on the tape.
"""

from typing import Any

from tidybench.core.batch import Batch
from tidybench.core.channels.pipeline import ChannelPipeline, finished
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.curves.piece import CurveEnded, CurvePiece
from tidybench.core.exchange.counts import LinkCounts
from tidybench.core.exchange.debts import Whose
from tidybench.core.exchange.exchange import Exchange
from tidybench.core.exchange.state import ANSWERING, AWAITING, State, Turn
from tidybench.core.framing import Cut, Framer
from tidybench.core.quality import Quality
from tidybench.core.reading.reader import MessageReader
from tidybench.core.tape.events import (
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
from tidybench.core.values.origin import Asked, ByHand, Heard, ReaderKey

RECENT = 200
"""The newest bytes that are kept as evidence."""

MANY_ROWS = 32
"""Messages in one piece from which on a table's rows are read together."""

DOUBLES = (1 << 20) - 1
"""The messages among which those that came twice are counted: readings that are alike, held up and then read together,
now and then look so too."""

_TEXT = bytes(range(0x20, 0x7F)) + b"\r\n\t"


def open_framer(framer: Framer, event: Opened, talks_alone: bool) -> None:
    """A link was opened: whether what comes first begins a message. `talks_alone`: somebody talks without being asked."""
    before = event.settings.get("follows")  # of a file: what stands before the first byte
    framer.opened(event.at, whole=not talks_alone or before == "")
    if before is not None:
        framer.follows(before.encode("latin-1"))


class LinkReader:
    """Feed it a link's events in order; it gives the samples of each. One thread at a time may feed it; any thread may
    look at `counts`, whose figures may then be a moment apart."""

    def __init__(self, plan: LinkPlan) -> None:
        self.plan = plan
        self.framer = plan.framer()
        self.counts = LinkCounts()
        self.exchange = Exchange()
        self.pipelines = plan.pipelines()
        self.withheld: set[str] = plan.expecting()
        self.gatherers = plan.gatherers()
        self._pieces: list[CurvePiece] = []  # of curves, of the newest event
        self._check = plan.check() if self.gatherers else None
        self.power_ups = 0
        self._late_seen = False
        # A poll was given up, and none answered whole since: what is half received as the next one goes out is *torn*, and the
        # message that comes first then is what is left of it.
        self._unanswered = self._torn = False
        self._watches = True  # on tapes of before 2026-11-28 nobody looked
        self._echo = b""  # of our own query, still to come
        self._last_body, self._last_time, self._last_gap = b"", 0, 0
        self._power_up = [
            s.instrument.power_up.encode("latin-1", "replace") for s in plan.setups if s.instrument.power_up
        ]

    def deadline(self) -> int | None:
        """When a Tick is wanted if nothing comes before: silence ends a message, or an answer."""
        due, quiet_at = self.framer.deadline(), self.exchange.quiet_at
        if quiet_at is not None and (due is None or quiet_at < due):
            due = quiet_at
        if self.gatherers:
            every = [one.deadline for all_of in self.gatherers.values() for one in all_of]
            silent_at = min((at for at in every if at is not None), default=None)
            return silent_at if silent_at is not None and (due is None or silent_at < due) else due
        return due

    def table_until(self, instrument: str = "", curve: str = "") -> int | None:
        """When silence ends a table that is being sent, of any instrument, or this curve of one; None where none is."""
        found = [
            one.deadline
            for who, every in self.gatherers.items()
            for one in every
            if instrument in ("", who) and curve in ("", one.part.id) and one.is_open
        ]
        return min((due for due in found if due is not None), default=None)

    def ended_table(self, instrument: str, curve: str) -> CurveEnded | None:
        """How this curve of an instrument was ended by the newest event; None where it was not."""
        whose = instrument, curve
        ended = [p for p in self._pieces if type(p) is CurveEnded and (p.instrument, p.curve) == whose]
        return ended[-1] if ended else None

    def take_pieces(self) -> list[CurvePiece]:
        """What the newest event added to curves."""
        pieces, self._pieces = self._pieces, []
        return pieces

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        learnt = {key: state for key, r in self.plan.readers.items() if (state := r.state())}
        return {
            "framer": self.framer.state(),
            **self.exchange.as_kept(),
            "withheld": sorted(self.withheld),
            "torn": self._torn,
            "unanswered": self._unanswered,
            "echo": self._echo.decode("latin-1"),
            "channels": {self.plan.parts[n].id: f.state() for n, f in self.pipelines.items()},
            **(
                {
                    "curves": {
                        who: {one.part.id: one.state() for one in every}
                        for who, every in self.gatherers.items()
                    }
                }
                if self.gatherers
                else {}
            ),
            "learnt": {key.text: state for key, state in learnt.items() if isinstance(key, Asked)},
            "heard": {key.instrument: state for key, state in learnt.items() if isinstance(key, Heard)},
        }

    def feed(self, event: Event) -> Batch | None:
        """The samples an event gives; None for none."""
        batch = self._feed(event)
        if self.gatherers:
            self._gather(event)
        return batch if batch is None else finished(self.pipelines, batch)

    def _gather(self, event: Event) -> None:
        """What an event did to the tables that are sent."""
        kind, self._pieces = type(event), []
        for every in self.gatherers.values():
            for one in every:
                if kind is Lost or kind is Opened:
                    one.give_up(event.at, "the link was lost")
                elif kind is Tick or kind is Quiet:
                    one.silent(event.at)
                if one.pieces:
                    self._pieces += one.pieces
                    one.pieces = []

    def _zero(self, event: Zeroed) -> None:
        for number, part in self.plan.parts.items():
            if part.id == event.channel:
                self.pipelines.setdefault(number, ChannelPipeline(number)).zero = event.amount

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
            open_framer(self.framer, event, self.plan.talks_alone)
            self.exchange.turn(Turn.OPEN)
            self.exchange.debts.settle()
            self._unanswered = self._torn = False
            self._echo = b""
            self.withheld = self.plan.expecting()
            self.counts = LinkCounts(opened_at=event.at)
        elif isinstance(event, Quiet):
            if self.exchange.state is State.DRAINING:
                self.exchange.debts.silent(self.exchange.heard_at, event.at)
            self.exchange.turn(Turn.QUIET)
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
        self.exchange.take_up(state, self.plan)
        for key, learnt in self._learnt(state):
            reader = self.plan.readers.get(key)
            if reader is not None:
                reader.restore(learnt)
        for number, part in self.plan.parts.items():
            kept = state.get("channels", {}).get(part.id)
            if kept is not None:
                self.pipelines.setdefault(number, ChannelPipeline(number)).restore(kept)
        for who, kept_curves in state.get("curves", {}).items():
            for one in self.gatherers.get(who, ()):
                if one.part.id in kept_curves:
                    one.restore(kept_curves[one.part.id])
        self.withheld = set(state.get("withheld", ()))
        self._watches = "torn" in state
        self._torn, self._unanswered = state.get("torn", False), state.get("unanswered", False)
        self._echo = state.get("echo", "").encode("latin-1")

    def _learnt(self, state: dict[str, Any]) -> list[tuple[ReaderKey, list[dict[str, Any]]]]:
        found: list[tuple[ReaderKey, list[dict[str, Any]]]] = [
            (Heard(instrument), learnt) for instrument, learnt in state.get("heard", {}).items()
        ]
        for text, learnt in state.get("learnt", {}).items():
            first, _, rest = text.partition("/")
            # On tapes before 2026-11-25 listeners stand here too: "" is the first, "listen/ID" are others.
            if not text and self.plan.listeners:
                found.append((Heard(self.plan.listeners[0].instrument), learnt))
            elif first == "listen" and "heard" not in state and Heard(rest) in self.plan.readers:
                found.append((Heard(rest), learnt))
            else:
                found.append((Asked(first, rest), learnt))
        return found

    def _sent(self, event: Sent) -> None:
        counts = self.counts
        counts.bytes_out += len(event.data)
        if self.plan.link.echo:
            self._echo = event.data
        if self._expects_late and self.framer.pending:
            self._torn = True
        self.exchange.went_out(event, self.plan)
        if self.gatherers:
            for one in self.gatherers.get(getattr(event.origin, "instrument", ""), ()):
                one.asked(event.at)
        if event.poll and self.exchange.state in AWAITING:
            counts.polls += 1
            self.framer.asked(event.data, event.at)
        elif not self.plan.listeners:
            self.framer.asked(event.data, event.at)
        elif not counts.bytes_in:
            # Silent so far: what comes now begins with an answer, not in the middle of talk.
            self.framer.opened(event.at, whole=True)

    @property
    def _expects_late(self) -> bool:
        """Whether an answer, or what is left of one, may come that nobody waits for any more."""
        return self._watches and (self._unanswered or bool(self.exchange.debts.owed))

    def _whole(self, cut: Cut) -> Cut:
        """Without what is left of a torn answer: it would be read as another number."""
        if not self._torn or not cut.bodies:
            return cut
        self._torn = False
        stray = cut.stray + len(cut.bodies[0])
        return Cut(cut.bodies[1:], cut.times[1:], stray, cut.overlong, cut.prompts)

    def _received(self, data: bytes, at: int) -> Batch | None:
        counts = self.counts
        counts.bytes_in += len(data)
        counts.last_in = at
        unprintable = len(data.translate(None, _TEXT))
        counts.unprintable += unprintable
        counts.recent = (counts.recent + data)[-RECENT:] if len(data) < RECENT else data[-RECENT:]
        if self._echo:
            data = self._without_echo(data)
        exchange = self.exchange
        exchange.bytes_came(at)
        state = exchange.state
        if (state is State.IDLE or state is State.DRAINING) and not self.plan.listeners:
            counts.stray += len(data)
            if state is State.DRAINING:
                counts.late += not self._late_seen  # one reply, however many pieces
                self._late_seen = True
                counts.worst_late = max(counts.worst_late, at - exchange.sent_at)
                if exchange.debts.owed or self._expects_late:
                    self._late(self._whole(self.framer.feed(data, at)).bodies, at)
            else:
                counts.unasked += len(data)
                counts.last_unasked = at
                if self._expects_late:
                    self._late(self._whole(self.framer.feed(data, at)).bodies, at)
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
        counts, exchange = self.counts, self.exchange
        if self._torn:
            cut = self._whole(cut)
        counts.stray += cut.stray
        counts.overlong += cut.overlong
        bodies, times = cut.bodies, cut.times
        state = exchange.state
        if not bodies:
            if cut.prompts and state in AWAITING and exchange.lines and exchange.reply.prompt:
                exchange.turn(Turn.WHOLE)
            return None
        out = Batch()
        counts.messages += len(bodies)
        counts.last_message = at
        if self._power_up:
            self.power_ups += sum(any(text in body for text in self._power_up) for body in bodies)
        if state is State.DOUBTED:
            self._doubted(cut, at, out)
        elif state in AWAITING:
            self._replied(cut, at, out)
        elif state is State.DRAINING:
            self._drained(bodies, times, at, out)
        elif state in ANSWERING:
            self._answered(bodies, times, out)
        elif self.plan.listeners:
            if len(bodies) <= 4:  # a stream without pauses has no doubles that could be told
                self._look_for_doubles(bodies, times)
            self._heard(bodies, times, out)
        return out

    def _understood(self, query: Asked, body: bytes) -> bool:
        """Whether a message may be the answer to a query. Where nothing says how that looks, any may."""
        reader = self.plan.readers.get(query)
        return reader is not None and (not reader.says_how or reader.understands(body))

    def _late(self, bodies: list[bytes], at: int) -> list[bytes]:
        """Messages while the link is drained: answers that were owed. Gives those that are none."""
        debts = self.exchange.debts
        left = [body for body in bodies if not debts.pay(body, at, self._understood)]
        self.counts.worst_late = max(self.counts.worst_late, debts.worst)
        return left

    def _drained(self, bodies: list[bytes], times: list[int], at: int, out: Batch) -> None:
        """The same where somebody talks by himself: what is no late answer is his."""
        if self.exchange.debts.owed:
            left = self._late(bodies, at)
            times = [time for body, time in zip(bodies, times, strict=True) if body in left]
            bodies = left
        if bodies and self.plan.listeners:
            self._heard(bodies, times, out)

    def _doubted(self, cut: Cut, at: int, out: Batch) -> None:
        """Messages while the answer to another query may still come."""
        exchange, counts = self.exchange, self.counts
        debts, query, bodies, times = exchange.debts, exchange.query, cut.bodies, cut.times
        assert query is not None
        for number, body in enumerate(bodies):
            whose = debts.whose(body, query, self._understood)
            if whose is Whose.OWN or (whose is Whose.NOBODY and not debts.owed):
                debts.settle()
                exchange.turn(Turn.SURE)
                self._replied(Cut(bodies[number:], times[number:], prompts=cut.prompts), at, out)
                return
            if whose is Whose.NOBODY and self.plan.listeners:
                self._heard([body], [times[number]], out)
                continue
            counts.stray += len(body)
            if whose is Whose.OWED:
                debts.pay(body, at, self._understood)
                counts.late += 1
                counts.worst_late = max(counts.worst_late, debts.worst)
            elif whose is Whose.EITHER:
                self._withhold(query, body, at, out)
                self._late(bodies[number + 1 :], at)
                return

    def _withhold(self, query: Asked, body: bytes, at: int, out: Batch) -> None:
        """A message may be the answer to another query: it is nobody's reading."""
        exchange = self.exchange
        reader = self.plan.readers[query]
        if reader.instrument not in self.withheld:
            reader.nothing(Quality.NO_REPLY, at, out)
        self.counts.doubted += 1
        self.counts.late += 1
        exchange.debts.owe(query, exchange.sent_at)
        exchange.debts.withhold(body, at, self._understood)
        exchange.turn(Turn.WITHHOLD)
        self._late_seen = False

    def _replied(self, cut: Cut, at: int, out: Batch) -> None:
        """Messages while an answer is awaited: so many are its lines, the rest was not asked for."""
        counts, exchange, bodies, times = self.counts, self.exchange, cut.bodies, cut.times
        reply = exchange.reply
        assert exchange.query is not None
        reader = self.plan.readers[exchange.query]
        exchange.debts.answered(exchange.query)
        if not exchange.lines:
            counts.answer_time = times[0] - exchange.sent_at
            if bodies[0].startswith(exchange.sent.rstrip(b"\r\n")) and not reader.understands(bodies[0]):
                counts.echoes += 1
                counts.last_echo = at
        counts.silent_polls = 0
        if reply.single:
            taken, whole = 1, True
        else:
            taken, whole = self._taken(bodies)
            if cut.prompts and reply.prompt:
                whole = True
        ends = whole and reply.until and bodies[taken - 1].startswith(reply.until)
        own = taken - 1 if ends and not reader.understands(bodies[taken - 1]) else taken
        exchange.came(taken, whole, at)
        if whole:
            self._unanswered = False
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
        reply, lines = self.exchange.reply, self.exchange.lines
        for number, body in enumerate(bodies, 1):
            if reply.until and body.startswith(reply.until):
                return number, True
            if reply.lines and lines + number >= reply.lines:
                return number, True
        return len(bodies), False

    def _ticked(self, at: int) -> Batch | None:
        """Silence: it may end a message, and an answer."""
        exchange = self.exchange
        cut = self.framer.passed(at)
        if (
            exchange.state is State.DRAINING or (exchange.state is State.IDLE and self._expects_late)
        ) and not (self.plan.listeners):
            self._late(self._whole(cut).bodies, at)
            return None
        out = self._messages(cut, at)
        if exchange.quiet_at is not None and at >= exchange.quiet_at:
            exchange.turn(Turn.WHOLE)
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
        counts, doubles = self.counts, self.counts.recent_doubles
        last, last_time, last_gap = self._last_body, self._last_time, self._last_gap
        for body, time in zip(bodies, times, strict=True):
            gap = time - last_time
            double = body == last and gap <= self._soon(body) < last_gap
            doubles = (doubles << 1 | double) & DOUBLES
            if double:
                counts.doubled += 1
                counts.last_doubled = time
            last, last_time, last_gap = body, time, gap
        counts.recent_doubles = doubles
        self._last_body, self._last_time, self._last_gap = last, last_time, last_gap

    def _soon(self, body: bytes) -> int:
        """Microseconds within which a message that is sent twice comes again."""
        return round((len(body) + 8) * self.plan.link.byte_time * 1.5) + 4_000

    def _read(self, reader: MessageReader, bodies: list[bytes], times: list[int], out: Batch) -> None:
        if reader.instrument in self.withheld:
            # Another instrument may be on this port: read, but not taken for samples.
            self.counts.withheld += len(bodies)
            out = Batch()
        elif self.gatherers:
            bodies, times = self._without_rows(reader.instrument, bodies, times, reader)
        reader.read(bodies, times, out)

    def _without_rows(
        self, instrument: str, bodies: list[bytes], times: list[int], reader: MessageReader | None = None
    ) -> tuple[list[bytes], list[int]]:
        """The messages of an instrument that are no part of its tables. What comes within a table and is nobody's is counted there."""
        gatherers = self.gatherers.get(instrument)
        if gatherers is None:
            return bodies, times
        left: list[bytes] = []
        when: list[int] = []
        if len(bodies) >= MANY_ROWS and self._check is None:
            sent = next((one for one in gatherers if one.is_open), None)
            if sent is not None and sent.take_rows(bodies, times):
                return left, when
        for body, at in zip(bodies, times, strict=True):
            whole = self._check(body) if self._check is not None else body
            sent = next((one for one in gatherers if one.is_open), None)
            if whole is not None and (
                (sent is not None and sent.take(whole, at))
                or any(one.take(whole, at) for one in gatherers if one is not sent)
            ):
                continue
            if sent is None or (reader is not None and reader.understands(body)):
                left.append(body)
                when.append(at)
            else:
                sent.stray(body, at)
        return left, when

    def _answered(self, bodies: list[bytes], times: list[int], out: Batch) -> None:
        """Lines after a command: its answer, or what the instrument says of itself all the while."""
        if self.gatherers:
            origin = self.exchange.origin
            if isinstance(origin, ByHand):
                # Typed: all of it is its answer, and may be a table nevertheless.
                if len(self.plan.setups) == 1 and not self.withheld:
                    self._without_rows(self.plan.setups[0].instrument.id, bodies, times)
            elif (who := getattr(origin, "instrument", "")) not in self.withheld:
                bodies, times = self._without_rows(who, bodies, times)
        for body, time in zip(bodies, times, strict=True):
            own = next((r for r in self.plan.listeners if r.is_mine(body) and r.understands(body)), None)
            if own is not None:
                self._read(own, [body], [time], out)
            else:
                self.exchange.answered(body)

    def _gave_up(self, event: GaveUp) -> Batch | None:
        exchange = self.exchange
        if exchange.outstanding != event.poll or exchange.query is None:
            return None
        out = Batch()
        self.counts.gave_up += 1
        self.counts.silent_polls += 1
        self.counts.last_gave_up = event.at
        self.counts.stray += self.framer.pending
        reader = self.plan.readers[exchange.query]
        if reader.instrument not in self.withheld:
            reader.nothing(Quality.NO_REPLY, event.at, out)
        exchange.debts.owe(exchange.query, exchange.sent_at)
        exchange.turn(Turn.GIVE_UP)
        self._unanswered = True
        self._late_seen = False
        for one in self.gatherers.get(reader.instrument, ()):
            one.give_up(event.at, "its answer stopped")
        return out

    def _lost(self, at: int) -> Batch:
        self.exchange.turn(Turn.LOSE)
        self._unanswered = self._torn = False
        out = Batch()
        for channel in self.plan.channels:
            out.add(channel, Quality.LINK_LOST, at)
        return out
