"""What goes on over one open link: what is due is said, what comes is heard. What happens next is decided by the core (`LinkTalk`)."""

import select
import threading
import time
from collections.abc import Callable, Sequence
from typing import Protocol

from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.tape.events import CommandGiven, Event, Sent
from tidybench.links import READ_SIZE, WRITE_PATIENCE, BegunAnew, Link
from tidybench.recorder.clock import STEP
from tidybench.recorder.journal import Journal

BREATH = 4_000
"""Microseconds a link is left to gather bytes while its wire is full (`core.exchange.gathering`)."""

KEPT_WITHIN = 250_000
"""Microseconds that a command waits until it stands on the tape of the run that is on."""

FOREVER = 1 << 62
"""A time that never comes."""

IN, OUT = select.EPOLLIN, select.EPOLLOUT

SET_BACK = "The clock was set back meanwhile."


class Conversing(Protocol):
    """Whose link it is."""

    @property
    def called(self) -> bool:
        """Whether orders wait to be obeyed."""

    def obey(self) -> None:
        """Carry out what others have ordered."""

    def put(self, event: Event) -> int:
        """Feed an event, and put it with its samples into the journal; gives its number."""

    def answered(self) -> None:
        """Answers to commands by hand are whole."""

    def begin_anew(self, why: str) -> None:
        """Nothing of before goes on."""


class Conversation:
    """One link's, while it is open. One thread at a time: that of an `EventLoop`, which calls what it is time for, or the link's own
    (`alone`).

    `shared`: the link, where it can be served together with others; `descriptor` is its. `due`: when it wants to be looked at if nothing
    arrives before. `wants`: what its descriptor is waited for (`IN`, `OUT`, 0 for nothing). `parted`: the link may be closed. `over`:
    nothing more is done with it; `failure`: why, None where it was given up.
    """

    def __init__(
        self, owner: Conversing, link: Link, talk: LinkTalk, journal: Journal, clock: Callable[[], int]
    ) -> None:
        self.owner = owner
        self.shared = link.shared()
        self.descriptor = -1 if self.shared is None else self.shared.descriptor
        self.due, self.wants, self.parted = 0, IN, False
        self.over = threading.Event()
        self.failure: Exception | None = None
        self._link, self._talk, self._journal, self._clock = link, talk, journal, clock
        self._put = owner.put
        self._said: Sequence[Event] = ()  # and is not in the journal yet
        self._settling = 0  # the number of what must stand on the tape before the last of them goes out
        self._unsent = b""  # of the last of them
        self._until = 0  # when neither is waited for any longer
        self._rest_until = 0  # 0 where it does not rest

    # ---- what an event loop calls

    def say(self) -> None:
        """What is due goes out. It is put into the journal by `carry_on`: others whose time has come need not wait for that."""
        if self._said:
            return
        said = self._talk.speak(self._clock())
        if not said:
            return
        self._said = said
        last = said[-1]
        if type(last) is not Sent:
            return
        if len(said) > 1 and any(type(event) is CommandGiven for event in said):
            self._give(said[:-1], last)
        else:
            self._send(last.data)

    def carry_on(self) -> None:
        """After `say`: what was said is put into the journal. Where something was waited for and has not come, that is said too."""
        talk, said = self._talk, self._said
        if said:
            if self._unsent and not self._is_sent():
                return
            if self._settling and not self._is_settled():
                self._end_rest()
                return
            if self._unsent:  # of what has just been settled
                self._look_ahead()
                return
            self._said = ()
            for event in said:
                self._put(event)
        if talk.parted:
            self.parted = True
            return
        due, now = talk.deadline(), self._clock()
        if self._rest_until:
            self._end_rest()
        elif due is None or due > now:
            self.due = FOREVER if due is None else due
            return
        if due is not None and due <= now:
            # Only what was listened to can be said to be silent.
            self._listen()
            self._stop_waiting()
        self._look_ahead()

    def hear(self, most: int = READ_SIZE) -> None:
        """Its descriptor is ready: what has arrived is taken, at most so many bytes."""
        if not self._unsent:  # an answer must not come before what it answers
            assert self.shared is not None
            self._took(self.shared.take(most))

    def heed(self) -> None:
        """Carry out what others have ordered."""
        self._flush()
        self.owner.obey()
        self._look_ahead()

    def settled(self, kept: int) -> bool:
        """All up to this number stands on the tape: whether that was waited for."""
        if not self._settling or kept < self._settling:
            return False
        self.due = 0
        return True

    def begin_anew(self, why: str) -> None:
        """Nothing of before goes on."""
        if self._settling:
            self._settling, self._said = 0, ()  # it has not gone out, and will not
        said, self._said = self._said, ()
        for event in said:
            self._put(event)
        self._flush()
        self.owner.begin_anew(why)
        self._look_ahead()

    def left(self) -> list[Event]:
        """What it has still to put into the journal after it has failed. What was to be sent did not go out whole."""
        return [*(event for event in self._said if type(event) is not Sent), *self._talk.flush()]

    # ---- the link's own thread

    def alone(self) -> None:
        """Wait, hear, say; until the port may be closed. Raises LinkError when the link is gone."""
        link, talk, clock = self._link, self._talk, self._clock
        before = clock()
        while True:
            now = clock()
            if now < before - STEP:
                self.begin_anew(SET_BACK)
            before = now
            if self.owner.called:
                self.heed()
            due = talk.deadline()
            if due is not None and due <= now and talk.may_speak:
                for event in talk.speak(now):
                    if type(event) is Sent:
                        link.write(event.data)
                    sequence = self._put(event)
                    if type(event) is CommandGiven:
                        self._journal.settle(sequence, KEPT_WITHIN / 1e6)
                if talk.parted:
                    return
                due, now = talk.deadline(), clock()
            late = due is not None and due <= now
            try:
                data = link.read(None if due is None else 0 if late else (due - now) / 1e6)
            except BegunAnew:
                self.begin_anew("The port was opened again.")
                continue
            if data:
                for received in talk.received(data, clock()):
                    self._put(received)
                if talk.gathering.may_rest(len(data)):
                    time.sleep(BREATH / 1e6)
            if late or not data:
                self._stop_waiting()

    # ---- inside

    def _listen(self) -> None:
        """Has anything arrived?"""
        self._took(self._link.read(0))

    def _took(self, data: bytes) -> None:
        talk = self._talk
        if data:
            for event in talk.received(data, self._clock()):
                self._put(event)
            if talk.gathering.may_rest(len(data)):
                self._rest()
        self._look_ahead()

    def _flush(self) -> None:
        for event in self._talk.flush():
            self._put(event)

    def _stop_waiting(self) -> None:
        for event in self._talk.stop_waiting(self._clock()):
            self._put(event)
        if self._talk.answers:
            self.owner.answered()

    def _look_ahead(self) -> None:
        """When it wants to be looked at next, and for what."""
        if self._settling or self._unsent:
            self.due = self._until
        else:
            due = self._talk.deadline()
            self.due = FOREVER if due is None else due
        if self._rest_until and self._rest_until < self.due:
            self.due = self._rest_until
        self.wants = OUT if self._unsent else 0 if self._rest_until else IN

    def _rest(self) -> None:
        """Let the wire fill. All that rest do so until the same times: one wake-up serves them all."""
        self._rest_until = (self._clock() // BREATH + 1) * BREATH

    def _end_rest(self) -> None:
        if self._rest_until and self._clock() >= self._rest_until:
            self._rest_until = 0
            self._listen()

    def _give(self, before: Sequence[Event], last: Sent) -> None:
        """What acts stands on the tape before it goes out. A disk that hangs must not hold up a safe state."""
        for event in before:
            number = self._put(event)
            if type(event) is CommandGiven:
                self._settling = number
        self._said = [last]
        self._until = self._clock() + KEPT_WITHIN
        self._journal.hasten(self._settling)

    def _is_settled(self) -> bool:
        if self._journal.newest_kept < self._settling and self._clock() < self._until:
            self._look_ahead()
            return False
        self._settling = 0
        last = self._said[-1]
        assert type(last) is Sent
        self._send(last.data)
        return True

    def _send(self, data: bytes) -> None:
        assert self.shared is not None
        self._unsent = self.shared.send(data)
        if self._unsent:
            self._until = self._clock() + round(WRITE_PATIENCE * 1e6)

    def _is_sent(self) -> bool:
        assert self.shared is not None
        self._unsent = self.shared.send(self._unsent)
        if self._unsent and self._clock() >= self._until:
            raise self.shared.stuck()
        self._look_ahead()
        return not self._unsent
