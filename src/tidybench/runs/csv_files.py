"""The CSV of a run: one file, or a series of them where the row rule wants another each day or at a size.

The first has the run's CSV name; the others have that name with a number behind it, from 002 on. Each has a header of its own,
and its metadata beside it. Which file a row stands in depends on the rows alone, so that rows which are made again after a crash
come to stand where they stood.
"""

import json
import re
from collections.abc import Callable, Iterable
from pathlib import Path

from pydantic import BaseModel

from tidybench.runs.columns import header
from tidybench.runs.continued_file import ContinuedFile, ignored
from tidybench.runs.disk import Disk, synced
from tidybench.runs.files import MAX_LINE
from tidybench.runs.run_state import RunState
from tidybench.runs.sidecar import metadata
from tidybench.runs.stamps import parse

DAY = len("2026-11-27")
"""Of a row's time: ISO 8601 in local time, as it stands in the file."""


def csv_name(first: str, number: int) -> str:
    """What a run's file of this number is called; `first`: the name of number 1."""
    return first if number == 1 else f"{first.removesuffix('.csv')}_{number:03d}.csv"


def csv_files(folder: Path, first: str) -> list[Path]:
    """The files of a run's CSV that are there, in order."""
    found = {number: path for path in folder.glob("*.csv") if (number := number_of(path, first))}
    return [found[number] for number in sorted(found)]


class CsvFile(BaseModel):
    """A file of a run's CSV. `first_at`: the time of its first row, in microseconds since 1970 UTC."""

    number: int
    name: str
    bytes: int
    first_at: int | None


def files_of(folder: Path, first: str) -> list[CsvFile]:
    """The files of a run's CSV, in order; none where the folder cannot be read."""
    try:
        return [
            CsvFile(
                number=number_of(path, first),
                name=path.name,
                bytes=path.stat().st_size,
                first_at=parse(time) if (time := _first_time(path)) else None,
            )
            for path in csv_files(folder, first)
        ]
    except (OSError, ValueError):
        return []


def number_of(path: Path, first: str) -> int:
    """Which file of a run's CSV this is; 0 for none."""
    match = re.fullmatch(re.escape(first.removesuffix(".csv")) + r"(?:_(\d{3,}))?\.csv", path.name)
    return int(match[1] or 1) if match else 0


def csv_in(names: Iterable[str], first: str) -> str:
    """Which of these names is a file of the run's CSV; the first where none is."""
    return next((one for one in names if number_of(Path(one), first)), first)


def sidecar_of(csv: Path) -> Path:
    """Where the metadata of a CSV stands (Model for Tabular Data and Metadata on the Web, 5.3: `-metadata.json`)."""
    return csv.with_name(f"{csv.name}-metadata.json")


def mend_sidecars(folder: Path, state: RunState) -> None:
    """After a crash: metadata that is not whole is written again. Raises OSError."""
    for path in csv_files(folder, state.csv):
        try:
            json.loads(sidecar_of(path).read_bytes())
        except (OSError, ValueError, RecursionError):
            sidecar_of(path).write_text(metadata(state, path.name), "utf-8")


class CsvFiles(ContinuedFile):
    """Appends rows to the newest file of a run's CSV and begins another when the row rule says so. Only one thread may use
    it."""

    def __init__(
        self,
        folder: Path,
        state: RunState,
        disk: Disk | None = None,
        failed: Callable[[Exception], None] = ignored,
    ) -> None:
        there = csv_files(folder, state.csv)
        super().__init__(there[-1] if there else folder / state.csv, disk, failed)
        self._state = state
        self._number = number_of(self.place, state.csv)
        rule = state.row_rule
        self._daily, self._limit = rule.daily, round(rule.file_mb * 1e6)
        self._header = header(state.channels, rule).encode()
        self._day = _first_time(self.place)[:DAY]

    def begin(self) -> None:
        """Write the first file's header, and its metadata. Raises OSError."""
        sidecar_of(self.place).write_text(metadata(self._state, self.place.name), "utf-8")
        self._file.append(self._header)

    def append(self, rows: bytearray) -> None:
        """Append whole rows, and take from `rows` what is written. Raises OSError: what is left in `rows` then is not
        written."""
        if not self._daily and not self._limit and self.size:
            self._file.append(rows)
            rows.clear()
            return
        while rows:
            end = self._fitting(rows)
            if not end:
                self._turn()
                continue
            first = rows[:DAY].decode()
            self._file.append((b"" if self.size else self._header) + rows[:end])
            self._day = self._day or first
            del rows[:end]

    def _fitting(self, rows: bytearray) -> int:
        """Bytes of the rows that still belong to the file that is written. Its first row always does, and one that was measured
        on an earlier day than the file's first."""
        size, day, end = self.size or len(self._header), self._day.encode(), 0
        while end < len(rows):
            following = rows.find(b"\n", end) + 1
            if day and self._limit and size + following > self._limit:
                break
            if day and self._daily and rows[end : end + DAY] > day:
                break
            day = day or bytes(rows[end : end + DAY])
            end = following
        return end

    def _turn(self) -> None:
        path = self.place.with_name(csv_name(self._state.csv, self._number + 1))
        sidecar_of(path).write_text(metadata(self._state, path.name), "utf-8")
        full = self._go_on_in(path)
        self._number, self._day = self._number + 1, ""
        self._disk.run(synced([full.release()]), self._saved)

    def _saved(self, error: Exception | None) -> None:
        if error is not None:
            self._failed(error)


def _first_time(path: Path) -> str:
    """The time of a file's first row; "" where it has no whole row."""
    with open(path, "rb") as file:
        file.readline(MAX_LINE)
        row = file.readline(MAX_LINE)  # after a power cut it may be a stretch of zeros without an end
    return row.split(b",", 1)[0].decode("ascii", "replace") if row.endswith(b"\n") else ""
