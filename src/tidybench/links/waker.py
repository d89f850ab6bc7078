"""Waiting for bytes on a descriptor, with a pipe that ends the wait from another thread."""

import contextlib
import os
import select
import threading

LONG = 0.02
"""Seconds from which on a wait need not be exact in one call."""


class Waker:
    """Waits until a descriptor can be read, the time is over, or someone wakes it."""

    def __init__(self, fd: int) -> None:
        self._fd = fd
        self._in, self._out = os.pipe()
        os.set_blocking(self._in, False)
        os.set_blocking(self._out, False)
        self._lock = threading.Lock()
        self._closed = False
        self._watched = [fd, self._in]
        self._poll = select.poll()
        for one in self._watched:
            self._poll.register(one, select.POLLIN)

    def wait(self, timeout: float | None) -> bool:
        """Whether the descriptor has something (or has failed: its read will say so)."""
        if timeout is None or timeout > LONG:
            # Cheaper than select, but it counts in milliseconds: the last two are left to the next call.
            found = self._poll.poll(None if timeout is None else int(timeout * 1000) - 2)
            ready = [fd for fd, _ in found]
        else:
            ready = select.select(self._watched, (), (), timeout)[0]
        if not ready:
            return False
        if self._fd not in ready:
            with contextlib.suppress(BlockingIOError):
                os.read(self._in, 4096)
            return False
        return True

    def wake(self) -> None:
        """End a wait. Any thread."""
        with self._lock:
            # A closed descriptor's number may be another file's by now.
            if not self._closed:
                with contextlib.suppress(BlockingIOError):  # full: it wakes anyway
                    os.write(self._out, b"!")

    def close(self) -> bool:
        """Give the pipe up; whether this was the first time."""
        with self._lock:
            if self._closed:
                return False
            self._closed = True
            os.close(self._in)
            os.close(self._out)
            return True
