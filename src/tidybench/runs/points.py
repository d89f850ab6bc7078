"""The test points of a run: points.jsonl, where every version of each stays, and points.csv, a table of the newest."""

import csv
import io
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

from pydantic import BaseModel

from tidybench.core.plan.point_order import PointRule
from tidybench.core.values.figure import figure
from tidybench.core.values.point import Point, PointMean, Quantity, newest_of
from tidybench.runs.cells import safe_text
from tidybench.runs.disk import Disk
from tidybench.runs.files import Appender
from tidybench.runs.run_state import read_state
from tidybench.runs.stamps import Stamps
from tidybench.runs.whole import WholeFile

POINTS, TABLE = "points.jsonl", "points.csv"


class PointsFile:
    """The points of the run in progress. Only one thread may use it. Nothing is there before the first point."""

    def __init__(self, folder: Path, begun_at: int, disk: Disk, failed: Callable[[Exception], None]) -> None:
        """`failed`: told when the disk refuses."""
        self._folder, self._begun, self._disk, self._failed = folder, begun_at, disk, failed
        self._table = WholeFile(folder / TABLE, disk, failed)
        self._appender: Appender | None = None
        self.points = read_points(folder)

    def add(self, point: Point) -> None:
        """One more, or another version of one. Raises OSError, and has it not, where it cannot be written."""
        if self._appender is None:
            self._appender = Appender(self._folder / POINTS)
        self._appender.append(f"{point.model_dump_json()}\n".encode())
        self.points.append(point)
        self._appender.sync(self._disk, self._failed)
        self.write_table()

    def write_table(self) -> None:
        """points.csv, as of now. Raises OSError."""
        if self.points:
            self._table.put(table(self.points, self._begun))

    def release(self) -> int:
        """Its descriptor, for whoever brings it to the disk; -1 where there is none."""
        appender, self._appender = self._appender, None
        return appender.release() if appender is not None else -1


def read_points(folder: Path) -> list[Point]:
    """All versions of all points, as they came; [] where there are none. A torn line is left out."""
    found = []
    try:
        data = (folder / POINTS).read_bytes()
    except FileNotFoundError:
        return []
    for line in data.split(b"\n"):
        try:
            found.append(Point.model_validate_json(line))
        except ValueError:
            continue
    return found


class RunPoints(BaseModel):
    """The test points of a run. `points`: the newest version of each, in order; `earlier`: what stood there before. `rule`: how its plan
    has them taken; None where it does not say."""

    rule: PointRule | None = None
    points: list[Point] = []
    earlier: list[Point] = []


def run_points(folder: Path) -> RunPoints:
    """The points of a run. Raises OSError, or ValueError where its state cannot be read."""
    every = read_points(folder)
    newest = newest_of(every)
    versions = {one.number: one.version for one in newest}
    earlier = [one for one in every if one.version < versions[one.number]]
    return RunPoints(rule=read_state(folder).points, points=newest, earlier=earlier)


def table(points: Sequence[Point], begun_at: int) -> str:
    """The newest version of every point as CSV (RFC 4180), a row each."""
    newest = newest_of(list(points))
    sets = _names(one for point in newest for one in point.sets)
    typed = _names(one for point in newest for one in point.typed)
    channels = {mean.id: mean for point in newest for mean in point.means}
    stated = {mean.id for point in newest for mean in point.means if mean.expanded is not None}
    stamps, out = Stamps(), io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    staged = any(point.stage for point in newest)
    head = ["point", "version", "time", "elapsed_s", "averaged_s", "name", "by"] + ["stage"] * staged
    head += [f"set: {name}" for name in sets] + [f"typed: {name}" for name in typed]
    for mean in channels.values():
        plain = f"{mean.name} [{mean.unit}]" if mean.unit else mean.name
        head += [
            plain,
            *(f"{mean.name} {what}" for what in ("sd", "samples", "missing", "from", "to", "verdict")),
            *([f"{mean.name} U (k = 2)"] if mean.id in stated else []),
        ]
    writer.writerow([safe_text(cell) for cell in [*head, "verdict", "steady", "gave_up", "void", "note"]])
    for point in newest:
        row = [
            str(point.number),
            str(point.version),
            stamps.milli(point.until or point.at),
            f"{((point.until or point.at) - begun_at) / 1e6:.3f}",
            f"{(point.until - point.since) / 1e6:.3f}" if point.until else "",
            safe_text(point.name),
            safe_text(point.by),
            *([point.stage] * staged),
        ]
        row += [_cell(point.sets, name) for name in sets] + [_cell(point.typed, name) for name in typed]
        own = {mean.id: mean for mean in point.means}
        for key in channels:
            row += _of_channel(own.get(key))
            row += (
                [_figure(one.expanded) if (one := own.get(key)) is not None else ""] if key in stated else []
            )
        row += [point.verdict, "yes" if point.steady else "no", safe_text(point.gave_up)]
        writer.writerow([*row, "yes" if point.void else "", safe_text(point.note)])
    return out.getvalue()


def _of_channel(mean: PointMean | None) -> list[str]:
    if mean is None:
        return [""] * 7
    figures = [_figure(mean.mean), _figure(mean.sd), str(mean.count), str(mean.missing)]
    return [*figures, _figure(mean.low), _figure(mean.high), mean.verdict]


def _label(one: Quantity) -> str:
    return f"{one.name} [{one.unit}]" if one.unit else one.name


def _names(found: Iterable[Quantity]) -> list[str]:
    return list(dict.fromkeys(_label(one) for one in found))


def _cell(given: Sequence[Quantity], name: str) -> str:
    return next((figure(one.value) for one in given if _label(one) == name), "")


def _figure(value: float | None) -> str:
    return "" if value is None else figure(value)
