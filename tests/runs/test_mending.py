"""Marks, crossings and rows of a run that was killed: put back from its tape."""

from pathlib import Path

import pytest

from tests.runs.test_folder import AT, CHANNEL
from tidybench.core.batch import Batch
from tidybench.core.tape.events import Event, MarkCorrected, Note, Start
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.crossings import CROSSINGS, read_crossings
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog
from tidybench.runs.marks import MARKS, read_marks
from tidybench.runs.recovery import mend
from tidybench.runs.run_state import read_state

MS = 1000


class Logged:
    """A run that is killed."""

    def __init__(self, runs: Path) -> None:
        self.log = RunLog.begin(
            runs, bench="b", name="n", item="", operator="", row_rule=RowRule(), at=AT, channels=[CHANNEL], setups={}
        )  # fmt: skip
        self.folder, self.number = self.log.folder, 0

    def happens(self, event: Event, batch: Batch | None = None) -> None:
        self.number += 1
        entry = Entry(self.number, "", event, batch)
        entry.seal()
        self.log.write([entry], event.at)

    def killed(self) -> Path:
        self.log.abandon()
        return self.folder


def eventful(runs: Path) -> Logged:
    run = Logged(runs)
    run.happens(Note(AT, "begin", "n"))
    run.happens(Start(AT, {"latest": {}, "calculated": {}, "started": []}))
    for n in range(1, 4):
        mark = Mark((AT // MS + n * 100) * MS, f"=mark {n}", "M")
        run.log.mark(mark)
        run.happens(mark)
        crossing = Crossing(AT + n * 100 * MS, 1, "high", "within", 2.5 + n, 2.0, "A", "A is above")
        run.log.crossing(crossing)
        run.happens(crossing)
    return run


@pytest.mark.parametrize("zeros", [0, 60])
@pytest.mark.parametrize("cut", [1, 30, 70, 10_000])
def test_marks_and_crossings_are_cut_and_put_back(tmp_path: Path, cut: int, zeros: int) -> None:
    """Fault 25: crossings.csv was not trimmed, and neither was put back."""
    run = eventful(tmp_path)
    marks, crossings = list(run.log.marks), read_crossings(run.folder)
    folder = run.killed()
    for name in (MARKS, CROSSINGS):
        data = (folder / name).read_bytes()
        head = data.index(b"\n") + 1
        (folder / name).write_bytes(data[: max(head, len(data) - cut)] + b"\0" * zeros)
    whole = mend(folder)
    assert read_marks(folder) == marks
    assert read_crossings(folder) == crossings
    assert b"\0" not in (folder / CROSSINGS).read_bytes() + (folder / MARKS).read_bytes()
    again = mend(folder)
    assert again.state.repairs == whole.state.repairs
    assert read_marks(folder) == marks


def test_a_correction_that_was_lost_is_made_again(tmp_path: Path) -> None:
    run = eventful(tmp_path)
    before = (run.folder / MARKS).read_bytes()
    second = run.log.marks[1]
    run.log.correct_mark(second.at, "better")
    run.happens(MarkCorrected(AT + 900 * MS, second.at, "better", second.text))
    folder = run.killed()
    (folder / MARKS).write_bytes(before)
    mend(folder)
    assert [mark.text for mark in read_marks(folder)] == ["=mark 1", "better", "=mark 3"]


def test_a_hole_is_known_after_a_kill_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The state may not have been written since."""
    monkeypatch.setattr("tidybench.runs.log.MAX_WAITING", 1)
    run = eventful(tmp_path)
    monkeypatch.setattr(run.log, "_drain", lambda now: False)
    for n in range(3):
        run.happens(Note(AT + (1000 + n) * MS, "x"))
    monkeypatch.undo()
    run.happens(Note(AT + 2000 * MS, "x"))
    state = read_state(run.folder)
    assert state.holes == []
    folder = run.killed()
    [hole] = mend(folder).state.holes
    assert hole.events == 2
