"""A text file as a link: one that is still being written is followed, a finished one is played back."""

import os
import stat
import threading
import time
from collections import deque

from tidybench.core.pace import time_at_head
from tidybench.core.setup import FilePart
from tidybench.links.link import BegunAnew, LinkError, ModemLines

LOOK_EVERY = 0.05
PIECE = 4096

TAIL = 64
"""Bytes before the place that was read to: as long as they are the same, the file is the same."""

ROTATING = 2.0
"""Seconds that a file may be missing while another takes its place."""


class FileLink:
    """Reads a regular file. Nothing can be sent to it."""

    def __init__(self, settings: FilePart) -> None:
        self._settings = settings
        path = self._path = os.path.expanduser(settings.path)
        try:
            found = os.stat(path)
            if not stat.S_ISREG(found.st_mode):
                raise LinkError("settings", f"{path} is no file that could be followed.")
            self._file = open(path, "rb", buffering=0)  # noqa: SIM115 - closed in `close`
        except FileNotFoundError as error:
            raise LinkError(
                "missing", f"There is no file {path}. It is read as soon as it is there."
            ) from error
        except PermissionError as error:
            raise LinkError(
                "forbidden", f"You may not read {path}. Ask its owner, or: sudo chmod a+r {path}"
            ) from error
        except OSError as error:
            raise LinkError("settings", f"{path} cannot be read: {error.strerror}.") from error
        self._place = self._file.seek(0, os.SEEK_END) if settings.begin == "at its end" else 0
        self._tail = os.pread(self._file.fileno(), TAIL, max(0, self._place - TAIL))[: self._place]
        self.follows: bytes | None = self._tail
        self._inode = found.st_ino
        self._anew = False
        self._gone_since: float | None = None
        self._woken = threading.Event()
        self._rest = b""
        self._lines: deque[bytes] = deque()
        self._due = time.monotonic()
        self._last_head: float | None = None

    def shared(self) -> None:
        """Nothing one could wait on together with others."""

    def read(self, timeout: float | None) -> bytes:
        until = None if timeout is None else time.monotonic() + timeout
        while True:
            data = self._take()
            if data:
                return data
            now = time.monotonic()
            wait = LOOK_EVERY if until is None else min(LOOK_EVERY, until - now)
            if self._lines:
                wait = min(wait, self._due - now)
            if until is not None and now >= until:
                return b""
            if self._woken.wait(max(wait, 0.0)):
                self._woken.clear()
                return b""

    def _take(self) -> bytes:
        """The bytes that are due now. Raises BegunAnew once all of the old file has been given."""
        if self._anew and not self._lines:
            rest, self._rest = self._rest, b""
            if rest:
                return rest
            self._anew = False
            raise BegunAnew
        if self._settings.pace == "at once":
            return self._grown()
        if not self._lines:
            *lines, self._rest = (self._rest + self._grown()).split(b"\n")
            self._lines.extend(line + b"\n" for line in lines)
            if not self._lines:
                return b""
            self._schedule()
        if time.monotonic() < self._due:
            return b""
        line = self._lines.popleft()
        if self._lines:
            self._schedule()
        return line

    def _schedule(self) -> None:
        """When the next line is due: so much later than the last as its own time says, or the pace."""
        pace = self._settings.pace
        if isinstance(pace, float):
            self._due = max(self._due + 1 / pace, time.monotonic() - 1)
            return
        head = time_at_head(self._lines[0])
        if head is not None:
            if self._last_head is not None and head > self._last_head:
                self._due += head - self._last_head
            else:
                self._due = max(self._due, time.monotonic())
            self._last_head = head

    def _grown(self) -> bytes:
        if self._anew:
            return b""
        try:
            descriptor = self._file.fileno()
            if os.pread(descriptor, len(self._tail), self._place - len(self._tail)) != self._tail:
                self._begin_anew()  # written over in its place
                return b""
            data = os.pread(descriptor, PIECE, self._place)
            if data:
                self._place += len(data)
                self._tail = (self._tail + data)[-TAIL:]
                return data
            if os.stat(self._path).st_ino != self._inode:
                self._begin_anew()  # another file under its name, as loggers do at midnight
            self._gone_since = None
        except FileNotFoundError as error:
            self._gone_since = self._gone_since or time.monotonic()
            if time.monotonic() - self._gone_since > ROTATING:
                raise LinkError("lost", f"{self._path} is gone: {error.strerror}.") from error
        except OSError as error:
            raise LinkError("lost", f"{self._path} is gone: {error.strerror}.") from error
        return b""

    def _begin_anew(self) -> None:
        fresh = open(self._path, "rb", buffering=0)  # noqa: SIM115 - closed in `close`
        self._file.close()
        self._file = fresh
        self._inode = os.fstat(fresh.fileno()).st_ino
        self._place, self._tail, self.follows = 0, b"", b""
        self._anew = True

    def write(self, data: bytes) -> None:
        """A file takes no commands: what is sent is on the tape and goes nowhere."""

    def waiting(self) -> int:
        return 0

    def modem_lines(self) -> ModemLines | None:
        return None

    def wake(self) -> None:
        self._woken.set()

    def close(self) -> None:
        self._file.close()
