"""Who waits for the disk.

Whoever writes run folders never waits for one: what must be durable is handed to a `Disk` as work on descriptors, and the
outcome comes back to the owner's thread.
"""

import contextlib
import os
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Protocol

Done = Callable[[Exception | None], None]
"""Called with what went wrong, None for nothing."""


class Disk(Protocol):
    """Carries out work that may take its time."""

    def run(self, work: Callable[[], None], done: Done) -> None:
        """Do `work`, in any thread; then call `done` in the owner's. `work` touches nothing but what it was handed."""


class HereAndNow:
    """A disk that is waited for: for tools, and what happens before anything is logged."""

    def run(self, work: Callable[[], None], done: Done) -> None:
        try:
            work()
        except Exception as error:
            done(error)
        else:
            done(None)


def synced(descriptors: Sequence[int]) -> Callable[[], None]:
    """Work that brings these to the disk and closes them. They are the work's own: duplicates."""

    def work() -> None:
        refused: OSError | None = None
        for one in descriptors:
            try:
                os.fdatasync(one)
            except OSError as error:  # the others are brought to the disk all the same
                refused = refused or error
            with contextlib.suppress(OSError):
                os.close(one)
        if refused is not None:
            raise refused

    return work


def synced_folders(folders: Iterable[Path]) -> Callable[[], None]:
    """Work that brings to the disk which files stand in these folders. Raises OSError where one cannot be opened."""
    return synced([os.open(folder, os.O_RDONLY | os.O_DIRECTORY) for folder in folders])


class Together:
    """Several pieces of work, and one who waits for all of them."""

    def __init__(self, done: Done | None, count: int) -> None:
        self._done, self._left = done, count
        self._error: Exception | None = None

    def one(self, error: Exception | None) -> None:
        """One of them is done; the last one tells, with the first error."""
        self._error = self._error or error
        self._left -= 1
        if not self._left and self._done is not None:
            self._done(self._error)
