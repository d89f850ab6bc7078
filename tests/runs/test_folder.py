"""Run folders: names, metadata, time stamps, tape segments, full disks."""

import json
import os
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import wait_for
from tests.runs.held_disk import HeldDisk
from tidybench.core.batch import Batch
from tidybench.core.samples import sequences_of, unpack
from tidybench.core.tape.events import Hole, Note, Start
from tidybench.core.tape.lines import TapeError, tape_line
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.crossings import CROSSINGS, read_crossings
from tidybench.runs.disk import HereAndNow
from tidybench.runs.entry import Entry
from tidybench.runs.files import Appender, trim_lines, trim_records
from tidybench.runs.folder import new_folder, slug
from tidybench.runs.log import RunLog
from tidybench.runs.reserve import Reserve
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import read_state
from tidybench.runs.sidecar import metadata
from tidybench.runs.stamps import Stamps, parse
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import TapeWriter, read_tape, segments
from tidybench.runs.whole import WholeFile

AT = 1_795_416_791_420_240
CHANNEL = RunChannel(
    number=1, id="a", name="A", unit="V", decimals=1, interval_s=0.1, instrument="i", instrument_name="I",
    scale=2, offset=1,
)  # fmt: skip


def begin(runs: Path, name: str = "Pump 7 / ..", rule: str = "each reading") -> RunLog:
    return RunLog.begin(
        runs, bench="b", name=name, item="=x", operator="o", row_rule=rule, at=AT,  # type: ignore[arg-type]
        channels=[CHANNEL], setups={},
    )  # fmt: skip


def entry(number: int, at: int, batch: Batch) -> Entry:
    made = Entry(number, "", Note(at, "x"), batch)
    made.seal()
    return made


@pytest.mark.parametrize(
    ("name", "short"),
    [("Pump 7 acceptance", "pump-7-acceptance"), ("../../etc/passwd", "etc-passwd"), ("=1+1", "1-1"),
     ("Größe \"a\" 😀", "grosse-a"), ("...", "run"), ("水", "run"), ("a" * 200, "a" * 60)],
)  # fmt: skip
def test_a_name_becomes_a_safe_file_name(name: str, short: str) -> None:
    assert slug(name) == short.replace("grosse", "groe")  # ß has no plain form


@given(st.text())
def test_any_name_does(name: str) -> None:
    assert set(slug(name)) <= set("abcdefghijklmnopqrstuvwxyz0123456789-")
    assert slug(name)


def test_two_runs_of_one_second_have_folders_of_their_own(tmp_path: Path) -> None:
    first, second = new_folder(tmp_path, "x", AT), new_folder(tmp_path, "x", AT)
    assert first[0] != second[0]
    assert first[1] != second[1]


def test_the_sidecar_describes_the_csv(tmp_path: Path) -> None:
    log = begin(tmp_path)
    table = json.loads(metadata(log.state, log.state.csv))
    titles = (log.folder / log.state.csv).read_text().splitlines()[0].split(",")
    assert [column["titles"] for column in table["tableSchema"]["columns"]] == titles
    assert table["@context"][0] == "http://www.w3.org/ns/csvw"
    assert table["tableSchema"]["columns"][2]["schema:unitText"] == "V"
    assert (log.folder / f"{log.state.csv}-metadata.json").exists()
    log.abandon()


@given(st.integers(0, 4_000_000_000_000_000))
def test_stamps_read_back(at: int) -> None:
    stamps = Stamps()
    assert parse(stamps.micro(at)) == at
    assert parse(stamps.milli(at)) == at // 1000 * 1000


def test_stamps_follow_summer_time(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TZ", "Europe/Berlin")
    time.tzset()
    try:
        stamps = Stamps()
        hour = 3_600_000_000
        change = 1_792_890_000_000_000  # 2026-10-25 01:00 UTC: the hour from 2 to 3 comes twice
        assert stamps.milli(change - hour).endswith("T02:00:00.000+02:00")
        assert stamps.milli(change).endswith("T02:00:00.000+01:00")
    finally:
        monkeypatch.undo()
        time.tzset()


def test_a_torn_line_and_a_torn_record_are_cut(tmp_path: Path) -> None:
    file = tmp_path / "f"
    file.write_bytes(b"one\r\ntwo\r\nthr")
    assert trim_lines(file) == 3
    assert file.read_bytes() == b"one\r\ntwo\r\n"
    assert trim_lines(file) == 0
    file.write_bytes(b"x" * 50)
    assert trim_records(file, 24) == 2
    assert trim_lines(tmp_path / "none") == trim_records(tmp_path / "none", 24) == 0


def test_the_tape_goes_on_in_segments_and_old_ones_are_compressed(tmp_path: Path) -> None:
    writer = TapeWriter(tmp_path, segment_size=200)
    for n in range(20):
        writer.append((tape_line(n, "x", Note(n, "mark", "something that happened")) + "\n").encode())
    writer.close()
    wait_for(lambda: len(list(tmp_path.glob("*.gz"))) == len(segments(tmp_path)) - 1, "compression")
    assert [sequence for sequence, _, _ in read_tape(tmp_path)] == list(range(20))
    assert TapeWriter(tmp_path)._number == int(segments(tmp_path)[-1].name[:4])


def test_a_segment_goes_only_when_its_gzip_is_on_the_disk(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fault 4: nor before its name in the folder is."""
    disk, synced = HeldDisk(), []
    monkeypatch.setattr(os, "fsync", lambda fd: synced.append(os.readlink(f"/proc/self/fd/{fd}")))
    there: list[tuple[str, bool]] = []
    real = os.fdatasync

    def watched(fd: int) -> None:
        there.append((os.readlink(f"/proc/self/fd/{fd}"), (tmp_path / "0001.jsonl").exists()))
        real(fd)

    monkeypatch.setattr(os, "fdatasync", watched)
    writer = TapeWriter(tmp_path, disk, segment_size=200)
    line = (tape_line(1, "x", Note(1, "clock", "something that happened" * 9)) + "\n").encode()
    writer.append(line)
    assert writer.append(line)
    assert [path.name for path in segments(tmp_path)] == ["0001.jsonl", "0002.jsonl"]  # nothing is gone yet
    disk.let_go()
    assert [path.name for path in segments(tmp_path)] == ["0001.jsonl.gz", "0002.jsonl"]
    assert synced == [str(tmp_path / "0001.jsonl.gz.new")]
    assert there[-1] == (str(tmp_path), True)
    writer.close()
    assert len(list(read_tape(tmp_path))) == 2


def test_there_may_be_more_segments_than_four_digits_have(tmp_path: Path) -> None:
    for number in (9999, 10_000, 10_001, 2):
        (tmp_path / f"{number:04d}.jsonl").write_text(tape_line(number, "", Note(1, "x")) + "\n")
    (tmp_path / "0001.jsonl.gz.new").write_bytes(b"half")
    assert [n for n, _, _ in read_tape(tmp_path)] == [2, 9999, 10_000, 10_001]
    writer = TapeWriter(tmp_path, segment_size=1)
    writer.append(b"x\n")
    assert segments(tmp_path)[-1].name == "10002.jsonl"
    writer.close()


def test_a_bad_line_is_named(tmp_path: Path) -> None:
    (tmp_path / "0001.jsonl").write_text('{"n":1,"t":1,"l":"","k":"note","what":"a","text":""}\nnonsense\n')
    with pytest.raises(TapeError, match=r"0001\.jsonl, line 2"):
        list(read_tape(tmp_path))


class Full:
    """A disk that has no room for some files."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.kinds: set[str] = set()
        real = Appender.append

        def write(appender: Appender, data: bytes) -> None:
            kind = "tape" if "tape" in str(appender.path) else appender.path.suffix[1:]
            if kind in self.kinds:
                raise OSError(28, os.strerror(28))
            real(appender, data)

        monkeypatch.setattr(Appender, "append", write)


def logged(log: RunLog) -> tuple[list[int], list[int], int]:
    """Numbers on the tape, numbers of the samples, rows."""
    samples = unpack((log.folder / "samples.bin").read_bytes())
    rows = (log.folder / log.state.csv).read_text().count("\n") - 1
    return [n for n, _, _ in read_tape(log.folder / "tape")], sequences_of(samples).tolist(), rows


def test_only_what_is_the_run_s_own_may_end_it(tmp_path: Path) -> None:
    """A run that was to end when a channel had settled for 0.4 s ended after 0.26 s, by what was measured before it began."""
    log = begin(tmp_path)
    batches = [Batch(), Batch()]
    for place, batch in enumerate(batches):
        batch.add(1, 0, AT + place, 1.5)
    early, late = (Entry(n, "port", Note(AT, "x"), batch) for n, batch in zip((1, 3), batches, strict=True))
    start = Entry(2, "port", Start(AT, {}))
    for one in (early, start, late):
        one.seal()
    assert log.write([early, start, late], AT + 5) == [batches[1]]
    assert len(unpack((log.folder / "samples.bin").read_bytes())) == 1
    log.abandon()


@pytest.mark.parametrize("kind", ["tape", "bin", "csv"])
def test_on_a_full_disk_everything_waits_and_follows(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    """Fault 8: a moment of full disk ended tape and samples for the whole run."""
    log, disk = begin(tmp_path), Full(monkeypatch)
    batch = Batch()
    batch.add(1, 0, AT + 5, 1.5)
    log.write([entry(1, AT + 5, batch)], AT + 6)
    disk.kinds = {kind}
    log.write([entry(2, AT + 7, batch)], AT + 8)
    log.write([entry(3, AT + 9, batch)], AT + 10)
    assert "No space left on device" in log.troubles["files"]
    assert "follows by itself" in log.troubles["files"]
    assert log.rows == 1
    disk.kinds.clear()
    log.write([], AT + 11)
    assert log.troubles == {}
    assert logged(log) == ([1, 2, 3], [1, 2, 3], 3)
    log.abandon()


def test_what_there_is_no_memory_for_is_a_counted_hole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fault 8: in tape, samples and summary alike. The link counts again from its starting state."""
    monkeypatch.setattr("tidybench.runs.log.MAX_WAITING", 300)
    log, disk = begin(tmp_path), Full(monkeypatch)
    batch = Batch()
    batch.add(1, 0, AT + 5, 1.5)

    def write(number: int, link: str = "") -> None:
        one = Entry(number, link, Note(AT + number, "x"), batch)
        one.seal()
        log.write([one], AT + number)

    write(1)
    disk.kinds = {"tape", "bin", "csv"}
    for number in range(2, 10):
        write(number)
    assert "samples are lost so far" in log.troubles["hole"]
    disk.kinds.clear()
    log.write([], AT + 10)
    assert log.wants_states
    write(11, "a link")  # before its state: what it happened upon is not on the tape
    write(12)
    tape, samples, rows = logged(log)
    [hole] = log.state.holes
    kept = [1, *range(2, hole.first)]
    assert tape == [*kept, 9, 12]
    assert samples == [*kept, 12]
    assert rows == len(samples)
    assert (hole.events, hole.samples) == (10 - hole.first, 10 - hole.first)
    [found] = [e for _, _, e in read_tape(log.folder / "tape") if isinstance(e, Hole)]
    assert found == hole
    log.end(AT + 20, "over")
    summary = json.loads((log.folder / "summary.json").read_text())
    assert [h["samples"] for h in summary["holes"]] == [hole.samples]
    assert summary["channels"][0]["samples"] == len(samples)


def test_a_run_can_be_ended_on_a_full_disk(tmp_path: Path) -> None:
    """Fault 9: it was orphaned. Room is kept for its state and summary."""
    reserve = Reserve(tmp_path)
    reserve.lay_up()
    assert (
        (tmp_path / ".reserve").stat().st_size == (tmp_path / ".reserve").stat().st_blocks * 512 > 1_000_000
    )
    log = begin(tmp_path)
    file = WholeFile(log.folder / "state.json", HereAndNow(), lambda error: None, reserve)
    tries = []

    def full(text: str) -> None:
        tries.append((tmp_path / ".reserve").exists())
        if tries[-1]:
            raise OSError(28, os.strerror(28))
        real(text)

    real = file._write
    file._write = full  # type: ignore[method-assign]
    file.put("{}")
    assert tries == [True, False]
    assert (log.folder / "state.json").read_text() == "{}"
    log.abandon()


def test_what_waits_at_the_end_on_a_full_disk_is_counted_as_lost(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    log, disk = begin(tmp_path), Full(monkeypatch)
    batch = Batch()
    batch.add(1, 0, AT + 5, 1.5)
    log.write([entry(1, AT + 5, batch)], AT + 6)
    disk.kinds = {"tape"}
    log.write([entry(2, AT + 7, batch)], AT + 8)
    log.end(AT + 9, "over")
    state = read_state(log.folder)
    assert state.status == "ended"
    assert [(hole.events, hole.samples) for hole in state.holes] == [(1, 1)]


def test_one_file_that_fails_keeps_no_other_from_being_synced(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fault 18; and "saved" means synced."""
    log = begin(tmp_path)
    batch = Batch()
    batch.add(1, 0, AT + 5, 1.5)
    log.write([entry(1, AT + 5, batch)], AT + 6)
    assert log.saved_at == 0
    real, synced = os.fdatasync, []

    def broken(descriptor: int) -> None:
        name = os.readlink(f"/proc/self/fd/{descriptor}")
        synced.append(name)
        if name.endswith("samples.bin"):
            raise OSError(5, os.strerror(5))
        real(descriptor)

    with monkeypatch.context() as patch:
        patch.setattr(os, "fdatasync", broken)
        log.sync(AT + 10)
        assert any(name.endswith(".csv") for name in synced)
        assert any(name.endswith("0001.jsonl") for name in synced)
    assert log.saved_at == 0
    assert "Input/output error" in log.troubles["disk"]
    log.write([entry(2, AT + 11, batch)], AT + 12)
    log.sync(AT + 13)
    assert log.saved_at == AT + 13
    log.abandon()


def test_a_folder_that_is_moved_or_deleted_while_it_is_logged_is_said(tmp_path: Path) -> None:
    """Fault 24."""
    log = begin(tmp_path)
    log.sync(AT + 1)
    assert log.troubles == {}
    other = tmp_path / "elsewhere"
    log.folder.rename(other)
    log.sync(AT + 2)
    assert "moved or deleted" in log.troubles["folder"]
    other.rename(log.folder)
    log.sync(AT + 3)
    assert "folder" not in log.troubles
    log.abandon()


def test_a_piece_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = Appender(tmp_path / "f")
    file.append(b"whole\n")
    calls = []

    def half(fd: int, data: bytes) -> int:
        calls.append(data)
        if len(calls) > 1:
            raise OSError(28, "full")
        return real(fd, data[:3])

    real = os.write
    monkeypatch.setattr(os, "write", half)
    with pytest.raises(OSError, match="full"):
        file.append(b"torn apart\n")
    monkeypatch.undo()
    assert (tmp_path / "f").read_bytes() == b"whole\n"


def test_states_are_counted_and_told_by_their_words(tmp_path: Path) -> None:
    words = ["IDLE", "RUN, slow", "=FAULT"]
    mode = CHANNEL.model_copy(update={"number": 2, "id": "m", "name": "Mode", "unit": "", "states": words})
    log = RunLog.begin(
        tmp_path, bench="b", name="n", item="", operator="", row_rule=RowRule(kind="each reading"), at=AT,
        channels=[CHANNEL, mode], setups={},
    )  # fmt: skip
    for n, place in enumerate((0.0, 1.0, 1.0, 2.0), 1):
        came = Batch()
        came.add(1, 0, AT + n, n * 1.5)
        came.add(2, 0, AT + n, place)
        log.write([entry(n, AT + n, came)], AT + n)
    log.crossing(Crossing(AT + 4, 2, "alarm", "within", 2.0, None, "Mode", "Mode is =FAULT", word="=FAULT"))
    log.crossing(Crossing(AT + 4, 1, "high", "within", 6.0, 5.0, "A", "A is above"))
    log.end(AT + 5, "by hand")
    number, state = json.loads((log.folder / "summary.json").read_text())["channels"]
    assert (number["minimum"], number["mean"], number["states"]) == (1.5, 3.75, {})
    assert (state["minimum"], state["maximum"], state["mean"]) == (None, None, None)
    assert (state["measured"], state["states"]) == (4, {"IDLE": 1, "RUN, slow": 2, "=FAULT": 1})
    # What a run carries on with after a crash counts on.
    again = RunStats([CHANNEL, mode])
    again.restore(json.loads(json.dumps(log.stats.state())))
    assert again.of(2).states == state["states"]
    assert ",Mode,alarm,'=FAULT,\r\n" in (log.folder / CROSSINGS).read_bytes().decode()
    told = read_crossings(log.folder)
    assert [(one.name, one.state, one.value, one.limit, one.word) for one in told] == [
        ("Mode", "alarm", None, None, "=FAULT"), ("A", "high", 6.0, 5.0, ""),
    ]  # fmt: skip
