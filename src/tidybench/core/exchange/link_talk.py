"""What one link does, live: when it speaks, what it says, when it stops waiting.

A conversation has two sides and one state (`exchange.Exchange`, which the reader keeps). This object adds what only the
live side has: the schedule, the commands in line, and for each state how long it may last. It is given what was read and the
time, and gives the events that follow; whoever carries them out writes what is `Sent` and feeds every event back with
`feed`, in order. Everything that is decided here is on the tape before anything else happens.
"""

from collections import deque
from collections.abc import Sequence

from tidybench.core.batch import Batch
from tidybench.core.compile.link_plan import LinkPlan, QueryPlan
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.debts import MAX_PATIENCE
from tidybench.core.exchange.gathering import HOLD, Gathering
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.schedule import Schedule
from tidybench.core.exchange.session import SessionManager
from tidybench.core.exchange.state import AWAITING, State
from tidybench.core.tape.events import CommandEnded, Event, GaveUp, Quiet, Received, Sent, Tick
from tidybench.core.values.origin import ByHand, Triggered

QUIET = 20_000
"""Silence (microseconds) after the last late reply that is owed: it ends the draining."""

MAX_DRAIN = 4
"""Times the silence that ends the draining: so long it takes at the most, where silence never comes."""

MAX_ANSWER = 5_000_000
"""Microseconds after which the answer to a command is taken as it is: some devices never fall silent."""

MAX_RELEASE = 3_000_000
"""Microseconds that release commands and their answers may take, all together."""

MIN_RELEASE_WAIT = 20_000
"""Microseconds that each of them is given at the least."""


class LinkTalk:
    """One link's. One thread at a time may use it; `counts` and the like may be looked at from others.

    `answers`: what came upon commands by hand, by number; whoever gave them takes them out. `parted`: the release commands
    have gone out, and the port may be closed.
    """

    def __init__(self, plan: LinkPlan, now: int, first_poll: int = 1) -> None:
        self.plan = plan
        self.reader = LinkReader(plan)
        self.session = SessionManager(plan)
        self.schedule = Schedule(plan.queries, now)
        self.gathering = Gathering(0.0 if plan.queries else plan.link.byte_time)
        self.answers: list[tuple[int, list[bytes]]] = []
        self.parted = False
        self._exchange = self.reader.exchange
        self._poll = first_poll - 1
        self._query: QueryPlan | None = None  # of the poll that is out, or whose trigger is
        self._command: Command | None = None  # whose answer is awaited
        self._commands: deque[Command] = deque()
        self._release: deque[Command] | None = None  # release commands, while parting
        self._until = 0  # when the present state is over if nothing comes
        self._end = 0  # when it is over whatever comes
        self._silence = 0  # that ends draining
        self._free_at = 0  # from when on something may be sent

    # ---- what is wanted of it

    def enqueue(self, commands: Sequence[Command]) -> None:
        """Send these as soon as the link is free, before any poll that is due."""
        self._commands.extend(commands)

    def want(self, instrument: str) -> None:
        """Ask an instrument's queries once, those on demand and the others."""
        self.schedule.want([query for query in self.plan.queries if query.instrument == instrument])

    def part(self, now: int) -> None:
        """The port is to be given up: release commands go out, and then it may be closed (`parted`)."""
        if self._release is None:
            self._release = deque(self.session.release_commands())
            self._until, self._end = now, now + MAX_RELEASE

    # ---- when

    @property
    def may_speak(self) -> bool:
        """Whether what is due is to say something; else it is to stop waiting, for which the link must have been
        listened to first."""
        state = self._exchange.state
        return state is State.IDLE or state is State.ARMED or self._release is not None

    def deadline(self) -> int | None:
        """When `speak` or `stop_waiting` wants to be called if nothing is read before; None for never."""
        if self._release is not None or self._exchange.state is not State.IDLE:
            due: int | None = self._until
        elif self._commands:
            due = self._free_at
        else:
            due = self.schedule.due
            if self.reader.withheld:
                again = self.session.ask_again_at
                due = again if due is None or again < due else due
            if due is not None and due < self._free_at:
                due = self._free_at
        # While parting nobody waits for silence: what comes is read, and that is all.
        quiet = self.reader.deadline() if self._release is None else None
        if quiet is not None and (due is None or quiet < due):
            due = quiet
        gathering = self.gathering
        if gathering.held and (due is None or gathering.since + HOLD < due):
            return gathering.since + HOLD
        return due

    # ---- what happens

    def opened(self, now: int) -> None:
        """The port has been opened, and the event fed: everything from the beginning."""
        self._release, self.parted = None, False
        self._command = self._query = None
        self._commands.clear()
        self._free_at = now
        self.schedule.restart(now)
        self.gathering.restart(now)
        self.enqueue(self.session.opened(now))

    def speak(self, now: int) -> list[Event]:
        """What is to be said at `now`; call it where `may_speak`. At most one of the events is `Sent`, the last."""
        if self._release is not None:
            return self._say_release(now)
        state = self._exchange.state
        if state is State.ARMED:
            return [*self.flush(), self._ask(now)] if now >= self._until else []
        if state is not State.IDLE or now < self._free_at:
            return []
        if self.reader.withheld:
            self.enqueue(self.session.idle(self.reader, now))
        if self._commands:
            command = self._commands.popleft()
            act = command.act
            first = act is not None and act.given is None
            if act is not None and (late := act.go(now)) is not None:
                return [*self.flush(), late]
            self._command = command
            self._until = now + command.wire_time + command.wait
            self._end = self._until + MAX_ANSWER
            told = [act.given] if act is not None and first and act.given is not None else []
            return [*self.flush(), *told, Sent(now, command.data, 0, command.origin)]
        query, missed = self.schedule.next(now)
        self._query = query
        if query is None:
            return [*self.flush(), *missed] if missed else []
        if query.trigger:
            share = len(query.trigger) / max(1, len(query.data))
            self._until = now + round(query.wire_time * share) + query.trigger_wait
            return [
                *self.flush(),
                *missed,
                Sent(now, query.trigger, 0, Triggered(query.key.instrument, query.key.query)),
            ]
        asked = self._ask(now)
        return [*self.flush(), *missed, asked] if missed or self.gathering.held else [asked]

    def _ask(self, now: int) -> Sent:
        query = self._query
        assert query is not None
        self._poll += 1
        self._until = now + query.wire_time + query.give_up_after
        return Sent(now, query.data, self._poll, query.key)

    def _say_release(self, now: int) -> list[Event]:
        if now < self._until:
            return []
        assert self._release is not None
        if not self._release:
            self.parted = True
            return [*self.flush()]
        command = self._release.popleft()
        self._until = min(now + command.wire_time + max(command.wait, MIN_RELEASE_WAIT), self._end)
        return [*self.flush(), Sent(now, command.data, 0, command.origin)]

    def received(self, data: bytes, at: int) -> list[Received]:
        """Bytes that were read at `at`: what goes on of them now. Those that cannot end a message may be held back."""
        gathering = self.gathering
        gathering.look(len(data), at)
        if self.reader.framer.may_end(data) or self._nothing_is_awaited:
            return [Received(at, gathering.take() + data if gathering.held else data)]
        return self.flush() if gathering.hold(data, at) else []

    @property
    def _nothing_is_awaited(self) -> bool:
        state = self._exchange.state
        return bool(self.plan.queries) and state not in AWAITING and state is not State.COMMANDED

    def flush(self) -> list[Received]:
        """What is held back goes on."""
        gathering = self.gathering
        return [Received(gathering.at, gathering.take())] if gathering.held else []

    def stop_waiting(self, now: int) -> list[Event]:
        """The link was listened to, and a deadline may have passed: what is over by now."""
        held = self.gathering.deadline
        events: list[Event] = []
        if held is not None and now >= held:
            events += self.flush()
        if self._release is not None:
            return events
        state = self._exchange.state
        if state in AWAITING and now >= self._until:
            return [*events, *self.flush(), GaveUp(now, self._exchange.poll)]
        if state is State.DRAINING and now >= self._until:
            return [*events, *self.flush(), Quiet(now)]
        if state is State.COMMANDED and now >= self._until:
            return [*events, *self.flush(), Quiet(now), *self._finish(now)]
        quiet = self.reader.deadline()
        if quiet is not None and quiet <= now and not events:
            return [*self.flush(), Tick(now)]
        return events

    def _finish(self, now: int) -> list[Event]:
        """The answer to a command is whole, or none came."""
        command, self._command = self._command, None
        if command is None:
            return []
        lines = list(self._exchange.answer)
        if isinstance(command.origin, ByHand):
            self.answers.append((command.origin.number, lines))
            return []
        if command.act is not None:
            following = command.act.heard(lines, now)
            if isinstance(following, CommandEnded):
                return [following]
            self._commands.appendleft(following)
            return []
        events, commands = self.session.finished(command.origin, lines, now)
        self.enqueue(commands)
        return list(events)

    def _until_the_table_ends(self, command: Command, at: int) -> None:
        """A table that comes upon a command may take longer than any answer does: the link is its, until it ends."""
        act = command.act
        if act is None:
            until = self.reader.table_until() if isinstance(command.origin, ByHand) else None
        elif not act.starts:
            return  # a table that comes by itself meanwhile is none of its business
        else:
            who = getattr(command.origin, "instrument", "")
            until = self.reader.table_until(who, act.starts)
            if until is None and (ended := self.reader.ended_table(who, act.starts)) is not None:
                act.drawn(ended)
                self._until = at
        if until is not None:
            self._until = max(self._until, until)

    def _drain(self, at: int, silence: int) -> None:
        """The link is listened to until it has been silent for so long, and for what is known to come late."""
        exchange = self._exchange
        known = exchange.sent_at + exchange.debts.worst * 3 // 2 - at
        self._silence = min(max(silence, known), MAX_PATIENCE)
        self._until = at + self._silence
        self._end = at + MAX_DRAIN * self._silence

    def feed(self, event: Event) -> Batch | None:
        """An event has happened: the samples it gives, None for none. What waits from here on is set by it."""
        exchange = self._exchange
        kind = type(event)
        if kind is not Received and kind is not Tick:
            batch = self.reader.feed(event)
            if kind is GaveUp and self._query is not None:
                self._drain(event.at, self._query.give_up_after)
            elif kind is Quiet:
                self._free_at = event.at + self.plan.command_gap
            return batch
        before = exchange.state
        if before is State.IDLE:
            # Somebody talks by himself, and nothing is waited for: the way of most events.
            batch = self.reader.feed(event)
            if self.session.active and kind is Received:
                self.enqueue(self.session.heard(self.reader, event.at))
            return batch
        lines = exchange.lines
        batch = self.reader.feed(event)
        if self._release is not None:
            return batch
        if before in AWAITING:
            if exchange.state is State.DRAINING:
                self._drain(event.at, exchange.debts.patience)
            elif exchange.state not in AWAITING:
                self._free_at = event.at + self.plan.command_gap
            elif exchange.lines > lines and self._query is not None:
                # The next line of the answer has its time too.
                self._until = event.at + self._query.give_up_after
        elif kind is Received:
            if before is State.COMMANDED and self._command is not None:
                command = self._command
                answer, act = exchange.answer, command.act
                whole = command.lines and len(answer) >= command.lines
                if act is not None and answer:
                    whole = whole or any(map(act.is_answer, answer))
                if whole:
                    self._until = event.at
                elif command.quiet:
                    self._until = min(event.at + command.quiet, self._end)
                if self.reader.gatherers:
                    self._until_the_table_ends(command, event.at)
            elif before is State.DRAINING:
                wait = self._silence if exchange.debts.owed else QUIET
                self._until = min(event.at + wait, self._end)
        if kind is Received and self.session.active:
            self.enqueue(self.session.heard(self.reader, event.at))
        return batch
