"""Room that is kept for what must be written even on a full disk: how a run stands, and how it ended."""

import contextlib
import os
from pathlib import Path

RESERVE = ".reserve"
SIZE = 2 * 1024 * 1024

ROOM = 4 * SIZE
"""Bytes that must be free before the reserve is laid up again."""


class Reserve:
    """A file of nothing, given up when it is needed. Only one thread may use it."""

    def __init__(self, folder: Path, size: int = SIZE) -> None:
        self._path, self._size = folder / RESERVE, size

    def give(self) -> bool:
        """Free the room; False where it was free already."""
        try:
            self._path.unlink()
        except OSError:
            return False
        return True

    def lay_up(self) -> None:
        """Keep the room again, where there is enough. Never raises."""
        try:
            if self._path.exists():
                return
            found = os.statvfs(self._path.parent)
            if found.f_bavail * found.f_frsize < ROOM + self._size:
                return
            descriptor = os.open(self._path, os.O_WRONLY | os.O_CREAT, 0o600)
            try:
                os.posix_fallocate(descriptor, 0, self._size)
            finally:
                os.close(descriptor)
        except OSError:  # none is kept then; a file system that cannot has none either
            with contextlib.suppress(OSError):
                if self._path.stat().st_size < self._size:
                    self._path.unlink()
