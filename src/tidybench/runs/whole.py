"""Files that are replaced whole: a crash leaves the old one or the new one, never half of one."""

import contextlib
import errno
import os
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from tidybench.runs.disk import Disk, Done, synced, synced_folders
from tidybench.runs.reserve import Reserve

T = TypeVar("T")


def write_whole(path: Path, text: str) -> None:
    """Write a file and wait until it is on the disk. For whoever may wait; else see WholeFile."""
    temporary = path.with_name(path.name + ".tmp")
    with open(temporary, "w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    temporary.replace(path)
    newest_of(path).unlink(missing_ok=True)
    synced_folders([path.parent])()


def sync_file(path: Path) -> None:
    """Wait until what stands in a file is on the disk. Raises OSError."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def newest_of(path: Path) -> Path:
    """Where a newer content stands until it is on the disk."""
    return path.with_name(path.name + ".new")


def read_newest(path: Path, parse: Callable[[bytes], T]) -> T:
    """The newest content that can be parsed: what was put last, or, after a power cut tore it, what was there before.
    Raises what `parse` raises (ValueError), or OSError."""
    try:
        return parse(newest_of(path).read_bytes())
    except (OSError, ValueError):
        return parse(path.read_bytes())


def adopt(path: Path, whole: Callable[[bytes], object]) -> None:
    """After a crash: a newer content that is `whole` (it raises ValueError where not) takes its place; another one goes."""
    newest = newest_of(path)
    try:
        whole(newest.read_bytes())
        newest.replace(path)
    except FileNotFoundError:
        pass
    except (OSError, ValueError):
        newest.unlink(missing_ok=True)


def complete_lines(data: bytes) -> None:
    """Raises ValueError where these are not whole lines of text."""
    if not data.endswith(b"\n") or b"\0" in data:
        raise ValueError("torn")
    data.decode("utf-8")


class WholeFile:
    """A file whose content is replaced again and again by an owner that never waits for the disk.

    `put` is safe against a kill at once: the new content stands, whole, under NAME.new. When it is on the disk too it takes
    the old one's place; a power cut before leaves the old one. Only one thread may use it, the one `disk` calls back in.
    """

    def __init__(
        self, path: Path, disk: Disk, failed: Callable[[Exception], None], reserve: Reserve | None = None
    ) -> None:
        """`failed` is told when the disk refuses what was put. `reserve`: room that is used where there is no other."""
        self.path = path
        self._disk, self._failed, self._reserve = disk, failed, reserve
        self._put = self._synced = 0
        self._syncing = False
        self._waiting: list[Done] = []

    def put(self, text: str, done: Done | None = None) -> None:
        """Replace the content. `done` is called when it is on the disk. Raises OSError where it cannot be written: the old
        content stays."""
        try:
            self._write(text)
        except OSError as error:
            if error.errno != errno.ENOSPC or self._reserve is None or not self._reserve.give():
                raise
            self._write(text)
        if not self.path.exists():
            newest_of(self.path).replace(self.path)  # nothing is lost by it
        self._put += 1
        if done is not None:
            self._waiting.append(done)
        if not self._syncing:
            self._sync()

    def _write(self, text: str) -> None:
        temporary = self.path.with_name(self.path.name + ".tmp")
        try:
            with open(temporary, "w", encoding="utf-8") as file:
                file.write(text)
            temporary.replace(newest_of(self.path))
        except OSError:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)
            raise

    @property
    def settled(self) -> bool:
        """Whether the newest content is on the disk, in its place."""
        return not self._syncing

    def _sync(self) -> None:
        newest = newest_of(self.path)
        try:
            descriptor = os.open(newest if newest.exists() else self.path, os.O_RDONLY)
        except OSError as error:
            self._finish(error)  # the folder was taken away
            return
        self._syncing, self._synced = True, self._put
        self._disk.run(synced([descriptor]), self._done)

    def _done(self, error: Exception | None) -> None:
        self._syncing = False
        if error is None and self._synced != self._put:
            self._sync()  # newer content has come meanwhile
            return
        if error is None:
            try:
                newest = newest_of(self.path)
                if newest.exists():
                    newest.replace(self.path)
                named = synced_folders([self.path.parent])
            except OSError as problem:
                error = problem
            else:
                self._syncing = True
                self._disk.run(named, self._named)
                return
        self._finish(error)

    def _named(self, error: Exception | None) -> None:
        """The name is on the disk as well as the content."""
        self._syncing = False
        if error is None and self._synced != self._put:
            self._sync()
            return
        self._finish(error)

    def _finish(self, error: Exception | None) -> None:
        if error is not None:
            self._failed(error)
        waiting, self._waiting = self._waiting, []
        for done in waiting:
            done(error)
