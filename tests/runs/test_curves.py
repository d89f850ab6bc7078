"""The curves of a run as files."""

from collections.abc import Callable
from pathlib import Path

import pytest

from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.runs.curves import (
    CURVES,
    CurvesFiles,
    curve_file,
    mend_curves,
    read_rows,
    run_curves,
    state_file,
)
from tidybench.runs.disk import Done, HereAndNow

ABOUT = Curve(
    number=1,
    curve="s",
    name="Sweep =1+1",
    begun_at=5,
    columns=[CurveColumn(name="F", unit="Hz"), CurveColumn(name="=G", unit="dB")],
)


class Hung:
    """A disk that never answers."""

    def run(self, work: Callable[[], None], done: Done) -> None:
        """Nothing comes of it."""


def made(folder: Path, disk: object) -> tuple[CurvesFiles, list[str]]:
    said: list[str] = []
    return CurvesFiles(folder, disk, lambda error: None, said.append), said  # type: ignore[arg-type]


def test_what_the_seal_will_cover_stands_in_its_place_when_the_run_ends(tmp_path: Path) -> None:
    files, _ = made(tmp_path, Hung())
    number = files.begin(ABOUT)
    assert number == 1
    files.add(number, [[1.0, 2.0], [0.5, float("nan")]], [[0, 0], [0, 2]])
    files.close("the run ended", 99)
    assert not list((tmp_path / CURVES).glob("*.new"))
    [curve] = run_curves(tmp_path)
    assert (curve.state, curve.why, curve.rows, curve.ended_at) == ("interrupted", "the run ended", 2, 99)
    text = curve_file(tmp_path, curve).read_bytes().decode()
    assert text == "F [Hz],'=G [dB],flags\r\n1,0.5,\r\n2,,=G=no-reading\r\n".replace(",=G=", ",'=G=")
    assert read_rows(tmp_path, curve)[0].tolist() == [1.0, 2.0]


def test_on_a_full_disk_rows_wait_and_follow_in_order(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    files, said = made(tmp_path, HereAndNow())
    number = files.begin(ABOUT)
    assert number is not None
    with monkeypatch.context() as patch:

        def full(*_: object) -> int:
            raise OSError(28, "No space left on device")

        patch.setattr("os.write", full)
        files.add(number, [[1.0], [2.0]], [[0], [0]])
        files.add(number, [[3.0], [4.0]], [[0], [0]])
        assert "No space left on device" in said[-1]
    files.sync()
    assert said[-1] == ""
    files.end(ABOUT.model_copy(update={"state": "complete", "ended_at": 9}), number)
    [curve] = run_curves(tmp_path)
    assert read_rows(tmp_path, curve).tolist() == [[1.0, 3.0], [2.0, 4.0]]
    assert curve.words == "complete: 2 rows"


def test_a_torn_row_is_cut_and_the_curve_says_that_it_was_interrupted(tmp_path: Path) -> None:
    files, _ = made(tmp_path, HereAndNow())
    number = files.begin(ABOUT)
    assert number is not None
    files.add(number, [[1.0, 2.0], [5.0, 6.0]], [[0, 0], [0, 0]])
    path = tmp_path / CURVES / "001-sweep-1-1.csv"
    with open(path, "ab") as file:
        file.write(b"3,")
    repairs = mend_curves(tmp_path, 77)
    assert repairs == [
        "001-sweep-1-1.csv: its last row was torn, 2 bytes were cut.",
        "Sweep =1+1 was in progress: it has the 2 rows that came.",
    ]
    [curve] = run_curves(tmp_path)
    assert (curve.state, curve.rows, curve.ended_at) == ("interrupted", 2, 77)
    assert mend_curves(tmp_path, 99) == []


def test_no_number_is_given_twice_also_where_a_state_cannot_be_read(tmp_path: Path) -> None:
    files, _ = made(tmp_path, HereAndNow())
    assert files.begin(ABOUT) == 1
    state_file(tmp_path / CURVES / "001-sweep-1-1.csv").write_text("{")
    assert run_curves(tmp_path) == []
    again, _ = made(tmp_path, HereAndNow())
    assert again.begin(ABOUT) == 2
