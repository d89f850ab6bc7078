"""Files that only grow: appended in whole pieces, mended when a piece was torn."""

import os
from collections.abc import Callable
from pathlib import Path

from tidybench.runs.disk import Disk, synced

MAX_LINE = 16 * 1024 * 1024
"""No line of a tape or CSV comes near this; the last whole one is looked for in so many bytes."""


class Appender:
    """A file that is appended to in pieces that must stay whole. Only one thread may use it.

    A piece that cannot be written whole (a full disk) is taken back, and the OSError raised.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._fd = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o644)
        self.size = os.fstat(self._fd).st_size
        self._synced = self.size
        self._syncing = False

    def append(self, data: bytes) -> None:
        """Hand `data` to the operating system, all of it or nothing."""
        view = memoryview(data)
        try:
            while view:
                view = view[os.write(self._fd, view) :]
        except OSError:
            os.ftruncate(self._fd, self.size)
            raise
        self.size += len(data)

    def sync(self, disk: Disk, failed: Callable[[Exception], None]) -> None:
        """Have `disk` bring it to the disk; nothing waits for it. Does nothing where that is on its way, or done."""
        if self._syncing or self._synced == self.size:
            return
        self._syncing, size = True, self.size

        def done(error: Exception | None) -> None:
            self._syncing = False
            if error is None:
                self._synced = size
            else:
                failed(error)

        disk.run(synced([os.dup(self._fd)]), done)

    def release(self) -> int:
        """Its descriptor, which is the caller's from here on; nothing can be appended any more."""
        fd, self._fd = self._fd, -1
        return fd

    def close(self) -> None:
        """Bring it to the disk, wait for that, and close."""
        fd = self.release()
        if fd < 0:
            return
        try:
            os.fdatasync(fd)
        finally:
            os.close(fd)


def trim_lines(path: Path) -> int:
    """Cut what follows the last line end; gives the number of bytes cut. No file: 0."""
    if not path.exists():
        return 0
    total = path.stat().st_size
    start = max(0, total - MAX_LINE)
    with open(path, "rb") as file:
        file.seek(start)
        keep = start + file.read().rfind(b"\n") + 1
    if keep < total:
        os.truncate(path, keep)
    return total - keep


def trim_records(path: Path, size: int) -> int:
    """Cut a file to whole records of `size` bytes; gives the number of bytes cut. No file: 0."""
    if not path.exists():
        return 0
    torn = path.stat().st_size % size
    if torn:
        os.truncate(path, path.stat().st_size - torn)
    return torn
