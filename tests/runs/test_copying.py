"""A finished run copied elsewhere."""

from pathlib import Path

import pytest

from tests.runs.test_seal import logged
from tidybench.runs import copying
from tidybench.runs.copying import CopyError, copy_run
from tidybench.runs.seal import verify


def whole(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


@pytest.fixture
def runs(tmp_path: Path) -> Path:
    return tmp_path / "runs"


@pytest.fixture
def to(tmp_path: Path) -> Path:
    place = tmp_path / "share"
    place.mkdir()
    return place


def test_the_copy_is_the_run_and_is_made_once(runs: Path, to: Path) -> None:
    folder = logged(runs)
    copy = copy_run(folder, to, runs)
    assert copy == to / folder.parent.name / folder.name
    assert whole(copy) == whole(folder)
    assert verify(copy).problems == []
    at = {path: path.stat().st_mtime_ns for path in copy.rglob("*")}
    assert copy_run(folder, to, runs) == copy
    assert {path: path.stat().st_mtime_ns for path in copy.rglob("*")} == at


def test_a_share_that_is_away_is_said_and_not_made(runs: Path, to: Path) -> None:
    folder = logged(runs)
    with pytest.raises(CopyError, match=r"away is not there\. Mount it"):
        copy_run(folder, to / "away", runs)
    assert not (to / "away").exists()
    inside = folder.parent / "x"
    inside.mkdir()
    with pytest.raises(CopyError, match="where this bench keeps its runs"):
        copy_run(folder, inside, runs)


def test_a_run_that_is_not_sealed_is_not_copied(runs: Path, to: Path) -> None:
    folder = logged(runs, end=False)
    with pytest.raises(CopyError, match="not sealed"):
        copy_run(folder, to, runs)
    assert list(to.iterdir()) == []


def test_another_run_of_the_name_is_left_alone(runs: Path, to: Path) -> None:
    folder = logged(runs)
    other = to / folder.parent.name / folder.name
    other.mkdir(parents=True)
    (other / "mine.txt").write_text("mine")
    with pytest.raises(CopyError, match="is there already, and is another run"):
        copy_run(folder, to, runs)
    assert whole(other) == {"mine.txt": b"mine"}


def test_a_copy_that_was_broken_off_goes_on_and_one_that_was_spoilt_is_made_again(
    runs: Path, to: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = logged(runs)
    real, done = copying._copied, []

    def breaks(path: Path, place: Path) -> None:
        if len(done) == 3:
            raise OSError(28, "No space left on device")
        real(path, place)
        done.append(place)

    monkeypatch.setattr(copying, "_copied", breaks)
    with pytest.raises(OSError, match="No space left"):
        copy_run(folder, to, runs)
    monkeypatch.setattr(copying, "_copied", real)
    spoilt = next(place for place in done if place.stat().st_size)
    data = bytearray(spoilt.read_bytes())
    data[0] ^= 1
    spoilt.write_bytes(data)
    with pytest.raises(CopyError, match=r"has changed.*It is made again"):
        copy_run(folder, to, runs)
    copy = copy_run(folder, to, runs)
    assert whole(copy) == whole(folder)
    assert [path.name for path in copy.parent.iterdir()] == [folder.name]


def test_a_run_that_was_changed_since_it_was_sealed_is_said(runs: Path, to: Path) -> None:
    folder = logged(runs)
    (folder / "added.txt").write_text("x")
    with pytest.raises(
        CopyError, match=r"has changed since it was sealed, and is not copied: added.txt was added"
    ):
        copy_run(folder, to, runs)
    assert list((to / folder.parent.name).iterdir()) == []
