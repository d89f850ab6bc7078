"""Marks of a run that has ended: set, corrected, taken out; the seal holds, and the history tells."""

import os
from pathlib import Path

import pytest
from pydantic import BaseModel

from tests.runs.test_folder import AT, begin, entry
from tests.runs.test_rows import batch
from tests.small_disk import PAGE, fill, small_disk
from tidybench.core.quality import Quality
from tidybench.core.tape.events import MarkCorrected
from tidybench.core.values.mark import Mark
from tidybench.runs.entry import Entry
from tidybench.runs.folder import LATER
from tidybench.runs.later_lines import append_line
from tidybench.runs.later_marks import MarkConflict, MarkError, change_mark, history_of, marks_of, set_mark
from tidybench.runs.marks import read_marks
from tidybench.runs.seal import verify

S = 1_000_000
FIRST = (AT // 1000 + 5000) * 1000
NOW = AT + 10**12


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A run of ten seconds with one mark, which was corrected while it was on."""
    log = begin(tmp_path)
    log.write([entry(1, AT + S, batch((1, AT + S, 1.0, Quality.OK)))], AT + S)
    log.mark(Mark(FIRST, "valve 60", "M"))
    log.correct_mark(FIRST, "valve to 60 %")
    corrected = Entry(2, "", MarkCorrected(FIRST + S, FIRST, "valve to 60 %", "valve 60"), None)
    corrected.seal()
    log.write([corrected], FIRST + S)
    log.end(AT + 10 * S, "by hand")
    return log.folder


def test_what_was_sealed_stays_and_what_is_said_now_is_told_with_its_history(folder: Path) -> None:
    logged = read_marks(folder)
    new = set_mark(folder, AT + 2 * S + 17, "  a knock \n heard ", "N", NOW)
    assert (new.at, new.text) == ((AT + 2 * S) // 1000 * 1000, "a knock heard")
    again = set_mark(folder, new.at, "another at the same time", "N", NOW + 1)
    assert again.at == new.at + 1000
    change_mark(folder, FIRST, "valve to 65 %", "N", "valve to 60 %", NOW + 2)
    change_mark(folder, again.at, "", "N", again.text, NOW + 3, void=True)
    assert marks_of(folder) == [Mark(new.at, "a knock heard", "N"), Mark(FIRST, "valve to 65 %", "N")]
    assert read_marks(folder) == logged
    assert verify(folder).problems == []
    told = [(one.at, one.before, one.text, one.void) for one in history_of(folder)]
    assert told == [
        (FIRST, "valve 60", "valve to 60 %", False),
        (new.at, "", "a knock heard", False),
        (again.at, "", again.text, False),
        (FIRST, "valve to 60 %", "valve to 65 %", False),
        (again.at, again.text, again.text, True),
    ]
    third = set_mark(folder, again.at, "back again", "N", NOW + 4)
    assert third.at == again.at + 1000  # a time that was once taken stays so: the history is by time


def test_two_who_correct_at_once_and_marks_that_cannot_be(folder: Path) -> None:
    change_mark(folder, FIRST, "first", "A", "valve to 60 %", NOW)
    with pytest.raises(MarkConflict, match="it says “first”"):
        change_mark(folder, FIRST, "second", "B", "valve to 60 %", NOW)
    with pytest.raises(MarkConflict, match="no such mark"):
        change_mark(folder, FIRST + 1000, "x", "B", "", NOW)
    for at in (AT - S, AT + 11 * S):
        with pytest.raises(MarkError, match="outside the run"):
            set_mark(folder, at, "x", "", NOW)
    for text, by in (("", ""), ("x" * 501, ""), ("a\0b", ""), ("a", "b\n")):
        with pytest.raises(MarkError):
            set_mark(folder, FIRST, text, by, NOW)
    assert len(marks_of(folder)) == 1


def test_a_run_that_goes_on_is_marked_on_the_bench(tmp_path: Path) -> None:
    with pytest.raises(MarkError, match="on the Bench"):
        set_mark(begin(tmp_path).folder, AT, "x", "", NOW)


def test_a_torn_line_and_a_full_disk_lose_no_other(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    set_mark(folder, AT + 2 * S, "one", "", NOW)
    path = folder / "later" / "marks.jsonl"
    path.write_bytes(path.read_bytes() + b'{"at": 17')
    set_mark(folder, AT + 3 * S, "two", "", NOW)
    assert [mark.text for mark in marks_of(folder)] == ["one", "two", "valve to 60 %"]

    def full(descriptor: int) -> None:
        raise OSError(28, os.strerror(28))

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        set_mark(folder, AT + 4 * S, "three", "", NOW)
    monkeypatch.undo()
    assert len(marks_of(folder)) == 3


class Said(BaseModel):
    """Something that is added after the end."""

    text: str


def test_a_line_for_which_half_the_room_is_left_is_not_there(folder: Path) -> None:
    """A really full disk: what went in is cut off again, and nothing follows when there is room."""
    with small_disk(folder / LATER, 1) as disk:
        append_line(folder, "x.jsonl", Said(text="m" * (PAGE - 200)))
        before = (disk / "x.jsonl").read_bytes()
        filled = fill(disk)
        with pytest.raises(OSError, match="No space left"):
            append_line(folder, "x.jsonl", Said(text="n" * 300))
        filled.unlink()
        assert (disk / "x.jsonl").read_bytes() == before
