"""The tape of a run: JSON lines in numbered segments, closed ones compressed."""

import contextlib
import gzip
import os
import re
import shutil
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import IO

from tidybench.core.tape.events import Event
from tidybench.core.tape.lines import TapeError, parse_tape_line
from tidybench.runs.continued_file import ContinuedFile, ignored
from tidybench.runs.disk import Disk, synced_folders
from tidybench.runs.files import Appender

SEGMENT_SIZE = 8 * 1024 * 1024
"""Bytes of a segment: what is read again after a crash is one or two of them, some seconds."""

_SEGMENT = re.compile(r"(\d{4,})\.jsonl(\.gz)?")


class TapeWriter(ContinuedFile):
    """Appends lines to the newest segment and begins another when it is full. Only one thread may use it."""

    def __init__(
        self,
        folder: Path,
        disk: Disk | None = None,
        failed: Callable[[Exception], None] = ignored,
        segment_size: int = SEGMENT_SIZE,
        added: Callable[[bytes], None] | None = None,
    ) -> None:
        """`disk` compresses full segments; `failed` is told when it refuses. `added` is told what was appended."""
        self._folder = folder
        self._size = segment_size
        found = segments(folder)
        self._number = number_of(found[-1]) if found else 1
        if found and found[-1].suffix == ".gz":
            self._number += 1
        super().__init__(folder / f"{self._number:04d}.jsonl", disk, failed)
        self._packing = 0
        self._added = added
        self._when_packed: Callable[[], None] | None = None

    def when_packed(self, call: Callable[[], None]) -> None:
        """Call once no segment is being compressed any more; at once where none is."""
        if self._packing:
            self._when_packed = call
        else:
            call()

    def _packed(self) -> None:
        self._packing -= 1
        if not self._packing and self._when_packed is not None:
            call, self._when_packed = self._when_packed, None
            call()

    def append(self, data: bytes) -> bool:
        """Append whole lines; True when a new segment was begun first."""
        turned = self._file.size >= self._size
        if turned:
            full = self._go_on_in(self._folder / f"{self._number + 1:04d}.jsonl")
            self._number += 1
            self._compress(full)
        self._file.append(data)
        if self._added is not None:
            self._added(data)
        return turned

    def _compress(self, full: Appender) -> None:
        """A segment that is full is replaced by its gzip, which is on the disk before the segment goes."""
        written = full.release()
        source = os.open(full.path, os.O_RDONLY)
        packed = full.path.with_name(full.path.name + ".gz")
        making = packed.with_name(packed.name + ".new")
        target = os.open(making, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o644)

        def made(error: Exception | None) -> None:
            if error is not None:
                self._failed(error)
                self._packed()
                return
            try:
                making.replace(packed)
                self._disk.run(synced_folders([self._folder]), named)
            except FileNotFoundError:  # the folder was taken away
                self._packed()

        def named(error: Exception | None) -> None:
            if error is not None:
                self._failed(error)
            else:
                with contextlib.suppress(FileNotFoundError):
                    full.path.unlink()
            self._packed()

        self._packing += 1
        self._disk.run(partial(_compressed, written, source, target), made)


def _compressed(written: int, source: int, target: int) -> None:
    """Work for a disk: `source` packed into `target`. The descriptors are its own."""
    try:
        os.fdatasync(written)
        with os.fdopen(source, "rb", closefd=False) as plain, os.fdopen(target, "wb", closefd=False) as out:
            with gzip.GzipFile(fileobj=out, mode="wb", compresslevel=3, mtime=0) as packed:
                shutil.copyfileobj(plain, packed, 64 * 1024)
            out.flush()
            os.fsync(target)
    finally:
        for one in (written, source, target):
            os.close(one)


def number_of(segment: Path) -> int:
    """A segment's number."""
    return int(segment.name.partition(".")[0])


def segments(folder: Path, first: int = 1) -> list[Path]:
    """The segments of a tape in order, from number `first` on; of one that is there twice, the compressed one. A month has tens of
    thousands: names are sorted by number, and a Path is made only of those that are wanted."""
    found: dict[int, str] = {}
    try:
        names = os.listdir(folder)
    except FileNotFoundError:
        return []
    for name in names:
        if (match := _SEGMENT.fullmatch(name)) and (number := int(match[1])) >= first:
            found[number] = max(name, found.get(number, ""))  # "0001.jsonl" sorts before "0001.jsonl.gz"
    return [folder / found[number] for number in sorted(found)]


def read_tape(folder: Path, first_segment: int = 1) -> Iterator[tuple[int, str, Event]]:
    """All events of a tape in order: (sequence number, link, event).

    Raises TapeError with segment and line for a line that cannot be read.
    """
    for path in segments(folder, first_segment):
        with lines_of(path) as lines:
            for number, line in enumerate(lines, 1):
                try:
                    yield parse_tape_line(line)
                except TapeError as error:
                    raise TapeError(f"{path.name}, line {number}: {error}") from error


def first_number(segment: Path) -> int | None:
    """The sequence number of a segment's first event; None where it has none. Raises TapeError."""
    with lines_of(segment) as lines:
        line = next(lines, None)
    return parse_tape_line(line)[0] if line is not None else None


def read_kinds(folder: Path, *kinds: str, first: int = 1) -> Iterator[tuple[int, str, Event]]:
    """As `read_tape`, but events of these kinds only, which is much faster; from segment `first` on."""
    wanted = [
        f'"k":"{kind}"' for kind in kinds
    ]  # a quote within a text has a backslash before it: it is never taken for one of these
    for path in segments(folder, first):
        with lines_of(path) as lines:
            for line in lines:
                if any(one in line for one in wanted):
                    yield parse_tape_line(line)


def lines_of(path: Path) -> IO[str]:
    """A segment's lines, unpacked. Raises OSError."""
    if path.suffix == ".gz":
        return gzip.open(path, "rt", encoding="utf-8", newline="\n")
    return open(path, encoding="utf-8", newline="\n")
