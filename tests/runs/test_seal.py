"""The seal of a run."""

import json
import os
import subprocess
from pathlib import Path

import pytest

from tests.runs.held_disk import HeldDisk
from tests.runs.test_folder import AT, CHANNEL, begin, entry
from tests.runs.test_rows import batch
from tidybench import verify as command
from tidybench.core.quality import Quality
from tidybench.core.samples import unpack
from tidybench.recorder.mender import Mender
from tidybench.runs.folder import MANIFEST, SAMPLES
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import close_interrupted
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import SealError, seal, seal_of, verify
from tidybench.runs.stamps import parse
from tidybench.runs.tape import _compressed


def logged(runs: Path, end: bool = True) -> Path:
    """A run of 40 s with a check about every 3 s."""
    log = begin(runs)
    for n in range(1, 401):
        at = AT + n * 100_000
        log.write([entry(n, at, batch((1, at, n / 7, Quality.OK)))], at)
        if n % 30 == 0:
            log.sync(at)
    if end:
        log.end(AT + 41_000_000, "ended")
    else:
        log.abandon()
    return log.folder


def test_the_sums_are_those_of_sha256sum(tmp_path: Path) -> None:
    folder = logged(tmp_path)
    told = json.loads((folder / MANIFEST).read_text())
    names = [file["path"] for file in told["files"]]
    everything = {p.relative_to(folder).as_posix() for p in folder.rglob("*") if p.is_file()}
    assert set(names) == everything - {MANIFEST}
    lines = subprocess.run(
        ["sha256sum", *names], cwd=folder, capture_output=True, text=True, check=True
    ).stdout
    sums = dict(reversed(line.split(maxsplit=1)) for line in lines.splitlines())
    assert sums == {file["path"]: file["sha256"] for file in told["files"]}
    [whole] = subprocess.run(
        ["sha256sum", MANIFEST], cwd=folder, capture_output=True, text=True, check=True
    ).stdout.splitlines()
    assert seal_of(folder).fingerprint == whole[:32]
    assert verify(folder).problems == []


def test_all_it_speaks_of_is_on_the_disk_before_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """After a power cut a run was sealed, and the description of its third CSV had half of its bytes."""
    synced: list[int] = []
    sync = os.fsync

    def noted(descriptor: int) -> None:
        synced.append(os.fstat(descriptor).st_ino)
        sync(descriptor)

    folder = logged(tmp_path)
    (folder / MANIFEST).unlink()
    monkeypatch.setattr(os, "fsync", noted)
    told = seal(folder)
    before = synced[: synced.index((folder / MANIFEST).stat().st_ino)]
    assert {(folder / file.path).stat().st_ino for file in told.files} <= {*before}


def test_a_run_that_lost_its_tape_with_the_power_ends_with_its_last_sample(tmp_path: Path) -> None:
    """It ended before its rows: with the checks gone, only the tape was asked for the end."""
    folder = logged(tmp_path, end=False)
    (folder / "checks.jsonl").unlink()
    tape = folder / "tape" / "0001.jsonl"
    lines = tape.read_bytes().splitlines(keepends=True)
    tape.write_bytes(b"".join(lines[: len(lines) // 10]))
    state = close_interrupted(folder, "The power failed.")
    records = unpack((folder / SAMPLES).read_bytes())
    assert len(records) == 400
    assert state.ended_at is not None
    assert state.ended_at >= records["time"].max()
    last = (folder / state.csv).read_text().splitlines()[-1].split(",")[0]
    assert parse(last) <= state.ended_at
    assert verify(folder).problems == []


def test_an_end_that_was_on_the_disk_before_its_files_is_put_in_order(tmp_path: Path) -> None:
    """The power failed while a disk was slow: state.json said that the run had ended, over torn files that nobody mended or sealed."""
    folder = logged(tmp_path)
    (folder / MANIFEST).unlink()
    state = read_state(folder)
    for path, lost in ((folder / SAMPLES, 1007), (folder / state.csv, 20)):
        os.truncate(path, path.stat().st_size - lost)
    Mender(tmp_path, None, lambda ready: None).run()
    assert (after := read_state(folder)).status == "ended"
    assert after.repairs
    assert verify(folder).problems == []
    records = unpack((folder / SAMPLES).read_bytes())
    rows = (folder / state.csv).read_bytes()
    assert rows.endswith(b"\r\n")
    assert (
        rows.count(b"\r\n") - 1 == len(records) > 300
    )  # a row each; the tape of this run has no bytes to read again
    before = (folder / MANIFEST).read_bytes()
    (folder / MANIFEST).unlink()
    Mender(tmp_path, None, lambda ready: None, "another bench").run()
    assert not (folder / MANIFEST).exists()  # a copy may be on its way here: it is left alone
    (folder / MANIFEST).write_bytes(before)
    Mender(tmp_path, None, lambda ready: None).run()
    assert (folder / MANIFEST).read_bytes() == before  # once is enough


def test_one_byte_of_the_csv_is_seen_and_when_it_was_written(tmp_path: Path) -> None:
    folder = logged(tmp_path)
    path = next(p for p in folder.glob("*.csv") if p.name.startswith("pump"))
    data = bytearray(path.read_bytes())
    place = data.index(b"20.000000,")  # elapsed seconds
    data[place + 10] ^= 1
    path.write_bytes(data)
    [problem] = verify(folder).problems
    assert problem.startswith(f"{path.name} has changed. What differs was written between ")
    assert command.run([str(folder)]) == 1


def test_what_came_went_and_was_cut_is_seen(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = logged(tmp_path)
    assert command.run([str(folder / "samples.bin")]) == 0
    assert "Checked: nothing has changed since." in capsys.readouterr().out
    (folder / "marks.csv").unlink()
    (folder / "note.txt").write_text("x")
    samples = folder / "samples.bin"
    samples.write_bytes(samples.read_bytes()[:-24])
    (folder / "again").mkdir()
    (folder / "again" / "x.csv").write_text("a later version is no change")
    problems = verify(folder).problems
    assert "marks.csv is gone." in problems
    assert "note.txt was added." in problems
    assert any(one.startswith("samples.bin has 9576 bytes instead of 9600.") for one in problems)
    assert len(problems) == 3


def test_a_seal_that_was_changed_is_seen(tmp_path: Path) -> None:
    folder = logged(tmp_path)
    before = seal_of(folder).fingerprint
    told = json.loads((folder / MANIFEST).read_text())
    told["files"][0]["path"] = "../../../etc/hostname"
    (folder / MANIFEST).write_text(json.dumps(told))
    assert any("the seal itself was changed" in one for one in verify(folder).problems)
    assert seal_of(folder).fingerprint != before
    (folder / MANIFEST).write_text("{}")
    with pytest.raises(SealError, match="cannot be read"):
        verify(folder)
    other = logged(tmp_path)
    (folder / MANIFEST).write_bytes((other / MANIFEST).read_bytes())
    assert "The seal is that of another run." in verify(folder).problems


def test_no_seal_while_it_goes_on_and_one_when_it_was_interrupted(tmp_path: Path) -> None:
    folder = logged(tmp_path, end=False)
    with pytest.raises(SealError, match="is not sealed"):
        seal_of(folder)
    assert command.run([str(folder), "no such run"]) == 2
    close_interrupted(folder, "it was killed")
    assert verify(folder).problems == []


def test_a_seal_that_cannot_be_written_leaves_the_run_closed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On a full disk: the run is closed all the same, and simply has no seal."""

    def full(_: Path) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("tidybench.runs.recovery.seal", full)
    folder = logged(tmp_path, end=False)
    assert close_interrupted(folder, "it was killed").reason == "it was killed"
    assert read_state(folder).status == "interrupted"
    with pytest.raises(SealError, match="is not sealed"):
        seal_of(folder)


def test_it_is_sealed_when_the_last_segment_is_packed(tmp_path: Path) -> None:
    """What is still being compressed would be another file a moment later."""
    disk = HeldDisk()
    log = RunLog.begin(
        tmp_path, bench="b", name="n", item="", operator="", row_rule="each reading", at=AT,  # type: ignore[arg-type]
        channels=[CHANNEL], setups={}, disk=disk,
    )  # fmt: skip
    log._tape._size = 2000
    for n in range(1, 200):
        at = AT + n * 100_000
        log.write([entry(n, at, batch((1, at, n / 7, Quality.OK)))], at)
    log.end(AT + 30_000_000, "ended")
    packing = [one for one in disk.held if getattr(one[0], "func", None) is _compressed]
    assert packing
    disk.held = [one for one in disk.held if one not in packing]
    disk.let_go()
    assert not (log.folder / MANIFEST).exists()
    disk.held = packing
    disk.let_go()
    assert list((log.folder / "tape").glob("*.gz"))
    assert verify(log.folder).problems == []


def test_a_run_is_found_by_a_part_of_its_name(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TIDY_DATA", str(tmp_path))
    one = logged(tmp_path / "runs")
    assert command.found(one.name) == one
    assert command.found("pump-7") == one
    logged(tmp_path / "runs")
    with pytest.raises(ValueError, match="2 runs are called so"):
        command.found("pump-7")
    with pytest.raises(ValueError, match="no such run"):
        command.found("nothing")
    seal(one)
