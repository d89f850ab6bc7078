"""What a power cut leaves: files that are shorter, or as long as they were and full of zeros."""

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.test_kill import begin, packed_from_tape, rows_of
from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import sequences_of, unpack
from tidybench.runs.chain import broken
from tidybench.runs.checks import CHECKS, holds, newest_checks, proven
from tidybench.runs.csv_files import csv_files
from tidybench.runs.recovery import mend, newest
from tidybench.runs.run_state import read_state

Damage = Callable[[Path, str], None]
_kept: dict[str, Path] = {}


RULES: dict[str, dict[str, object]] = {
    "steady rows": {},
    "each reading": {"kind": "each reading"},
    "files": {"kind": "each reading", "file_mb": 0.001},
}


@pytest.fixture(params=RULES)
def folder(request: pytest.FixtureRequest, recorder: RecorderProcess, shop: Shop, tmp_path: Path) -> Path:
    """A copy of a run whose recorder was killed, with some checks behind it; made once for each row rule."""
    if request.param not in _kept:
        recorder.start("loop-flow-meter", "power-analyser")
        wait_for(recorder.all_passing, "passing")
        run = begin(recorder, RULES[request.param])
        found = Path(run.folder)
        wait_for(lambda: len(newest_checks(found)) >= 2, "two checks")
        rows = len(rows_of(run))
        wait_for(lambda: len(rows_of(run)) > rows + 8, "rows behind them")
        recorder.kill()
        shutil.copytree(found, tmp_path.parent / f"kept-{request.param}")
        _kept[request.param] = tmp_path.parent / f"kept-{request.param}"
    copy = tmp_path / "copy"
    shutil.copytree(_kept[request.param], copy)
    return copy


def names(folder: Path) -> dict[str, Path]:
    return {
        "samples": folder / "samples.bin",
        "tape": folder / "tape" / "0001.jsonl",
        "csv": csv_files(folder, read_state(folder).csv)[-1],
    }


def rows_in(folder: Path) -> bytes:
    """The header and all rows, of one file or of several."""
    files = [path.read_bytes().partition(b"\r\n") for path in csv_files(folder, read_state(folder).csv)]
    assert len({head for head, _, _ in files}) == 1
    return b"".join([files[0][0], b"\r\n", *(rows for _, _, rows in files)])


def zero(path: Path, last: int) -> None:
    size = path.stat().st_size
    with open(path, "r+b") as file:
        file.seek(max(0, size - last))
        file.write(b"\0" * min(last, size))


def hole(path: Path) -> None:
    with open(path, "r+b") as file:
        file.seek(max(0, path.stat().st_size - 600))
        file.write(b"\0" * 150)


DAMAGES: dict[str, Damage] = {
    "nothing": lambda path, kind: None,
    "zeros at its end": lambda path, kind: zero(path, 240),
    "many zeros at its end": lambda path, kind: zero(path, 700),
    "zeros behind it": lambda path, kind: os.truncate(path, path.stat().st_size + 240),
    "a page of zeros behind it": lambda path, kind: os.truncate(path, -(-path.stat().st_size // 4096) * 4096),
    "cut": lambda path, kind: os.truncate(path, max(0, path.stat().st_size - 331)),
    "a hole of zeros before its end": lambda path, kind: hole(path),
    "nonsense behind it": lambda path, kind: path.write_bytes(path.read_bytes() + b"\x7f3\x01" * 80),
}


@pytest.mark.parametrize("damage", DAMAGES)
@pytest.mark.parametrize("files", ["samples", "tape", "csv", "samples tape csv"])
def test_nothing_is_invented_or_doubled_and_what_one_file_has_is_put_back(
    folder: Path, damage: str, files: str
) -> None:
    """Fault 2: the tape was doubled, and samples of 0.0 were invented."""
    sound = folder.with_name("sound")
    shutil.copytree(folder, sound)
    mend(sound)
    paths = names(folder)
    samples, rows = names(sound)["samples"].read_bytes(), rows_in(sound)
    for kind in files.split():
        DAMAGES[damage](paths[kind], kind)
    mended = mend(folder)

    found = paths["samples"].read_bytes()
    assert samples.startswith(found)
    assert rows.startswith(rows_in(folder))
    records = unpack(found)
    assert len(found) % RECORD_SIZE == 0
    assert (np.diff(sequences_of(records).astype(int)) >= 0).all()
    told = packed_from_tape(folder)
    assert found.startswith(told)
    if "tape" not in files or damage in (
        "nothing",
        "zeros behind it",
        "a page of zeros behind it",
        "nonsense behind it",
    ):
        assert found == samples == told
        assert rows_in(folder) == rows
        csv = read_state(folder).csv
        assert [path.read_bytes() for path in csv_files(folder, csv)] == [
            path.read_bytes() for path in csv_files(sound, csv)
        ]
    check = proven(folder)
    assert check is not None
    assert check == newest_checks(folder)[-1]
    assert broken(folder, mended.state.id, ended=True) is None
    assert len(records) * RECORD_SIZE >= check.ends["samples.bin"]  # nothing that was proven is gone
    assert mended.rows == rows_in(folder).count(b"\r\n") - 1
    assert mended.stats.of(1).samples == int((records["word"] >> np.uint64(8) & np.uint64(0xFFFF) == 1).sum())
    assert mended.state.repairs or damage == "nothing" or "cut" in damage or "csv" in files

    again = mend(folder)  # a crash in the middle of mending: it is done once more
    assert paths["samples"].read_bytes() == found
    assert again.rows == mended.rows
    assert again.state.repairs == mended.state.repairs


def test_every_line_of_the_checks_holds_and_a_changed_byte_is_found(folder: Path) -> None:
    checks = newest_checks(folder)
    assert all(holds(piece) for check in checks for piece in check.pieces)
    assert proven(folder) == checks[-1]
    for kind in ("samples", "tape", "csv"):
        mine = csv_files(folder, read_state(folder).csv) if kind == "csv" else [names(folder)[kind]]
        piece = next(p for p in checks[-1].pieces if p.path in mine)
        path = piece.path
        data = path.read_bytes()
        path.write_bytes(data[: piece.end - 5] + bytes([data[piece.end - 5] ^ 1]) + data[piece.end - 4 :])
        assert proven(folder) == (checks[-2] if len(checks) > 1 else None)
        path.write_bytes(data)
    lines = (folder / CHECKS).read_bytes()
    (folder / CHECKS).write_bytes(lines.replace(b'"rows": ', b'"rows": 1', 1))
    assert len(newest_checks(folder)) == len(checks) - 1
    (folder / CHECKS).write_bytes(lines + b"\0" * 100)
    assert newest_checks(folder) == checks


def test_samples_beyond_a_tape_that_lost_more_than_the_last_check_are_kept(folder: Path) -> None:
    """The state on the disk may know of lines that the tape has lost: what samples.bin has of them is measured all the same."""
    sound = folder.with_name("sound")
    shutil.copytree(folder, sound)
    mend(sound)
    checks = newest_checks(folder)
    tape, samples = names(folder)["tape"], names(folder)["samples"]
    piece = next(piece for piece in checks[-1].pieces if piece.path == tape)
    zero(tape, tape.stat().st_size - piece.start - 100)
    assert proven(folder) == checks[-2]
    assert read_state(folder).counts.sequence > checks[-2].sequence
    logged = samples.read_bytes()
    mend(folder)
    assert samples.read_bytes() == logged[: len(logged) // RECORD_SIZE * RECORD_SIZE]
    assert rows_in(sound).startswith(rows_in(folder))


def test_how_far_a_run_has_come_is_known_before_it_is_mended(folder: Path) -> None:
    found = newest(folder, read_state(folder))
    zero(names(folder)["tape"], 240)
    zero(names(folder)["samples"], 240)
    less = newest(folder, read_state(folder))
    mended = mend(folder)
    assert mended.last_sequence <= less.sequence <= found.sequence
    assert mended.last_at <= less.at <= found.at
