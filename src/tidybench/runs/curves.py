"""The curves of a run: a CSV each in its folder `curves`, with CSV on the Web metadata and how it stands."""

import contextlib
import csv
import json
import math
from collections import deque
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt

from tidybench.core.quality import Quality
from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.core.values.figure import figure
from tidybench.runs.cells import csv_cell, safe_text
from tidybench.runs.disk import Disk, HereAndNow
from tidybench.runs.files import Appender, trim_lines
from tidybench.runs.whole import WholeFile, adopt, newest_of, read_newest, write_whole

CURVES = "curves"
MOST = 9999
"""Curves of one run."""

_CODES = {int(one): one.code for one in Quality}


def curve_file(folder: Path, curve: Curve) -> Path:
    """Where the rows of a curve stand in a run's folder."""
    from tidybench.runs.folder import slug  # which imports much

    return folder / CURVES / f"{curve.number:03d}-{slug(curve.name)}.csv"


def state_file(path: Path) -> Path:
    """How the curve of this CSV stands."""
    return path.with_suffix(".json")


def sidecar_file(path: Path) -> Path:
    """The metadata of this CSV (Metadata Vocabulary for Tabular Data, 2015, 5.3)."""
    return path.with_name(f"{path.name}-metadata.json")


def head(columns: Sequence[CurveColumn]) -> str:
    """The first line of its CSV."""
    return ",".join(csv_cell(one) for one in [*(c.title for c in columns), "flags"]) + "\r\n"


def rows_text(
    columns: Sequence[CurveColumn], values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]
) -> str:
    """Rows of its CSV. A cell is empty where nothing was measured; `flags` says why."""
    lines = []
    cells = [[figure(v) if math.isfinite(v) else "" for v in column] for column in values]
    if not any(any(marks) for marks in qualities):
        return "".join(f"{','.join(row)},\r\n" for row in zip(*cells, strict=True))
    for n, row in enumerate(zip(*cells, strict=True)):
        flags = [
            f"{c.name}={_CODES[marks[n]]}" for c, marks in zip(columns, qualities, strict=True) if marks[n]
        ]
        lines.append(f"{','.join(row)},{csv_cell('; '.join(flags)) if flags else ''}\r\n")
    return "".join(lines)


def metadata(curve: Curve, name: str) -> str:
    """The sidecar: W3C CSV on the Web metadata (Tabular Data Model, 2015)."""
    columns: list[dict[str, object]] = [
        {
            "titles": safe_text(one.title),
            "datatype": "double",
            **({"schema:unitText": one.unit} if one.unit else {}),
            **({"dc:description": "drawn over a logarithmic axis"} if one.scale == "logarithmic" else {}),
        }
        for one in curve.columns
    ]
    columns.append({"titles": "flags", "datatype": "string"})
    table = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
        "url": name,
        "dc:title": curve.name,
        "schema:measurementTechnique": curve.instrument_name or curve.source,
        "dialect": {"encoding": "utf-8", "lineTerminators": ["\r\n"], "header": True, "quoteChar": '"'},
        "tableSchema": {"columns": columns},
    }
    return json.dumps(table, indent=1, ensure_ascii=False)


class CurvesFiles:
    """The curves of the run in progress. Only one thread may use it. On a full disk all waits, in order, and follows by itself. Nothing is
    there before the first curve."""

    def __init__(
        self, folder: Path, disk: Disk, failed: Callable[[Exception], None], said: Callable[[str], None]
    ) -> None:
        """`failed`: told when the disk refuses. `said`: what is in the way now, "" for nothing."""
        self._folder, self._disk, self._failed, self._said = folder, disk, failed, said
        there = [path.name.partition("-")[0] for path in (folder / CURVES).glob("*.csv")]
        self._number = max((int(one) for one in there if one.isdecimal()), default=0)
        self._open: dict[int, Curve] = {}
        self._files: dict[int, Appender] = {}
        self._states: dict[int, WholeFile] = {}
        self._waiting: deque[Callable[[], None]] = deque()

    def begin(self, curve: Curve) -> int | None:
        """A curve begins; gives its number in the run, None where it has too many already."""
        if self._number >= MOST:
            return None
        self._number += 1
        number = self._number
        kept = curve.model_copy(update={"number": number, "rows": 0})
        self._open[number] = kept
        self._later(lambda: self._begin(kept))
        return number

    def _begin(self, curve: Curve) -> None:
        path = curve_file(self._folder, curve)
        path.parent.mkdir(exist_ok=True)
        sidecar_file(path).write_text(metadata(curve, path.name), "utf-8")
        appender = Appender(path)
        if not appender.size:
            appender.append(head(curve.columns).encode())
        self._files[curve.number] = appender
        self._states[curve.number] = WholeFile(state_file(path), self._disk, self._failed)
        self._states[curve.number].put(curve.model_dump_json(indent=1))

    def add(self, number: int, values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]) -> None:
        """Rows of the curve that has this number."""
        curve = self._open.get(number)
        if curve is None or not values or not values[0]:
            return
        self._open[number] = curve.model_copy(update={"rows": curve.rows + len(values[0])})
        text = rows_text(curve.columns, values, qualities).encode()
        self._later(lambda: self._files[number].append(text))

    def end(self, curve: Curve, number: int) -> None:
        """It has ended, as `curve` says; told once more, something came after it."""
        mine = self._open.get(number)
        rows = mine.rows if mine is not None else curve.rows
        told = curve.model_copy(update={"number": number, "rows": rows})
        self._open.pop(number, None)
        self._later(lambda: self._end(told))

    def _end(self, curve: Curve) -> None:
        appender = self._files.pop(curve.number, None)
        if appender is not None:
            appender.sync(self._disk, self._failed)
            appender.close()
        state = self._states.get(curve.number)
        if state is not None:
            state.put(curve.model_dump_json(indent=1))

    def _later(self, work: Callable[[], None]) -> None:
        self._waiting.append(work)
        self.follow()

    def follow(self) -> None:
        """Write what waits, in order."""
        while self._waiting:
            try:
                self._waiting[0]()
            except OSError as error:
                self._said(
                    f"The curves cannot be written: {error.strerror}. They wait, and follow by themselves; the tape has them."
                )
                return
            self._waiting.popleft()
            self._said("")

    def sync(self) -> None:
        """Have what is there brought to the disk; what waits is tried again."""
        self.follow()
        for appender in self._files.values():
            appender.sync(self._disk, self._failed)

    def close(self, why: str, at: int) -> None:
        """The run ends, or is left: those in progress are so no more, for the reason `why`."""
        for number, curve in list(self._open.items()):
            self.end(curve.model_copy(update={"state": "interrupted", "why": why, "ended_at": at}), number)
        self._waiting.clear()
        for state in self._states.values():
            # The seal is over what stands in its place, not over what takes it a moment later.
            with contextlib.suppress(OSError):
                newest_of(state.path).replace(state.path)


def curve_text(curve: Curve, values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]) -> str:
    """All of its CSV."""
    return head(curve.columns) + rows_text(curve.columns, values, qualities)


def write_curve(
    folder: Path, curve: Curve, values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]
) -> None:
    """A curve that is there as a whole. Raises OSError."""
    path = curve_file(folder, curve)
    path.parent.mkdir(exist_ok=True)
    sidecar_file(path).write_text(metadata(curve, path.name), "utf-8")
    path.write_text(curve_text(curve, values, qualities), "utf-8", newline="")
    write_whole(state_file(path), curve.model_dump_json(indent=1))


def run_curves(folder: Path) -> list[Curve]:
    """The curves in a run's folder, in their order, without their rows. What cannot be read is left out."""
    found = []
    for path in sorted((folder / CURVES).glob("*.csv")):
        try:
            found.append(read_newest(state_file(path), Curve.model_validate_json))
        except (OSError, ValueError):
            continue
    return sorted(found, key=lambda one: one.number)


def read_rows(folder: Path, curve: Curve) -> npt.NDArray[np.float64]:
    """The rows of a curve as the CSV has them, a column each: shape (columns, rows), NaN where nothing was measured. Raises OSError, and
    ValueError where the file is no such CSV."""
    path, count = curve_file(folder, curve), len(curve.columns)
    with open(path, newline="", encoding="utf-8") as file:
        reader = csv.reader(file)
        first = next(reader, [])
        if len(first) != count + 1:
            raise ValueError(f"{path.name} has other columns than its curve.")
        rows = [
            [float(cell) if cell else math.nan for cell in row[:count]]
            for row in reader
            if len(row) == count + 1
        ]
    return np.array(rows, np.float64).reshape(-1, count).T


def mend_curves(folder: Path, at: int) -> list[str]:
    """After a crash: curves that were in progress are so no more; gives what was done, in sentences. `at`: when the run was logged last."""
    repairs = []
    for path in sorted((folder / CURVES).glob("*.csv")):
        adopt(state_file(path), Curve.model_validate_json)
        torn = trim_lines(path)
        try:
            curve = Curve.model_validate_json(state_file(path).read_bytes())
        except (OSError, ValueError):
            continue
        if torn:
            repairs.append(f"{path.name}: its last row was torn, {torn} bytes were cut.")
        if curve.state != "in progress":
            continue
        rows = max(0, path.read_bytes().count(b"\n") - 1)
        closed = curve.model_copy(
            update={
                "state": "interrupted",
                "why": "Tidy Bench stopped meanwhile",
                "rows": rows,
                "ended_at": max(at, curve.begun_at),
            }
        )
        state = WholeFile(state_file(path), HereAndNow(), lambda error: None)
        state.put(closed.model_dump_json(indent=1))
        repairs.append(f"{curve.name} was in progress: it has the {rows} rows that came.")
    return repairs
