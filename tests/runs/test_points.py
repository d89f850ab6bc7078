"""points.jsonl and points.csv of a run."""

import csv
import io
from pathlib import Path

import pytest

from tests.runs.test_folder import AT
from tests.runs.test_mending import Logged
from tidybench.core.tape.events import Note, PointTaken, Start
from tidybench.core.values.point import Point, PointMean, Quantity
from tidybench.runs.points import POINTS, TABLE, PointsFile, read_points, run_points, table
from tidybench.runs.recovery import mend

S = 1_000_000


def point(number: int, version: int = 1, **more: object) -> Point:
    plain = {
        "name": "=40 %",
        "by": "M",
        "at": AT + number * 10 * S,
        "since": AT + (number * 10 - 6) * S,
        "until": AT + (number * 10 - 1) * S,
        "steady": True,
        "sets": [Quantity(name="Valve", unit="%", value=40)],
        "means": [
            PointMean(id="a", name="A", unit="V", decimals=1, mean=2.25, sd=0.125, count=9, low=2, high=3),
        ],
    }
    return Point.model_validate({"number": number, "version": version, **plain, **more})


def rows(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text, newline="")))


def test_the_table_has_the_newest_version_of_each() -> None:
    gauge = [Quantity(name="Gauge glass", unit="mm", value=12.5)]
    points = [
        point(1),
        point(2, gave_up="not steady for 2 s: A", means=[], since=0, until=0, steady=False),
        point(1, 2, name="45 %", typed=gauge, note="read, by eye"),
    ]
    first, second = rows(table(points, AT))
    assert (first["point"], first["version"], first["name"]) == ("1", "2", "45 %")
    assert (first["elapsed_s"], first["averaged_s"]) == ("9.000", "5.000")
    assert (first["set: Valve [%]"], first["typed: Gauge glass [mm]"]) == ("40", "12.5")
    assert (first["A [V]"], first["A sd"], first["A samples"], first["A verdict"]) == (
        "2.25",
        "0.125",
        "9",
        "within",
    )
    assert (first["verdict"], first["steady"], first["note"]) == ("within", "yes", "read, by eye")
    assert (second["A [V]"], second["gave_up"], second["averaged_s"], second["steady"]) == (
        "",
        "not steady for 2 s: A",
        "",
        "no",
    )
    assert second["name"] == "'=40 %"  # no spreadsheet runs it as a formula


@pytest.mark.parametrize("cut", [1, 200, 100_000])
def test_points_are_put_back_from_the_tape(tmp_path: Path, cut: int) -> None:
    run = Logged(tmp_path)
    run.happens(Note(AT, "begin", "n"))
    run.happens(Start(AT, {"latest": {}, "calculated": {}, "started": []}))
    made = [point(1), point(2), point(2, 2, void=True)]
    for n, one in enumerate(made):
        run.happens(PointTaken(AT + (n + 1) * S, one.model_dump()))
    folder = run.killed()
    assert read_points(folder) == made
    data = (folder / POINTS).read_bytes()
    (folder / POINTS).write_bytes(data[: max(0, len(data) - cut)])
    (folder / TABLE).unlink(missing_ok=True)
    repairs = mend(folder).state.repairs
    assert sorted(read_points(folder), key=lambda one: (one.number, one.version)) == made
    assert any("test point" in one for one in repairs)
    assert (folder / TABLE).read_bytes().decode() == table(made, AT)
    assert mend(folder).state.repairs == repairs


def test_a_run_without_points_has_no_file_of_them(tmp_path: Path) -> None:
    run = Logged(tmp_path)
    folder = run.killed()
    mend(folder)
    assert not (folder / POINTS).exists()
    assert not (folder / TABLE).exists()


def test_a_full_disk_makes_points_wait_for_their_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = Logged(tmp_path)
    run.happens(Note(AT, "begin", "n"))

    def full(self: PointsFile, point: Point) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(PointsFile, "add", full)
        run.happens(PointTaken(AT + S, point(1).model_dump()))
        assert "No space left on device. The tape has the points." in run.log.troubles["points"]
        run.happens(PointTaken(AT + S, point(2).model_dump()))
    assert read_points(run.folder) == []
    assert run.log.points == [point(1), point(2)]  # or a correction would get a number twice
    run.log.sync(AT + 2 * S)
    assert run.log.troubles == {}
    assert read_points(run.folder) == [point(1), point(2)]


def test_what_stood_there_before_is_told_apart(tmp_path: Path) -> None:
    run = Logged(tmp_path)
    run.happens(Note(AT, "begin", "n"))
    for one in (point(1), point(2), point(1, 2), point(1, 3)):
        run.happens(PointTaken(AT + S, one.model_dump()))
    found = run_points(run.folder)
    assert [(one.number, one.version) for one in found.points] == [(1, 3), (2, 1)]
    assert [(one.number, one.version) for one in found.earlier] == [(1, 1), (1, 2)]
