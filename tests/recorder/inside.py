"""A recorder inside the test's process, so that its disk can be made to hang or to be full."""

import errno
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from tidybench.recorder.recorder import Recorder
from tidybench.runs.log import RunLog
from tidybench.runs.whole import WholeFile
from tidybench.wire.places import Places
from tidybench.wire.protocol import Answer, Request


class Inside:
    """A running recorder and what it answers."""

    def __init__(self, places: Places) -> None:
        self.recorder = Recorder(places, carry_on=False)
        self.recorder.start()

    def ask(self, request: Request) -> Answer:
        """The answer, without the socket; one that is to come is waited for."""
        answer, _ = self.recorder.service.answer(request.model_dump_json().encode())
        return answer if isinstance(answer, Answer) else answer.result(20)

    @property
    def log(self) -> RunLog:
        log = self.recorder.writer.run_in_progress.log
        assert log is not None
        return log


@contextmanager
def inside(places: Places) -> Iterator[Inside]:
    made = Inside(places)
    try:
        yield made
    finally:
        made.recorder.stop()


class HungDisk:
    """No fsync returns until `let_go`."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self._released = threading.Event()
        self.waiting = 0
        real = os.fdatasync

        def hang(fd: int) -> None:
            self.waiting += 1
            assert self._released.wait(60)
            real(fd)

        def never(fd: int) -> None:
            raise AssertionError("os.fsync in a thread that polls or flushes depend on")

        monkeypatch.setattr(os, "fdatasync", hang)
        monkeypatch.setattr(os, "fsync", never)

    def let_go(self) -> None:
        self._released.set()


@contextmanager
def full_disk(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Nothing can be put whole."""

    def full(self: WholeFile, text: str, done: object = None) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    with monkeypatch.context() as patch:
        patch.setattr(WholeFile, "put", full)
        yield
