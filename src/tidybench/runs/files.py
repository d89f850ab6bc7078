"""Files that only grow: appended in whole pieces, mended when a piece was torn."""

import os
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tidybench.runs.disk import Disk, Done, synced

MAX_LINE = 16 * 1024 * 1024
"""No line of a tape or CSV comes near this; the last whole one is looked for in so many bytes."""


@dataclass(slots=True, frozen=True)
class Piece:
    """A stretch of a file: from one byte to another, and its CRC-32 (as of zlib and IEEE 802.3)."""

    path: Path
    start: int
    end: int
    sum: int


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
        self._piece_from, self._piece_sum = self.size, 0

    def append(self, data: bytes | bytearray) -> None:
        """Hand `data` to the operating system, all of it or nothing."""
        view = memoryview(data)
        try:
            while view:
                view = view[os.write(self._fd, view) :]
        except OSError:
            os.ftruncate(self._fd, self.size)
            raise
        self.size += len(data)
        self._piece_sum = zlib.crc32(data, self._piece_sum)

    def piece(self) -> "Piece | None":
        """What was appended since this was last asked, with its check sum; None for nothing."""
        if self.size == self._piece_from:
            return None
        piece = Piece(self.path, self._piece_from, self.size, self._piece_sum)
        self._piece_from, self._piece_sum = self.size, 0
        return piece

    @property
    def is_there(self) -> bool:
        """Whether what is appended still goes to the file of this name."""
        try:
            found = os.stat(self.path)
        except OSError:
            return False
        mine = os.fstat(self._fd)
        return (found.st_ino, found.st_dev) == (mine.st_ino, mine.st_dev)

    def sync(self, disk: Disk, failed: Callable[[Exception], None], then: Done | None = None) -> None:
        """Have `disk` bring it to the disk; nothing waits for it. Does nothing where that is on its way. `then` is called
        when all that is there now is on the disk; not at all where it was on its way already."""
        if self._syncing:
            return
        if self._synced == self.size:
            if then is not None:
                then(None)
            return
        self._syncing, size = True, self.size

        def done(error: Exception | None) -> None:
            self._syncing = False
            if error is None:
                self._synced = size
            else:
                failed(error)
            if then is not None:
                then(error)

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
    """Cut what follows the last line end, and what follows a zero byte (a length that was kept without its bytes); gives the
    number of bytes cut. No file: 0."""
    if not path.exists():
        return 0
    total = path.stat().st_size
    start = max(0, total - MAX_LINE)
    with open(path, "rb") as file:
        file.seek(start)
        data = file.read()
    zero = data.find(b"\0")
    keep = start + data.rfind(b"\n", 0, zero if zero >= 0 else len(data)) + 1
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
