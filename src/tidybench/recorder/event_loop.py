"""One thread that serves every link with a descriptor: what is due goes out first, then what has arrived is taken."""

import contextlib
import logging
import os
import select
import sys
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future

from tidybench import logs
from tidybench.links import READ_SIZE
from tidybench.recorder import tuning
from tidybench.recorder.clock import STEP, Clock
from tidybench.recorder.conversation import FOREVER, IN, OUT, SET_BACK, Conversation
from tidybench.recorder.journal import Journal

logger = logging.getLogger(__name__)

LONG = 20_000
"""Microseconds from which on a wait need not be exact in one call."""

SOON, READ_LITTLE = 2_000, 512
"""Where something is due within so many microseconds, so many bytes are read at once: reading 4 kB takes longer than a poll may be late."""

MARGIN = 2_000
"""Microseconds that a long wait ends before its time: it counts in milliseconds."""


class EventLoop(threading.Thread):
    """Runs until `stop`. What is decided of a link is the core's (`LinkTalk`), how it is carried out the `Conversation`'s.

    Everything is done in turn, none of it waits for anything: two links delay each other by a write, or by the reading of what came at
    once. Where something else is due it goes before what has arrived.
    """

    def __init__(self, journal: Journal, clock: Clock) -> None:
        super().__init__(name="links", daemon=True)
        self._journal, self._clock = journal, clock
        self._epoll = select.epoll()
        self._wake_fd = os.eventfd(0, os.EFD_NONBLOCK | os.EFD_CLOEXEC)
        self._epoll.register(self._wake_fd, select.EPOLLIN)
        self._new: deque[Conversation] = deque()
        self._called: deque[Conversation] = deque()
        self._to_do: deque[tuple[Callable[[], None], Future[None]]] = deque()
        self._talking: dict[int, Conversation] = {}  # by descriptor
        self._all: list[Conversation] = []  # the same
        self._wants: dict[int, int] = {}  # what each descriptor is waited for
        self._stopping = False
        self._lock = threading.Lock()
        self._closed = False
        journal.when_kept = self.wake
        self.start()

    # ---- called by other threads

    def converse(self, conversation: Conversation) -> None:
        """Serve it until it is over. Raises what ended it, unless it was parted."""
        self._new.append(conversation)
        self.wake()
        conversation.over.wait()
        if conversation.failure is not None:
            raise conversation.failure

    def carry_out(self, call: Callable[[], None]) -> None:
        """Do this between two reads, and wait for it: what is stamped and put into the journal by one thread is in the order of its times.
        Raises what it raises. Any thread."""
        if threading.get_ident() == self.ident:
            call()
            return
        done: Future[None] = Future()
        self._to_do.append((call, done))
        self.wake()
        done.result()

    def call(self, conversation: Conversation) -> None:
        """Have it heed what was ordered."""
        self._called.append(conversation)
        if threading.get_ident() != self.ident:
            self.wake()

    def wake(self) -> None:
        """Have it look round."""
        with self._lock, contextlib.suppress(BlockingIOError):  # full: it wakes anyway
            if not self._closed:
                os.eventfd_write(self._wake_fd, 1)

    def stop(self) -> None:
        """End, once all conversations are over."""
        self._stopping = True
        self.wake()
        self.join(5)
        with self._lock:
            if not self._closed:
                self._closed = True
                os.close(self._wake_fd)
                self._epoll.close()

    # ---- its own thread

    def run(self) -> None:
        before = sys.getswitchinterval()
        try:
            self._run()
            sys.setswitchinterval(before)
        except BaseException:
            # Links that are mute and never say so would be the worst of all: the supervisor starts a recorder that carries on.
            logger.critical("the links' thread failed", exc_info=True)
            logs.finish()
            os._exit(70)

    def _run(self) -> None:
        tuning.ahead()
        clock, before = self._clock.now, self._clock.now()
        while not self._stopping:
            while self._new:
                self._welcome(self._new.popleft())
            while self._called:
                self._heed(self._called.popleft())
            while self._to_do:
                self._do(*self._to_do.popleft())
            now = clock()
            if now < before - STEP:  # what is due by the old time must not be waited for
                self._begin_anew()
            before = now
            late = [one for one in self._all if one.due <= now]
            for one in late:
                try:
                    one.say()
                except Exception as error:
                    self._end(one, error)
            for one in late:
                if one.over.is_set():
                    continue  # its own thread has it again
                try:
                    one.carry_on()
                except Exception as error:
                    self._end(one, error)
                else:
                    if one.parted or self._wants.get(one.descriptor) != one.wants:
                        self._after(one)
            if not self._called and not self._new and not self._to_do:
                self._hear()

    @staticmethod
    def _do(call: Callable[[], None], done: "Future[None]") -> None:
        try:
            call()
        except Exception as error:
            done.set_exception(error)
        else:
            done.set_result(None)

    def _hear(self) -> None:
        """Wait for what is due, or arrives; take what has arrived, until something is due."""
        clock, epoll = self._clock.now, self._epoll
        due = min([one.due for one in self._all], default=FOREVER)
        wait = due - clock()
        if wait > LONG:
            tuning.eager()
            ready = epoll.poll(None if due == FOREVER else (wait - MARGIN) / 1e6)
            tuning.patient()
        elif wait > 0:
            # Counts in microseconds, which waiting on the set itself does not.
            tuning.eager()
            ready = epoll.poll(0) if select.select((epoll,), (), (), wait / 1e6)[0] else []
            tuning.patient()
        else:
            ready = epoll.poll(0)
        more = False
        for descriptor, _ in ready:
            left = due - clock()
            if more and left <= 0:
                return  # what is left stays ready
            more = True
            one = self._talking.get(descriptor)
            if one is None:
                self._look_round()
                continue
            try:
                if one.wants == OUT:
                    one.carry_on()
                else:
                    one.hear(READ_SIZE if left > SOON else READ_LITTLE)
            except Exception as error:
                self._end(one, error)
            else:
                if self._wants[descriptor] != one.wants:
                    self._after(one)

    def _look_round(self) -> None:
        """Somebody has woken us."""
        with contextlib.suppress(BlockingIOError):
            os.eventfd_read(self._wake_fd)
        kept = self._journal.newest_kept
        for one in self._all:
            one.settled(kept)

    def _welcome(self, one: Conversation) -> None:
        try:
            self._epoll.register(one.descriptor, IN)
        except OSError as error:  # nothing that can be waited for
            one.failure = error
            one.over.set()
            return
        self._wants[one.descriptor] = IN
        self._talking[one.descriptor] = one
        self._all.append(one)
        if one.owner.called:
            self._heed(one)  # ordered before anybody could be called

    def _heed(self, one: Conversation) -> None:
        if one not in self._all:
            return  # over meanwhile: its own thread heeds
        try:
            one.heed()
        except Exception as error:
            self._end(one, error)
        else:
            self._after(one)

    def _begin_anew(self) -> None:
        for one in list(self._all):
            try:
                one.begin_anew(SET_BACK)
            except Exception as error:
                self._end(one, error)

    def _after(self, one: Conversation) -> None:
        """What a conversation wants now that something was done for it."""
        if one.parted:
            self._end(one, None)
        elif self._wants.get(one.descriptor, one.wants) != one.wants:
            self._wants[one.descriptor] = one.wants
            self._epoll.modify(one.descriptor, one.wants)

    def _end(self, one: Conversation, failure: Exception | None) -> None:
        if one not in self._all:
            return  # it has failed before
        self._all.remove(one)
        del self._talking[one.descriptor], self._wants[one.descriptor]
        with contextlib.suppress(OSError):
            self._epoll.unregister(one.descriptor)
        one.failure = failure
        one.over.set()
