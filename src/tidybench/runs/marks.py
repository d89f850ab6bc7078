"""marks.csv: the marks of a run."""

import csv
import io
import os
from collections.abc import Callable, Sequence
from pathlib import Path

from tidybench.core.values.mark import Mark
from tidybench.runs.cells import csv_cell, plain_text
from tidybench.runs.disk import Disk, synced
from tidybench.runs.files import Appender
from tidybench.runs.stamps import Stamps, parse
from tidybench.runs.whole import WholeFile, read_newest

MARKS = "marks.csv"
HEAD = "time,elapsed_s,text,by\r\n"


class MarksFile:
    """The marks of the run in progress. New ones are appended; a correction replaces the file whole. Only one thread may
    use it."""

    def __init__(self, folder: Path, begun_at: int, disk: Disk, failed: Callable[[Exception], None]) -> None:
        """Opens the file, and begins it where there is none. `failed`: told when the disk refuses."""
        self._path, self._begun, self._disk, self._failed = folder / MARKS, begun_at, disk, failed
        self._stamps = Stamps()
        self._whole = WholeFile(self._path, disk, failed)
        self.marks = read_marks(folder) if self._path.exists() else []
        self._appender: Appender | None = Appender(self._path)
        if not self._appender.size:
            self._appender.append(HEAD.encode())

    def add(self, mark: Mark) -> None:
        """One more. Raises OSError, and has it not, where it cannot be written."""
        if self._appender is not None:
            self._appender.append(self._row(mark).encode())
        else:
            self._whole.put(self._text([*self.marks, mark]), self._settled)
        self.marks.append(mark)

    def correct(self, at: int, text: str) -> str | None:
        """Another text for the mark made at `at`; gives the old one, None where there is no such mark. Raises OSError,
        and has changed nothing, where it cannot be written."""
        number = next((n for n, mark in enumerate(self.marks) if mark.at == at), None)
        if number is None:
            return None
        old = self.marks[number]
        corrected = [*self.marks[:number], Mark(old.at, text, old.by), *self.marks[number + 1 :]]
        # Until the new file is in its place, every mark goes into another whole one.
        self._whole.put(self._text(corrected), self._settled)
        self.marks = corrected
        self.close()
        return old.text

    def sync(self) -> None:
        """Have it brought to the disk."""
        if self._appender is not None:
            self._appender.sync(self._disk, self._failed)

    def close(self) -> None:
        """No mark is appended any more; what there is goes to the disk by itself."""
        appender, self._appender = self._appender, None
        if appender is not None:
            self._disk.run(
                synced([appender.release()]), lambda error: self._failed(error) if error is not None else None
            )

    def _settled(self, error: Exception | None) -> None:
        if error is None and self._whole.settled and self._appender is None and os.path.exists(self._path):
            self._appender = Appender(self._path)

    def _row(self, mark: Mark) -> str:
        elapsed = (mark.at - self._begun) / 1e6
        return f"{self._stamps.milli(mark.at)},{elapsed:.3f},{csv_cell(mark.text)},{csv_cell(mark.by)}\r\n"

    def _text(self, marks: Sequence[Mark]) -> str:
        return HEAD + "".join(map(self._row, marks))


def read_marks(folder: Path) -> list[Mark]:
    """The marks of a run; raises OSError or ValueError. A torn line is left out; a file whose head was not written yet
    has none."""
    path = folder / MARKS
    try:
        return read_newest(path, _parsed)
    except ValueError:
        if HEAD.encode().startswith(path.read_bytes()):
            return []
        raise


def _parsed(data: bytes) -> list[Mark]:
    if not data.startswith(HEAD.encode()):
        raise ValueError("marks.csv has another head")
    rows = list(csv.reader(io.StringIO(data.decode("utf-8"), newline="")))[1:]
    return [Mark(parse(row[0]), plain_text(row[2]), plain_text(row[3])) for row in rows if len(row) == 4]
