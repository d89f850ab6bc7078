"""What other threads want done by the one that owns a thing."""

import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, TypeVar

T = TypeVar("T")

PATIENCE = 30.0
"""Seconds after which whoever waits is told that it was not done."""


class Mailbox:
    """Calls that the owner's thread carries out, in the order they came. Before the owner runs, whoever calls is the owner."""

    def __init__(self, wake: Callable[[], None]) -> None:
        """`wake`: what makes the owner look."""
        self._wake = wake
        self._calls: deque[Callable[[], None]] = deque()
        self._owner: int | None = None

    def open(self) -> None:
        """The present thread is the owner from here on."""
        self._owner = threading.get_ident()

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

        if self._owner is None or self._owner == threading.get_ident():
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
            self._calls.popleft()()


def chained(done: "Future[Any]", then: Callable[[], T]) -> "Future[T]":
    """What comes of `then` once `done` is; its error where that failed."""
    following: Future[T] = Future()

    def after(finished: "Future[Any]") -> None:
        error = finished.exception()
        if error is not None:
            following.set_exception(error)
            return
        try:
            following.set_result(then())
        except BaseException as problem:
            following.set_exception(problem)

    done.add_done_callback(after)
    return following
