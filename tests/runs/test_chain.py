"""The tape as a hash chain, beside hashlib over the files; what breaks it, and what goes on with it."""

import gzip
import hashlib
import json
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.runs.test_folder import AT, begin, entry
from tests.runs.test_rows import batch
from tidybench import verify as command
from tidybench.core.quality import Quality
from tidybench.runs.chain import broken
from tidybench.runs.checks import CHECKS, all_checks, check_line
from tidybench.runs.folder import MANIFEST
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import mend
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import seal, verify

S = 1_000_000


def write(log: RunLog, first: int, last: int) -> None:
    for n in range(first, last):
        at = AT + n * S // 10
        log.write([entry(n, at, batch((1, at, n / 7, Quality.OK)))], at)
        if n % 30 == 0:
            log.sync(at)


def logged(runs: Path) -> RunLog:
    """A run of 40 s whose tape has some segments, closed ones compressed."""
    log = begin(runs)
    log._tape._size = 4000
    write(log, 1, 401)
    return log


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    log = logged(tmp_path)
    log.end(AT + 41 * S, "by hand")
    assert len(list((log.folder / "tape").glob("*.gz"))) > 2
    return log.folder


def by_hand(folder: Path) -> list[str]:
    """The links as they must be, of the files alone."""
    tape = {}
    for path in sorted((folder / "tape").iterdir()):
        data = gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes()
        tape[path.name[:10]] = data
    link, links, number, at = hashlib.sha256(read_state(folder).id.encode()).digest(), [], 1, 0
    for line in (folder / CHECKS).read_text().splitlines():
        (name, end), *_ = [(k[5:], v) for k, v in json.loads(line)["ends"].items() if k.startswith("tape/")]
        told = b""
        while f"{number:04d}.jsonl" != name:
            told += tape[f"{number:04d}.jsonl"][at:]
            number, at = number + 1, 0
        told += tape[name][at:end]
        at = end
        link = hashlib.sha256(link + told).digest()
        links.append(link.hex())
    assert at == len(tape[name])
    return links


def covered(folder: Path) -> dict[str, int]:
    """Up to where each file is covered by pieces, without a gap."""
    ends: dict[str, int] = {}
    for line in (folder / CHECKS).read_text().splitlines():
        for name, start, end, _ in json.loads(line)["pieces"]:
            assert start == ends.get(name, 0), name
            ends[name] = end
    return ends


def test_every_check_has_its_link(folder: Path) -> None:
    links = [check.chain for check in all_checks(folder)]
    assert len(set(links)) == len(links) > 10
    assert links == by_hand(folder)
    assert broken(folder, read_state(folder).id, ended=True) is None
    assert broken(folder, "another run", ended=True) is not None


Edit = Callable[[bytes], list[bytes]]


def changed(folder: Path, edit: Edit) -> None:
    """Line 5 of the second segment, as `edit` makes it; its gzip is whole."""
    path = folder / "tape" / "0002.jsonl.gz"
    lines = gzip.decompress(path.read_bytes()).splitlines(keepends=True)
    lines[4:5] = edit(lines[4])
    path.write_bytes(gzip.compress(b"".join(lines), mtime=0))


EDITS: dict[str, Edit] = {
    "changed": lambda line: [line.replace(b"x", b"y")],
    "taken out": lambda line: [],
    "added": lambda line: [line, line],
}


@pytest.mark.parametrize("edit", EDITS)
def test_a_line_changed_is_found_though_the_seal_was_made_anew(folder: Path, edit: str) -> None:
    at = json.loads(gzip.decompress((folder / "tape" / "0002.jsonl.gz").read_bytes()).splitlines()[4])["t"]
    changed(folder, EDITS[edit])
    told = verify(folder).problems
    assert told[0].startswith("tape/0002.jsonl.gz has ")
    (folder / MANIFEST).unlink()
    seal(folder)
    [problem] = verify(folder).problems
    assert problem.startswith("The tape is not what was recorded between ")
    assert problem == told[-1]
    found = broken(folder, read_state(folder).id, ended=True)
    assert found is not None
    assert found.before is not None
    assert found.after is not None
    assert found.before.at <= at <= found.after.at


def test_a_check_that_was_taken_out_is_found(folder: Path) -> None:
    lines = (folder / CHECKS).read_text().splitlines(keepends=True)
    (folder / CHECKS).write_text("".join(lines[:3] + lines[4:]))
    seal(folder)
    assert "its chain is broken" in verify(folder).problems[0]


def test_links_that_were_taken_off_and_lines_behind_the_last_one_are_found(folder: Path) -> None:
    newest = sorted((folder / "tape").glob("*.jsonl"))[-1]
    whole = newest.read_bytes()
    newest.write_bytes(whole + whole.splitlines(keepends=True)[-1])
    seal(folder)
    assert "has no link in its chain" in verify(folder).problems[0]
    newest.write_bytes(whole)
    kept = (folder / CHECKS).read_text().splitlines(keepends=True)
    off = [
        check_line(one.sequence, one.at, one.rows, folder, list(one.pieces), one.ends)
        for one in all_checks(folder)
    ]
    (folder / CHECKS).write_text("".join([*kept[:5], *off[5:]]))
    changed(folder, EDITS["changed"])
    seal(folder)
    assert "its chain is broken" in verify(folder).problems[0]


@pytest.mark.parametrize("lost", [0, 1, 60, 1500])
def test_what_was_mended_is_covered_and_the_chain_goes_on(tmp_path: Path, lost: int) -> None:
    log = logged(tmp_path)
    log.abandon()
    folder = log.folder
    newest = sorted((folder / "tape").glob("*.jsonl"))[-1]
    newest.write_bytes(newest.read_bytes()[: -lost or None])
    mended = mend(folder)
    assert by_hand(folder) == [check.chain for check in all_checks(folder)]
    files = covered(folder)
    assert files["samples.bin"] == (folder / "samples.bin").stat().st_size
    assert files[mended.state.csv] == (folder / mended.state.csv).stat().st_size
    mend(folder)
    assert covered(folder) == files
    log = RunLog.resume(
        folder, rows=mended.rows, stats=mended.stats, links=[""], rule=mended.rule, now=mended.last_at
    )
    write(log, mended.last_sequence + 1, mended.last_sequence + 80)
    log.end(AT + 99 * S, "by hand")
    assert by_hand(folder) == [check.chain for check in all_checks(folder)]
    assert verify(folder).problems == []
    covered(folder)


def test_checks_that_find_no_room_are_written_later(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    log = begin(tmp_path)
    real = log._checks.append

    def full(data: bytes) -> None:
        raise OSError(28, "No space left on device")

    write(log, 1, 31)
    monkeypatch.setattr(log._checks, "append", full)
    write(log, 31, 92)
    assert "checks" in log.troubles
    monkeypatch.setattr(log._checks, "append", real)
    write(log, 92, 121)
    assert not log.troubles
    log.end(AT + 41 * S, "by hand")
    covered(log.folder)
    assert by_hand(log.folder) == [check.chain for check in all_checks(log.folder)]


def test_a_run_of_before_has_no_chain_and_gets_none(tmp_path: Path) -> None:
    log = logged(tmp_path)
    log.abandon()
    lines = []
    for check in all_checks(log.folder):
        lines.append(
            check_line(check.sequence, check.at, check.rows, log.folder, list(check.pieces), check.ends)
        )
    (log.folder / CHECKS).write_text("".join(lines))
    mended = mend(log.folder)
    again = RunLog.resume(
        log.folder, rows=mended.rows, stats=mended.stats, links=[""], rule=mended.rule, now=mended.last_at
    )
    write(again, 500, 580)
    again.end(AT + 99 * S, "by hand")
    assert {check.chain for check in all_checks(log.folder)} == {""}
    assert verify(log.folder).problems == []


def test_of_a_run_that_is_not_sealed_the_tape_is_checked(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    log = logged(tmp_path)
    log.abandon()
    assert command.run([str(log.folder)]) == 2
    assert "Its tape is as it was recorded, up to " in capsys.readouterr().err
    changed(log.folder, EDITS["taken out"])
    assert command.run([str(log.folder)]) == 2
    assert "its chain is broken there" in capsys.readouterr().err
