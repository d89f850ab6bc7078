"""Files that are replaced whole by an owner that never waits for the disk."""

import errno
import os
from pathlib import Path

import pytest

from tests.runs.held_disk import HeldDisk
from tidybench.core.values.mark import Mark
from tidybench.runs.disk import Done, HereAndNow
from tidybench.runs.files import trim_lines
from tidybench.runs.marks import MARKS, MarksFile, read_marks
from tidybench.runs.tape import TapeWriter
from tidybench.runs.whole import WholeFile, adopt, complete_lines, newest_of, read_newest


def raises(error: Exception) -> None:
    raise error


def text_of(path: Path) -> str:
    return read_newest(path, lambda data: data.decode())


def test_what_was_put_is_read_at_once_and_takes_its_place_when_it_is_on_the_disk(tmp_path: Path) -> None:
    disk, path = HeldDisk(), tmp_path / "f"
    path.write_text("old")
    file = WholeFile(path, disk, raises)
    told: list[Exception | None] = []
    file.put("new", told.append)
    # A kill now finds the new one, a power cut the old one.
    assert (text_of(path), path.read_text(), newest_of(path).read_text()) == ("new", "old", "new")
    assert (file.settled, told) == (False, [])
    disk.let_go()
    assert (path.read_text(), newest_of(path).exists(), told) == ("new", False, [None])
    assert file.settled


def test_what_comes_while_the_disk_is_busy_comes_too(tmp_path: Path) -> None:
    disk, path = HeldDisk(), tmp_path / "f"
    path.write_text("old")
    file = WholeFile(path, disk, raises)
    told: list[Exception | None] = []
    for text in ("one", "two", "three"):
        file.put(text, told.append)
    assert len(disk.held) == 1
    work, done = disk.held.pop()
    work()
    done(None)
    assert path.read_text() == "old"  # what is on the disk is not the newest: it is brought there first
    disk.let_go()
    assert (path.read_text(), told) == ("three", [None, None, None])


def test_a_name_is_on_the_disk_before_anything_is_called_saved(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A renamed state file, and a new segment of a tape: their folder is brought to the disk too."""
    brought: list[str] = []
    bring = os.fdatasync

    def noted(descriptor: int) -> None:
        brought.append(Path(os.readlink(f"/proc/self/fd/{descriptor}")).name)
        bring(descriptor)

    monkeypatch.setattr(os, "fdatasync", noted)
    path = tmp_path / "f"
    path.write_text("old")
    told: list[list[str]] = []
    WholeFile(path, HereAndNow(), raises).put("new", lambda error: told.append([*brought]))
    assert told == [["f.new", tmp_path.name]]
    tape = TapeWriter(tmp_path, HeldDisk(), segment_size=8)
    tape.append(b"0123456789\n")
    brought.clear()
    assert tape.append(b"next\n")
    held = HeldDisk()
    monkeypatch.setattr(tape, "_disk", held)
    saved: list[Exception | None] = []
    tape.sync(saved.append)
    work, done = held.held.pop(0)
    work()
    done(None)
    assert (brought, saved) == (["0002.jsonl"], [])
    held.let_go()
    assert (brought, saved) == (["0002.jsonl", tmp_path.name], [None])
    tape.append(b"more\n")
    tape.sync(saved.append)
    held.let_go()
    assert brought == ["0002.jsonl", tmp_path.name, "0002.jsonl"]  # its name is there already


def test_the_first_content_stands_under_its_name_at_once(tmp_path: Path) -> None:
    disk, path = HeldDisk(), tmp_path / "f"
    WholeFile(path, disk, raises).put("first")
    assert path.read_text() == "first"


def test_a_disk_that_refuses_is_told_and_nothing_is_lost(tmp_path: Path) -> None:
    disk, path = HeldDisk(), tmp_path / "f"
    path.write_text("old")
    failed: list[Exception] = []
    file = WholeFile(path, disk, failed.append)
    file.put("new")
    disk.let_go(OSError(errno.EIO, "Input/output error"))
    assert len(failed) == 1
    assert (text_of(path), path.read_text()) == ("new", "old")


def test_a_content_that_cannot_be_written_leaves_the_old_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    disk, path = HeldDisk(), tmp_path / "f"
    path.write_text("old")
    file = WholeFile(path, disk, raises)

    def full(self: Path, target: Path) -> Path:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(Path, "replace", full)
    with pytest.raises(OSError, match="No space left"):
        file.put("new")
    monkeypatch.undo()
    assert (text_of(path), sorted(p.name for p in tmp_path.iterdir())) == ("old", ["f"])
    file.put("later")
    disk.let_go()
    assert path.read_text() == "later"


@pytest.mark.parametrize(
    ("newest", "found"), [(b"a\nb\n", b"a\nb\n"), (b"a\nb", b"old\n"), (b"a\0\n", b"old\n"), (b"", b"old\n")]
)
def test_after_a_crash_only_a_whole_newer_content_is_taken(
    tmp_path: Path, newest: bytes, found: bytes
) -> None:
    path = tmp_path / "f"
    path.write_bytes(b"old\n")
    newest_of(path).write_bytes(newest)
    adopt(path, complete_lines)
    assert path.read_bytes() == found
    assert not newest_of(path).exists()


def test_a_correction_that_fails_changes_nothing_and_later_marks_go_where_they_belong(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It used to leave a closed descriptor, whose number was the next file's: marks were written into that."""
    file = MarksFile(tmp_path, 0, HeldDisk(), raises)
    file.add(Mark(1_000_000, "valve to 6 %", "M"))

    def full(self: WholeFile, text: str, done: Done | None = None) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(WholeFile, "put", full)
    with pytest.raises(OSError, match="No space left"):
        file.correct(1_000_000, "valve to 60 %")
    monkeypatch.undo()
    with open(tmp_path / "other", "wb", buffering=0) as other:
        other.write(b"mine")
        file.add(Mark(2_000_000, "later"))
    assert (tmp_path / "other").read_bytes() == b"mine"
    assert [(m.text, m.by) for m in read_marks(tmp_path)] == [("valve to 6 %", "M"), ("later", "")]


@pytest.mark.parametrize("begun", [b"", b"time,ela"])
def test_a_file_of_marks_that_was_hardly_begun_has_none(tmp_path: Path, begun: bytes) -> None:
    """A kill right at a run's beginning must not keep the run from going on."""
    (tmp_path / MARKS).write_bytes(begun)
    assert read_marks(tmp_path) == []
    trim_lines(tmp_path / MARKS)
    MarksFile(tmp_path, 0, HeldDisk(), raises).add(Mark(1_000_000, "one"))
    assert [mark.text for mark in read_marks(tmp_path)] == ["one"]
    (tmp_path / MARKS).write_bytes(b"something else\n")
    with pytest.raises(ValueError, match="another head"):
        read_marks(tmp_path)


def test_marks_that_come_while_a_correction_is_on_its_way_to_the_disk_are_kept(tmp_path: Path) -> None:
    disk = HeldDisk()
    file = MarksFile(tmp_path, 0, disk, raises)
    file.add(Mark(1_000_000, "one"))
    file.add(Mark(2_000_000, "two"))
    assert file.correct(1_000_000, "=ONE") == "one"
    file.add(Mark(3_000_000, "three"))
    expected = ["=ONE", "two", "three"]
    assert [m.text for m in read_marks(tmp_path)] == expected  # after a kill
    disk.let_go()
    assert not newest_of(tmp_path / MARKS).exists()
    file.add(Mark(4_000_000, "four"))
    file.close()
    assert [m.text for m in read_marks(tmp_path)] == [*expected, "four"]
    assert file.correct(9, "nothing there") is None
