"""A file that goes on in another one when it has come to its end: the tape's segments, the CSV's files."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from tidybench.runs.disk import Disk, Done, HereAndNow, Together, synced_folders
from tidybench.runs.files import Appender, Piece


def ignored(error: Exception) -> None:
    """For whoever has no use for it."""


class ContinuedFile:
    """Appends to the newest file of a series. Only one thread may use it; it never waits for the disk."""

    def __init__(
        self, newest: Path, disk: Disk | None = None, failed: Callable[[Exception], None] = ignored
    ) -> None:
        """`failed` is told when the disk refuses."""
        self._disk, self._failed = disk or HereAndNow(), failed
        self._file = Appender(newest)
        self._pieces: list[Piece] = []  # of files that are full
        self._new_name = False

    def _go_on_in(self, path: Path) -> Appender:
        """From here on another file is appended to; gives the one before, for whoever brings it to the disk. Raises OSError,
        and has changed nothing."""
        following = Appender(path)
        full, self._file = self._file, following
        self._new_name = True
        self._pieces += [piece] if (piece := full.piece()) is not None else []
        return full

    @property
    def size(self) -> int:
        """Bytes of the file that is written."""
        return self._file.size

    @property
    def place(self) -> Path:
        """The file that is written."""
        return self._file.path

    @property
    def is_there(self) -> bool:
        """Whether what is appended still goes to the file of this name."""
        return self._file.is_there

    def pieces(self) -> list[Piece]:
        """What was appended since this was last asked."""
        newest = self._file.piece()
        found, self._pieces = [*self._pieces, *([newest] if newest is not None else [])], []
        return found

    def sync(self, then: Done | None = None) -> None:
        """Have it brought to the disk, a new file's name with it; see Appender."""
        if not self._new_name:
            self._file.sync(self._disk, self._failed, then)
            return
        both = Together(then, 2)
        self._file.sync(self._disk, self._failed, both.one)
        try:
            work = synced_folders([self.place.parent])
        except OSError as error:  # the folder was taken away
            both.one(error)
            return
        self._new_name = False
        self._disk.run(work, partial(self._named, both.one))

    def _named(self, then: Done, error: Exception | None) -> None:
        if error is not None:
            self._new_name = True
            self._failed(error)
        then(error)

    def release(self) -> int:
        """The newest file's descriptor, the caller's from here on."""
        return self._file.release()

    def close(self) -> None:
        """Close the newest file, and wait until it is on the disk."""
        self._file.close()
