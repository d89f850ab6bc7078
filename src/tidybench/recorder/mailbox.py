"""What other threads want done by the one that owns a thing."""

import logging
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from typing import TypeVar

T = TypeVar("T")

logger = logging.getLogger(__name__)

PATIENCE = 30.0
"""Seconds after which whoever waits is told that it was not done."""


class Mailbox:
    """Calls that the owner's thread carries out, in the order they came. Before `begin`, whoever calls is the owner."""

    def __init__(self, wake: Callable[[], None]) -> None:
        """`wake`: what makes the owner look."""
        self._wake = wake
        self._calls: deque[Callable[[], None]] = deque()
        self._begun = False
        self._owner: int | None = None

    def begin(self) -> None:
        """A thread that will `open` it is about to run: from here on nobody else is the owner."""
        self._begun = True

    def open(self) -> None:
        """The present thread is the owner from here on."""
        self._owner, self._begun = threading.get_ident(), True

    def post(self, call: Callable[[], None]) -> None:
        """Have something done; nobody waits for it. Any thread."""
        self._calls.append(call)
        self._wake()

    def send(self, call: Callable[[], T]) -> "Future[T]":
        """Have something done, and be told what came of it. Any thread."""
        done: Future[T] = Future()

        def carry_out() -> None:
            try:
                done.set_result(call())
            except BaseException as error:
                done.set_exception(error)

        if not self._begun or self._owner == threading.get_ident():
            carry_out()
        else:
            self.post(carry_out)
        return done

    def ask(self, call: Callable[[], T], patience: float = PATIENCE) -> T:
        """Have something done, and wait for it. Raises what it raises. Any thread."""
        return self.send(call).result(patience)

    def carry_out(self) -> None:
        """Do what is wanted. The owner alone."""
        while self._calls:
            try:
                self._calls.popleft()()
            except Exception:  # whoever called fails by himself; the owner goes on
                logger.exception("a call in the mailbox failed")
