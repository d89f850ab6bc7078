"""One link's thread: opens the port, asks on the grid, reads, and never waits for anyone."""

import threading
import time
import traceback
from collections import deque
from collections.abc import Callable

from tidybench.core.events import GaveUp, Lost, Missed, Opened, Quiet, Received, Sent, Start, Tick, Zeroed
from tidybench.core.plan import LinkPlan
from tidybench.core.session import LinkReader
from tidybench.core.timing.attendant import Attendant
from tidybench.core.timing.poller import (
    Ask,
    Effect,
    Errand,
    Finish,
    GiveUp,
    Poller,
    Resume,
    Run,
    Skip,
    Trigger,
)
from tidybench.links import Link, LinkError, ModemLines
from tidybench.recorder.clock import Clock
from tidybench.recorder.journal import Journal

RETRY = (0.2, 0.5, 1.0, 2.0)
"""Seconds between attempts to open a port that is not to be had; the last one for ever."""

HOLD = 40_000
"""Microseconds that bytes which cannot end a message are held back, to go onto the tape in one piece:
a slow line delivers every byte by itself."""

HOLD_SIZE = 2048

BREATH = 0.004
"""Seconds a link is left to gather bytes while its wire is full: a wake-up for every few bytes of many links would
take more than the reading itself. Only where nothing is asked, and only while bytes follow each other without a gap."""

LOOK_OVER = 50_000
"""Microseconds over which it is judged whether the wire is full."""

FULL = 0.75
"""Share of the wire's capacity from which on it counts as full."""

MUCH = 1024
"""Bytes in one read from which on nothing is waited for: there is more."""

FAREWELL = 3.0
"""Seconds that release commands and their answers may take, all together."""

Order = Callable[[], None]


class Asked:
    """A person's command: where it is on the tape, and the answer when it is whole."""

    def __init__(self, errand: Errand) -> None:
        self.errand = errand
        self.number = 0
        self.lines: list[bytes] = []
        self.done = False
        self.why = ""


class Worker:
    """Owns one link. Other threads only give orders, which it carries out between two reads."""

    def __init__(
        self,
        plan: LinkPlan,
        open_link: Callable[[], Link],
        journal: Journal,
        clock: Clock,
        restarted: str = "",
    ) -> None:
        """`restarted`: why a run finds a new reader on this link; "" where none is on."""
        self.plan = plan
        self.reader = LinkReader(plan)
        self.trouble = "not open yet"
        self.sentence = "The port is being opened."
        self.released = False
        self._open_link = open_link
        self._journal = journal
        self._clock = clock
        self._restarted = restarted
        self._poller = Poller(plan.queries, clock.now(), gap=plan.command_gap)
        self.attendant = Attendant(plan)
        self._asked: dict[str, Asked] = {}
        self._link: Link | None = None
        self._orders: deque[Order] = deque()
        self._attention = threading.Event()
        self._stopping = False
        self._ends_because = ""
        self._lost_said = False
        self._thread = threading.Thread(target=self._run, name=f"link {plan.key}", daemon=True)

    # ---- called by other threads

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self, why: str = "The recorder ends.") -> None:
        """End, and free the port; returns when it is free."""
        self.stop_soon(why)
        self._thread.join(8)

    def stop_soon(self, why: str = "The recorder ends.") -> None:
        """End, and free the port, without waiting for it."""
        self._ends_because = why
        self._stopping = True
        self._call()

    def snapshot(self) -> None:
        """Put the reader's state into the journal: a tape begins here."""
        self._order(self._start_state)

    def release(self) -> None:
        """Give the port up until `take_back`."""
        why = "The port was released for another program. Take it back to go on."
        self._order(lambda: self._release(why, "released"))

    def lend(self) -> None:
        """Give the port up for a search; `take_back` ends that too."""
        self._order(lambda: self._release("A search has the port. It is taken back by itself.", "searching"))

    @property
    def is_open(self) -> bool:
        """Whether the port is held just now. Any thread."""
        return self._link is not None

    def take_back(self) -> None:
        """Open the port again."""
        self._order(self._take_back)

    def ask(self, asked: Asked) -> None:
        """Send a person's command between two polls; `asked` gets the answer."""
        self._order(lambda: self._ask(asked))

    def read_once(self, instrument: str) -> None:
        """Ask an instrument's queries once, those on demand and the others."""
        wanted = [query for query in self.plan.queries if query.instrument == instrument]
        self._order(lambda: self._poller.want(wanted))

    def zero(self, channel: str, amount: float, before: float) -> None:
        """From now on `amount` is taken off a channel's values."""

        def order() -> None:
            event = Zeroed(self._clock.now(), channel, amount, before)
            self._journal.put(self.plan.key, event, self.reader.feed(event))

        self._order(order)

    def modem_lines(self) -> ModemLines | None:
        """The modem lines as they are; None where there are none. Any thread."""
        link = self._link
        return link.modem_lines() if link is not None else None

    def waiting(self) -> int:
        """Bytes that wait to be read. Any thread."""
        link = self._link
        return link.waiting() if link is not None else 0

    def _order(self, order: Order) -> None:
        self._orders.append(order)
        self._call()

    def _call(self) -> None:
        self._attention.set()
        link = self._link
        if link is not None:
            link.wake()

    # ---- the thread

    def _run(self) -> None:
        attempt = 0
        if self._restarted:
            # A tape that goes on after a restart finds this reader as new as it is.
            self._journal.put(self.plan.key, Start(self._clock.now(), self.reader.state()))
            self._lose(self._restarted, "lost")
        while not self._stopping:
            self._obey()
            if self.released:
                self._attention.wait(1.0)
                continue
            try:
                self._open()
            except LinkError as error:
                self._lose(str(error), error.trouble)
                self._attention.wait(RETRY[min(attempt, len(RETRY) - 1)])
                attempt += 1
                continue
            attempt = 0
            try:
                self._talk()
            except LinkError as error:
                self._lose(str(error), error.trouble)
            except Exception as error:  # our own fault must not leave the port held and the link mute
                traceback.print_exc()
                self._lose(f"Tidy Bench itself failed on this link ({error!r}). It tries again.", "failed")
            finally:
                self._close()
                self._forget()
            if not self._stopping:
                self._attention.wait(RETRY[0])
        if not self._lost_said:
            self._lose(self._ends_because, "released")

    def _open(self) -> None:
        self._link = self._open_link()
        now = self._clock.now()
        self.trouble = self.sentence = ""
        self._lost_said = False
        settings = {**self.plan.link.model_dump(), "short": self.plan.link.short}
        event = Opened(now, settings)
        self._journal.put(self.plan.key, event, self.reader.feed(event))
        self._poller.reopened(now)
        self._commission(self.attendant.opened(now))

    def _commission(self, errands: list[Errand]) -> None:
        for errand in errands:
            self._poller.commission(errand)

    def _ask(self, asked: Asked) -> None:
        if self._link is None:
            asked.why, asked.done = self.sentence or "The port is not open.", True
            return
        self._asked[asked.errand.name] = asked
        self._poller.commission(asked.errand)

    def _forget(self) -> None:
        """Commands whose link is gone will have no answer."""
        for asked in self._asked.values():
            asked.why, asked.done = self.sentence, True
        self._asked.clear()

    def _say_farewell(self) -> None:
        """Send the release commands: the instrument goes back to local before its port is given up."""
        link = self._link
        if link is None:
            return
        clock = self._clock.now
        end = clock() + round(FAREWELL * 1e6)
        for errand in self.attendant.farewell():
            self._send(link, errand.name, errand.data)
            until = min(clock() + errand.wire_time + max(errand.wait, 20_000), end)
            while (now := clock()) < until:
                data = link.read((until - now) / 1e6)
                if data:
                    event = Received(clock(), data)
                    self._journal.put(self.plan.key, event, self.reader.feed(event))

    def _send(self, link: Link, name: str, data: bytes) -> int:
        event = Sent(self._clock.now(), data, 0, name)
        link.write(data)
        return self._journal.put(self.plan.key, event, self.reader.feed(event))

    def _close(self) -> None:
        link, self._link = self._link, None
        if link is not None:
            link.close()

    def _lose(self, sentence: str, trouble: str) -> None:
        self.trouble, self.sentence = trouble, sentence
        if self._lost_said:
            return
        self._lost_said = True
        event = Lost(self._clock.now(), sentence)
        self._journal.put(self.plan.key, event, self.reader.feed(event))

    def _obey(self) -> None:
        self._attention.clear()
        while self._orders:
            self._orders.popleft()()

    def _start_state(self) -> None:
        event = Start(self._clock.now(), self.reader.state())
        self._journal.put(self.plan.key, event)
        if self._link is None:
            # A tape that begins without the link says so, and so do its channels.
            lost = Lost(self._clock.now(), self.sentence)
            self._journal.put(self.plan.key, lost, self.reader.feed(lost))

    def _release(self, why: str, trouble: str) -> None:
        self.released = True
        try:
            self._say_farewell()
        except LinkError:
            pass  # gone already: there is nobody to say it to
        self._close()
        self._lost_said = False
        self._lose(why, trouble)

    def _take_back(self) -> None:
        self.released = False

    def _talk(self) -> None:
        """Ask and listen until the link is lost, released, or the worker is told to stop."""
        link, poller, reader, framer = self._link, self._poller, self.reader, self.reader.framer
        clock = self._clock.now
        assert link is not None
        held = b""
        held_since = held_until = 0
        byte_time = 0.0 if poller.queries else self.plan.link.byte_time
        full, looked_at, seen = False, clock(), 0
        while True:
            now = clock()
            if self._attention.is_set():
                if held:
                    held = self._feed(held, held_until)
                if self._stopping:
                    self._say_farewell()
                    return
                self._obey()
                if self._link is None:
                    return
            if reader.withheld:
                self._commission(self.attendant.idle(reader, now))
            due = poller.deadline
            if due is not None and due <= now:
                if held:
                    held = self._feed(held, held_until)
                for effect in poller.step(now):
                    self._carry_out(effect, link, now)
                due = poller.deadline
                now = clock()
            quiet = reader.deadline()
            if quiet is not None and (due is None or quiet < due):
                due = quiet
            if held and (due is None or held_since + HOLD < due):
                due = held_since + HOLD
            if due is None and reader.withheld:
                due = now + 1_000_000
            try:
                data = link.read(None if due is None else max(0, due - now) / 1e6)
            except LinkError:
                if held:
                    self._feed(held, held_until)
                raise
            if data:
                at = clock()
                if byte_time:
                    seen += len(data)
                    if at - looked_at >= LOOK_OVER:
                        full = seen * byte_time >= FULL * (at - looked_at)
                        looked_at, seen = at, 0
                if held:
                    data = held + data
                elif framer.may_end(data) or (
                    poller.queries and not poller.waiting and poller.on_errand is None
                ):
                    self._feed(data, at)
                    if full and len(data) < MUCH:
                        time.sleep(BREATH)
                    continue
                else:
                    held_since = at
                held, held_until = data, at
                if framer.may_end(data) or at - held_since >= HOLD or len(held) >= HOLD_SIZE:
                    held = self._feed(held, at)
                if full and len(data) < MUCH:
                    time.sleep(BREATH)
            elif held and clock() >= held_since + HOLD:
                held = self._feed(held, held_until)
            elif quiet is not None and quiet <= clock():
                tick = Tick(clock())
                self._journal.put(self.plan.key, tick, reader.feed(tick))
                if poller.waiting and not reader.outstanding:
                    poller.replied(tick.at)

    def _feed(self, data: bytes, at: int) -> bytes:
        """Bytes that were read by `at` go through the reader and into the journal; gives b""."""
        received = Received(at, data)
        lines = self.reader.answered_lines
        batch = self.reader.feed(received)
        poller = self._poller
        if poller.waiting:
            if not self.reader.outstanding:
                poller.replied(at)
            elif self.reader.answered_lines > lines:
                poller.goes_on(at)
        else:
            poller.heard(at, len(self.reader.command.lines))
        self._journal.put(self.plan.key, received, batch)
        if self.attendant.active:
            self._commission(self.attendant.heard(self.reader, at))
        return b""

    def _carry_out(self, effect: Effect, link: Link, now: int) -> None:
        event: Sent | GaveUp | Quiet | Missed
        if isinstance(effect, Run):
            number = self._send(link, effect.errand.name, effect.errand.data)
            if effect.errand.name in self._asked:
                self._asked[effect.errand.name].number = number
            return
        if isinstance(effect, Finish):
            self._finish(effect.errand, now)
            return
        if isinstance(effect, Ask):
            event = Sent(now, effect.query.data, effect.poll, effect.query.key)
            link.write(effect.query.data)
        elif isinstance(effect, Trigger):
            event = Sent(now, effect.query.trigger)
            link.write(effect.query.trigger)
        elif isinstance(effect, GiveUp):
            event = GaveUp(now, effect.poll)
        elif isinstance(effect, Resume):
            event = Quiet(now)
        else:
            assert isinstance(effect, Skip)
            event = Missed(now, effect.query.key, effect.count)
        self._journal.put(self.plan.key, event, self.reader.feed(event))

    def _finish(self, errand: Errand, now: int) -> None:
        """The answer to a command is whole."""
        lines = list(self.reader.command.lines)
        quiet = Quiet(now)
        self._journal.put(self.plan.key, quiet, self.reader.feed(quiet))
        asked = self._asked.pop(errand.name, None)
        if asked is not None:
            asked.lines, asked.done = lines, True
            return
        events, errands = self.attendant.finished(errand.name, lines, now)
        for event in events:
            self._journal.put(self.plan.key, event, self.reader.feed(event))
        self._commission(errands)
