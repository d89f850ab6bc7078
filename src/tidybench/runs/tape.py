"""The tape of a run: JSON lines in numbered segments, closed ones compressed."""

import gzip
import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from tidybench.core.events import Event, TapeError, parse_tape_line
from tidybench.runs.files import Appender

SEGMENT_SIZE = 64 * 1024 * 1024


class TapeWriter:
    """Appends lines to the newest segment and begins another when it is full."""

    def __init__(self, folder: Path, segment_size: int = SEGMENT_SIZE) -> None:
        self._folder = folder
        self._size = segment_size
        found = segments(folder)
        self._number = int(found[-1].name[:4]) if found else 1
        if found and found[-1].suffix == ".gz":
            self._number += 1
        self._file = Appender(folder / f"{self._number:04d}.jsonl")

    def append(self, data: bytes) -> bool:
        """Append whole lines; True when a new segment was begun first."""
        turned = self._file.size >= self._size
        if turned:
            full = self._file
            self._number += 1
            self._file = Appender(self._folder / f"{self._number:04d}.jsonl")
            full.close()
            threading.Thread(target=compress, args=(full.path,), name="tape compression", daemon=True).start()
        self._file.append(data)
        return turned

    def sync(self) -> None:
        """Bring it to the disk."""
        self._file.sync()

    def close(self) -> None:
        """Close the newest segment."""
        self._file.close()


def compress(path: Path) -> None:
    """Replace a closed segment by its gzip; a crash leaves one of them whole."""
    packed = path.with_name(path.name + ".gz")
    temporary = path.with_name(path.name + ".gz.new")
    with open(path, "rb") as source, gzip.open(temporary, "wb", compresslevel=3) as target:
        shutil.copyfileobj(source, target, 64 * 1024)
    temporary.replace(packed)
    path.unlink()


def segments(folder: Path) -> list[Path]:
    """The segments of a tape in order; of one that is there twice, the compressed one."""
    found: dict[str, Path] = {}
    for path in sorted(folder.glob("[0-9][0-9][0-9][0-9].jsonl*")):
        if path.suffix in (".jsonl", ".gz"):
            found[path.name[:4]] = path
    return [found[key] for key in sorted(found)]


def read_tape(folder: Path, first_segment: int = 1) -> Iterator[tuple[int, str, Event]]:
    """All events of a tape in order: (sequence number, link, event).

    Raises TapeError with segment and line for a line that cannot be read.
    """
    for path in segments(folder):
        if int(path.name[:4]) < first_segment:
            continue
        with _lines_of(path) as lines:
            for number, line in enumerate(lines, 1):
                try:
                    yield parse_tape_line(line)
                except TapeError as error:
                    raise TapeError(f"{path.name}, line {number}: {error}") from error


def _lines_of(path: Path) -> IO[str]:
    if path.suffix == ".gz":
        return gzip.open(path, "rt", encoding="utf-8", newline="\n")
    return open(path, encoding="utf-8", newline="\n")
