"""How much room there is where runs are kept."""

import contextlib
import shutil
import threading
from pathlib import Path

EVERY = 2.0
"""Seconds between two looks."""


class DiskRoom:
    """Looks now and then, in a thread of its own: a disk that hangs holds nobody up. Any thread may read the figures.

    `free_bytes`: on the file system of `folder`. `watched`: a run folder whose size is kept in sight too, as
    `watched_bytes`.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._stopping = threading.Event()
        self.free_bytes = shutil.disk_usage(folder).free
        self.watched: Path | None = None
        self.watched_bytes = 0
        threading.Thread(target=self._look, name="disk room", daemon=True).start()

    def stop(self) -> None:
        """End."""
        self._stopping.set()

    def _look(self) -> None:
        while not self._stopping.wait(EVERY):
            try:
                self.free_bytes = shutil.disk_usage(self._folder).free
            except OSError:
                self.free_bytes = 0
            watched = self.watched
            self.watched_bytes = _size_of(watched) if watched is not None else 0


def _size_of(folder: Path) -> int:
    total = 0
    for file in folder.rglob("*"):
        with contextlib.suppress(OSError):  # a segment that is being compressed just now
            total += file.stat().st_size
    return total
