"""Marks, crossings and rows of a run that was killed: put back from its tape."""

import os
from pathlib import Path

import pytest

from tests.runs.test_folder import AT, CHANNEL
from tidybench.core.batch import RECORD_SIZE, Batch
from tidybench.core.tape.events import Event, MarkCorrected, Note, Start
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.crossings import CROSSINGS, read_crossings
from tidybench.runs.entry import Entry
from tidybench.runs.folder import SAMPLES, TAPE
from tidybench.runs.log import RunLog
from tidybench.runs.marks import MARKS, read_marks
from tidybench.runs.recovery import mend
from tidybench.runs.rows import make_rule
from tidybench.runs.run_state import read_state, write_state
from tidybench.runs.stamps import Stamps

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


def _read() -> int:
    """Bytes that this process has read from files."""
    lines = Path("/proc/self/io").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("rchar")).split()[1])


def test_what_was_logged_for_weeks_is_not_read_to_mend_the_end(tmp_path: Path) -> None:
    """Mending took 39 s with 30 days logged: every listing of the tape sorted its Paths, and the CSV's first row was looked for
    to whatever end. Here the weeks are files of their length without content, and segments that cannot be read."""
    weeks, begun = 2_000_000, AT + 10**9
    run = Logged(tmp_path)
    run.happens(Note(AT, "begin", "n"))
    folder, state = run.killed(), run.log.state
    os.truncate(folder / SAMPLES, weeks * RECORD_SIZE)
    os.truncate(folder / state.csv, weeks * 30)
    with open(folder / state.csv, "ab") as file:
        file.write(f"\r\n{Stamps().micro(AT + MS)},1\r\n".encode())
    state.counts.sequence = state.summed = run.number = weeks
    write_state(folder, state)
    (folder / TAPE / "0001.jsonl").unlink()
    (folder / TAPE / "3000.jsonl").touch()
    run.log = RunLog.resume(
        folder, rows=weeks, stats=run.log.stats, rule=make_rule(state), links=[], now=begun
    )
    run.happens(Start(begun, {"latest": {}, "calculated": {}, "started": []}))
    run.happens(Note(begun, "on"))
    run.log.sync(begun)
    for number in range(1, 2999):  # the last but one is read too: a state may have begun as the tape turned
        (folder / TAPE / f"{number:04d}.jsonl.gz").write_bytes(b"cannot be read")
    run.happens(Mark(begun + MS, "seen", "M"))
    run.killed()
    before = _read()
    mended = mend(folder)
    RunLog.resume(
        folder, rows=mended.rows, stats=mended.stats, rule=mended.rule, links=[], now=begun + MS
    ).abandon()
    assert _read() - before < 40_000_000  # of more than 110 MB
    assert "1 mark was put back from the tape." in mended.state.repairs
    assert [mark.text for mark in read_marks(folder)] == ["seen"]
