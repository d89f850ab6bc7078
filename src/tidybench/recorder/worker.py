"""Who owns a link: opens it, has it talked on, carries out what others order, gives it up."""

import logging
import threading
from collections import deque
from collections.abc import Callable

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.exchange.session import SessionManager
from tidybench.core.tape.events import CommandEnded, Event, Lost, Opened, Sent, Start, Zeroed
from tidybench.core.values.origin import ByHand
from tidybench.links import Link, LinkError, ModemLines
from tidybench.recorder.clock import Clock
from tidybench.recorder.conversation import Conversation
from tidybench.recorder.event_loop import EventLoop
from tidybench.recorder.journal import Journal

logger = logging.getLogger(__name__)

RETRY = (0.2, 0.5, 1.0, 2.0)
"""Seconds between attempts to open a port that is not to be had; the last one for ever."""

ENDS_WITHIN = 8.0
"""Seconds that ending may take, release commands included."""

Order = Callable[[], None]


class Answering:
    """A person's command on its way: where it is on the tape, and the answer when it is whole. Written by the link's
    thread, `done` last; any thread may look."""

    def __init__(self, command: Command, number: int) -> None:
        self.command, self.number = command, number
        self.sequence = 0
        self.lines: list[bytes] = []
        self.why = ""
        self.done = False


class Worker:
    """Owns one link. Its thread opens it, and closes it in the end; in between the event loop has it, where it has a descriptor. Other
    threads only give orders, which are carried out between two reads; what they may look at says so. `released`: the port is given up
    for another program."""

    def __init__(
        self,
        plan: LinkPlan,
        open_link: Callable[[], Link],
        journal: Journal,
        clock: Clock,
        loop: EventLoop,
        restarted: str = "",
    ) -> None:
        """`restarted`: why a run finds a new reader on this link; "" where none is on."""
        self.plan = plan
        self.trouble = "not open yet"
        self.sentence = "The port is being opened."
        self.released = False
        self._lent = False  # to a search
        self._talk = LinkTalk(plan, clock.now())
        self._open_link = open_link
        self._journal = journal
        self._clock = clock
        self._loop = loop
        self._conversation: Conversation | None = None
        self._restarted = restarted
        self._answering: dict[int, Answering] = {}
        self._acts: dict[int, InstrumentAct] = {}
        self._link: Link | None = None
        self._orders: deque[Order] = deque()
        self._attention = threading.Event()
        self._stopping = False
        self._parting: tuple[str, str] | None = None  # why the port is given up, and the word for it
        self._lost_said = False
        self._thread = threading.Thread(target=self._run, name=f"link {plan.key}", daemon=True)

    # ---- called by other threads

    @property
    def reader(self) -> LinkReader:
        """What reads this link; its counts may be looked at."""
        return self._talk.reader

    @property
    def session(self) -> SessionManager:
        """Identities and troubles, to be looked at."""
        return self._talk.session

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self, why: str = "The recorder ends.") -> None:
        """End, and free the port; returns when it is free. A worker that was never started has nothing to end."""
        self.stop_soon(why)
        if self._thread.ident is not None:
            self._thread.join(ENDS_WITHIN)

    def stop_soon(self, why: str = "The recorder ends.") -> None:
        """End, and free the port, without waiting for it."""

        def order() -> None:
            self._stopping = True
            self._part(why, "released")

        self._order(order)

    def snapshot(self) -> None:
        """Put the reader's state into the journal: a tape begins here."""
        self._order(self._start_state)

    def release(self) -> None:
        """Give the port up until `take_back`."""
        why = "The port was released for another program. Take it back to go on."

        def order() -> None:
            self.released = True
            self._give_up(why, "released")

        self._order(order)

    def lend(self) -> None:
        """Give the port up for a search, until `give_back`."""

        def order() -> None:
            self._lent = True
            self._give_up("A search has the port. It is taken back by itself.", "searching")

        self._order(order)

    def give_back(self) -> None:
        """The search has ended: open the port again, unless a person has released it meanwhile."""

        def order() -> None:
            self._lent = False

        self._order(order)

    def take_back(self) -> None:
        """Open the port again."""

        def order() -> None:
            self.released = False

        self._order(order)

    @property
    def is_open(self) -> bool:
        """Whether the port is held just now."""
        return self._link is not None

    def ask(self, answering: Answering) -> None:
        """Send a person's command between two polls; `answering` gets the answer."""

        def order() -> None:
            if self._link is None:
                answering.why, answering.done = self.sentence or "The port is not open.", True
                return
            self._answering[answering.number] = answering
            self._talk.enqueue([answering.command])

        self._order(order)

    def act(self, act: InstrumentAct) -> None:
        """Carry out a command of a set-up between two polls; `act` says what comes of it."""

        def order() -> None:
            if self._link is None or self._parting is not None:
                self.put(act.lost(self._clock.now(), self.sentence or "The port is not open."))
                return
            self._acts[act.number] = act
            self._talk.enqueue([act.command()])

        self._order(order)

    def read_once(self, instrument: str) -> None:
        """Ask an instrument's queries once, those on demand and the others."""
        self._order(lambda: self._talk.want(instrument))

    def zero(self, channel: str, amount: float, before: float) -> None:
        """From now on `amount` is taken off a channel's values."""

        def order() -> None:
            self.put(Zeroed(self._clock.now(), channel, amount, before))

        self._order(order)

    def modem_lines(self) -> ModemLines | None:
        """The modem lines as they are; None where there are none."""
        link = self._link
        return link.modem_lines() if link is not None else None

    def waiting(self) -> int:
        """Bytes that wait to be read."""
        link = self._link
        return link.waiting() if link is not None else 0

    def _order(self, order: Order) -> None:
        self._orders.append(order)
        self._attention.set()
        conversation, link = self._conversation, self._link
        if conversation is not None:
            self._loop.call(conversation)
        elif link is not None:
            link.wake()

    # ---- of the conversation, in whichever thread has it

    @property
    def called(self) -> bool:
        """Whether orders wait to be obeyed."""
        return self._attention.is_set()

    def obey(self) -> None:
        """Carry out what others have ordered."""
        self._attention.clear()
        while self._orders:
            try:
                self._orders.popleft()()
            except Exception:  # one order that fails must not end the link
                logger.exception("an order to the link %s failed", self.plan.key)

    def put(self, event: Event) -> int:
        """Feed an event, and put it with its samples into the journal; gives its number."""
        if type(event) is CommandEnded:
            self._acts.pop(event.number, None)
        batch = self._talk.feed(event)
        reader = self._talk.reader
        if reader.gatherers:
            sequence = self._journal.put(self.plan.key, event, batch, reader.take_pieces())
        else:
            sequence = self._journal.put(self.plan.key, event, batch)
        if type(event) is Sent and isinstance(event.origin, ByHand):
            answering = self._answering.get(event.origin.number)
            if answering is not None:
                answering.sequence = sequence
        return sequence

    def answered(self) -> None:
        """Answers to commands by hand are whole."""
        for number, lines in self._talk.answers:
            answering = self._answering.pop(number, None)
            if answering is not None:
                answering.lines, answering.done = lines, True
        self._talk.answers.clear()

    def begin_anew(self, why: str) -> None:
        """Nothing of before goes on."""
        self._no_answers(why)
        if self._link is not None:
            self._begin(self._link)

    # ---- the link's own thread

    def _run(self) -> None:
        attempt = 0
        if self._restarted:
            # A tape that goes on after a restart finds this reader as new as it is.
            self._say_state()
            self._lose(self._restarted, "lost")
        while True:
            self.obey()
            if self._stopping:
                break
            if self.released or self._lent:
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
            self._converse()
            if not self._stopping and not self.released and not self._lent:
                self._attention.wait(RETRY[0])
        if not self._lost_said and self._parting is not None:
            self._lose(*self._parting)

    def _open(self) -> None:
        self._link = self._open_link()
        self.trouble = self.sentence = ""
        self._lost_said, self._parting = False, None
        self._begin(self._link)

    def _begin(self, link: Link) -> None:
        """Nothing of before goes on: what is read from here on begins."""
        settings = {**self.plan.link.model_dump(), "short": self.plan.link.short}
        if link.follows is not None:
            settings["follows"] = link.follows.decode("latin-1")

        def opened() -> None:
            now = self._clock.now()
            self.put(Opened(now, settings))
            self._talk.opened(now)

        self._loop.carry_out(opened)

    def _converse(self) -> None:
        """Talk until the link is lost or given up; it is closed afterwards, whatever happened."""
        link = self._link
        assert link is not None
        conversation = Conversation(self, link, self._talk, self._journal, self._clock.now)
        try:
            if conversation.shared is not None:
                self._conversation = conversation
                self._loop.converse(conversation)
            else:
                conversation.alone()
            why, trouble = self._parting or ("", "")
        except LinkError as error:
            # Gone while it was being given up: there was nobody to say it to.
            why, trouble = self._parting or (str(error), error.trouble)
        except Exception as error:  # our own fault must not leave the port held and the link mute
            logger.exception("the link %s failed", self.plan.key)
            why, trouble = f"Tidy Bench itself failed on this link ({error!r}). It tries again.", "failed"
        self._conversation = None
        try:
            self._loop.carry_out(lambda: self._put_all(conversation.left()))
        except Exception:
            logger.exception("the last bytes of the link %s could not be read", self.plan.key)
        link.close()
        self._link = None
        self._lose(why, trouble)
        self._no_answers(self.sentence)

    def _no_answers(self, why: str) -> None:
        """No answer will come to the commands that were given."""
        for answering in self._answering.values():
            answering.why, answering.done = why, True
        self._answering.clear()
        for act in list(self._acts.values()):
            self.put(act.lost(self._clock.now(), why))

    def _lose(self, sentence: str, trouble: str) -> None:
        self.trouble, self.sentence = trouble, sentence
        if self._lost_said:
            return
        self._lost_said = True
        self._loop.carry_out(lambda: self._put_all([Lost(self._clock.now(), sentence)]))

    def _put_all(self, events: list[Event]) -> None:
        for event in events:
            self.put(event)

    def _start_state(self) -> None:
        self._say_state()
        if self._link is None:
            # A tape that begins without the link says so, and so do its channels.
            self._loop.carry_out(lambda: self._put_all([Lost(self._clock.now(), self.sentence)]))

    def _say_state(self) -> None:
        # The reader is as it is: its state is told, not fed.
        self._journal.put(self.plan.key, Start(self._clock.now(), self.reader.state()))

    def _give_up(self, why: str, trouble: str) -> None:
        if self._link is None:
            self._lost_said = False
            self._lose(why, trouble)
        else:
            self._part(why, trouble)

    def _part(self, why: str, trouble: str) -> None:
        """Release commands, and then the port is given up."""
        if self._parting is None:
            self._parting = why, trouble
        if self._link is not None:
            self._talk.part(self._clock.now())
