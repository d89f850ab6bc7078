"""What happens to a run after its end: corrected, put in the bin, deleted, its tape taken out. What was sealed stays what it was."""

import uuid
from pathlib import Path

import pytest

from tests.runs.test_folder import AT, begin, entry
from tests.runs.test_rows import batch
from tidybench.core.quality import Quality
from tidybench.core.samples import unpack
from tidybench.core.values.mark import Mark
from tidybench.playing import events_of
from tidybench.report.run_report import report
from tidybench.runs.again import AgainError, compared
from tidybench.runs.folder import run_folders
from tidybench.runs.holding import holding_of
from tidybench.runs.provenance import ProvenanceError, explain
from tidybench.runs.removal import RemovalError, delete, deleted_runs, put_in_bin, removal_of, restore, wipe
from tidybench.runs.run_state import read_state
from tidybench.runs.said import (
    Said,
    SaidConflict,
    SaidError,
    correct,
    corrected,
    differences,
    said_changes,
    said_first,
    said_of,
    searched_text,
)
from tidybench.runs.seal import seal, sealed_files, verify
from tidybench.runs.taken_out import TakeOutError, take_tape_out, taken_out

S = 1_000_000
NOW = AT + 10**12


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A sealed run of ten seconds."""
    log = begin(tmp_path)
    log.write([entry(1, AT + S, batch((1, AT + S, 1.0, Quality.OK)))], AT + S)
    log.mark(Mark(AT // 1000 * 1000 + 5 * S, "valve 60", "M"))
    log.end(AT + 10 * S, "by hand")
    seal(log.folder)
    return log.folder


def said(folder: Path, **changes: object) -> Said:
    return said_of(folder, read_state(folder)).model_copy(update=changes)


def test_a_correction_stands_beside_what_was_sealed_and_names_what_stood_there(folder: Path) -> None:
    state = read_state(folder)
    first = said_first(state)
    now = correct(
        folder, said(folder, name=" Night run ", item="P7-0414"), first, "N. Ode", "wrong label", NOW
    )
    assert (now.name, now.item, now.operator) == ("Night run", "P7-0414", state.operator)
    later = said(folder, fields={"Rig": "2"})
    correct(folder, later, said_of(folder, state), "", "", NOW + S)
    assert read_state(folder) == state  # the sealed file itself is untouched
    assert verify(folder).problems == []
    assert said_of(folder, state) == later
    assert "P7-0414" in searched_text(corrected(folder, state))
    assert "Rig 2" in searched_text(corrected(folder, state))
    changes = list(said_changes(folder))
    assert [(one.by, one.why, one.before == first) for one in changes] == [
        ("N. Ode", "wrong label", True),
        ("", "", False),
    ]
    assert differences(changes[0]) == [
        ("Name", state.name, "Night run"),
        ("Test item", state.item, "P7-0414"),
    ]
    assert differences(changes[1]) == [("Rig", "", "2")]
    page = report(folder)
    assert "<h1>Night run</h1>" in page
    assert "Stood there before" in page
    assert "N. Ode: wrong label" in page


def test_two_people_who_correct_the_same_field(folder: Path) -> None:
    before = said(folder)
    correct(folder, said(folder, operator="A"), before, "A", "", NOW)
    with pytest.raises(SaidConflict, match="Operator is “A” now"):
        correct(folder, before.model_copy(update={"operator": "B"}), before, "B", "", NOW)
    for wrong, words in (
        ({"name": "  "}, "give it one"),
        ({"item": "a\nb"}, "control character"),
        ({}, "Nothing is different"),
    ):
        with pytest.raises(SaidError, match=words):
            correct(folder, said(folder, **wrong), said(folder), "", "", NOW)
    assert said(folder).operator == "A"
    assert len(list(said_changes(folder))) == 1
    with open(folder / "later" / "said.jsonl", "ab") as file:
        file.write(b'{"said": {"name": "half')  # a power cut
    correct(folder, said(folder, operator="C"), said(folder), "", "", NOW)
    assert said(folder).operator == "C"


def test_a_run_that_goes_on_is_neither_corrected_nor_removed(tmp_path: Path) -> None:
    folder = begin(tmp_path).folder
    with pytest.raises(SaidError, match="goes on"):
        correct(folder, said(folder, item="x"), said(folder), "", "", NOW)
    with pytest.raises(RemovalError, match="goes on"):
        put_in_bin(folder, "", NOW)


def test_in_the_bin_and_out_of_it_and_gone_for_good(folder: Path) -> None:
    runs = folder.parent.parent
    key = uuid.UUID(read_state(folder).id)
    with pytest.raises(RemovalError, match="not in the bin"):
        delete(runs, folder)
    put_in_bin(folder, "N", NOW)
    assert put_in_bin(folder, "M", NOW + S).at == NOW  # it is there already
    restore(folder, "N", NOW + 2 * S)
    assert removal_of(folder) is None
    assert verify(folder).problems == []
    put_in_bin(folder, "N", NOW + 3 * S)
    removal = removal_of(folder)
    assert removal is not None
    assert (removal.at, removal.by) == (NOW + 3 * S, "N")
    assert run_folders(runs) == [folder]
    delete(runs, folder)
    assert run_folders(runs) == []  # from here on it is none of the bench's
    ((found, place),) = deleted_runs(runs)
    assert found == key
    (runs / ".deleted" / "mine").mkdir()  # somebody's own
    wipe(place)
    assert deleted_runs(runs) == []
    assert not place.exists()


def test_a_tape_taken_out_leaves_its_sums_and_every_number(folder: Path) -> None:
    before = holding_of(folder)
    numbers = unpack((folder / "samples.bin").read_bytes()).tobytes()
    tape = sum(path.stat().st_size for path in (folder / "tape").iterdir())
    assert before.tape == tape
    assert before.total == sum(p.stat().st_size for p in folder.rglob("*") if p.is_file())
    assert take_tape_out(folder, sealed_files(folder), "N", NOW) == tape
    assert list((folder / "tape").iterdir()) == []
    told = verify(folder)
    assert told.problems == []
    assert "taken out on" in told.taken_out
    assert "by N" in told.taken_out
    assert unpack((folder / "samples.bin").read_bytes()).tobytes() == numbers
    gone = taken_out(folder)
    assert gone is not None
    assert [file for file in sealed_files(folder) if file.path.startswith("tape/")] == gone.files
    with pytest.raises(TakeOutError, match="already"):
        take_tape_out(folder, sealed_files(folder), "N", NOW)
    key = read_state(folder).channels[0].id
    with pytest.raises(ProvenanceError, match="taken out on"):
        explain(folder, key, AT + 2 * S)
    with pytest.raises(AgainError, match="taken out on"):
        compared(folder, "format = 1")
    with pytest.raises(ValueError, match="taken out on"):
        list(events_of(folder))
    assert "taken out on" in report(folder)
    # Whatever else goes is told all the same.
    (folder / "samples.bin").unlink()
    assert any("samples.bin is gone" in one for one in verify(folder).problems)


def test_a_tape_that_is_not_what_was_sealed_stays(folder: Path) -> None:
    sealed = sealed_files(folder)
    segment = next((folder / "tape").iterdir())
    kept = segment.read_bytes()
    segment.write_bytes(kept[:-2] + b" \n")
    with pytest.raises(TakeOutError, match="not what was sealed"):
        take_tape_out(folder, sealed, "N", NOW)
    assert segment.exists()
    assert taken_out(folder) is None
    segment.write_bytes(kept)
    (folder.parent / "other.txt").write_text("x")
    outside = [sealed[0].model_copy(update={"path": "tape/../../other.txt"})]
    with pytest.raises(TakeOutError, match="outside"):
        take_tape_out(folder, outside, "N", NOW)
    # Stopped between the line and the last file: it is taken out the next time, and nothing is missed meanwhile.
    take_tape_out(folder, sealed, "N", NOW)
    segment.write_bytes(kept)
    assert verify(folder).problems == []
    assert take_tape_out(folder, sealed, "N", NOW) == len(kept)
