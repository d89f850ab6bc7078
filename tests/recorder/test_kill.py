"""kill -9, and what is left: a run that goes on, files that agree, ports that are free."""

import csv
import os
import shutil
import signal
import subprocess
import sys
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from measure.bench import recorder as in_process

from tests.conftest import DEMO, ROOT, RecorderProcess, Shop, flows, setup_text, wait_for
from tidybench.core.batch import Batch
from tidybench.core.samples import sequences_of, unpack
from tidybench.core.tape.events import Lost, Missed, Note, Received
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.row_rule import RowRule
from tidybench.links.holders import holders
from tidybench.recorder import mender
from tidybench.recorder.recorder import Recorder
from tidybench.runs.checks import newest_checks
from tidybench.runs.crossings import read_crossings
from tidybench.runs.csv_files import csv_files
from tidybench.runs.entry import Entry
from tidybench.runs.files import trim_lines
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import _complete_rows, mend
from tidybench.runs.reread import reread
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.stamps import parse
from tidybench.runs.tape import read_tape, segments
from tidybench.wire.places import Places
from tidybench.wire.runs import AddMark, BeginRun, EndRun, RunStatus
from tidybench.wire.setups import SetupText

BOTH = ("loop-flow-meter", "power-analyser")


def begin(recorder: RecorderProcess, rule: object = "steady rows") -> RunStatus:
    answer = recorder.client.ask(BeginRun(name="Long test", row_rule=rule))[0]  # type: ignore[arg-type]
    assert answer.run is not None
    return answer.run


def rows_of(run: RunStatus) -> list[dict[str, str]]:
    rows = []
    for path in csv_files(Path(run.folder), run.csv):
        data = path.read_bytes()
        assert data.endswith(b"\r\n")
        rows += list(csv.DictReader(data.decode().splitlines()))
    assert all(None not in row and None not in row.values() for row in rows)
    return rows


def packed_from_tape(folder: Path) -> bytes:
    return b"".join(item.batch.pack(item.sequence) for item in reread(folder) if item.batch is not None)


def test_golden_a_tape_read_again_gives_the_same_samples(recorder: RecorderProcess, shop: Shop) -> None:
    """A live run with a late reply, a gap and a recorder restart."""
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder)
    folder = Path(run.folder)

    def polls() -> int:
        found = recorder.status().run
        return found.counts.polls if found else 0

    wait_for(lambda: polls() > 8, "some polls")
    shop.flow.late_by = 0.6
    shop.flow.fault("late")
    wait_for(
        lambda: (found := recorder.status().run) is not None and found.counts.gave_up > 0,
        "a poll to be given up",
    )
    shop.flow.fault("late", False)
    shop.power.fault("unplugged")
    wait_for(lambda: recorder.status().instruments[1].stages[0].state == "stopped", "the gap")
    shop.power.fault("unplugged", False)
    wait_for(recorder.all_passing, "the device to be back")
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "the recorder to be back")
    before = polls()
    wait_for(lambda: polls() > before + 5, "polls after the restart")
    assert recorder.client.ask(EndRun(run=run.id))[0].trouble == ""

    live = (folder / "samples.bin").read_bytes()
    assert packed_from_tape(folder) == live
    events = [item.event for item in reread(folder)]
    assert sum(isinstance(e, Lost) for e in events) >= 3  # the gap, and both links at the restart
    assert any(isinstance(e, Note) and e.what == "recorder restarted" for e in events)
    sequences = [item.sequence for item in reread(folder)]
    assert sequences == sorted(set(sequences))
    codes = {int(word) & 0xFF for word in unpack(live)["word"]}
    assert {0, 7, 8} <= codes  # ok, no reply, link lost


@pytest.mark.parametrize("rule", ["steady rows", "each reading"])
def test_a_recorder_killed_in_mid_run_carries_on(recorder: RecorderProcess, shop: Shop, rule: str) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, rule)
    wait_for(lambda: len(rows_of(run)) > 8, "rows")
    recorder.client.ask(AddMark(text="=before"))
    recorder.kill()
    killed_with = len(rows_of(run))
    assert not holders(shop.flow.port)
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "the recorder to be back")
    wait_for(lambda: len(rows_of(run)) > killed_with + 8, "rows after the restart")
    status = recorder.status().run
    assert status is not None
    assert status.id == run.id
    assert [mark.text for mark in status.marks] == ["=before"]
    assert recorder.client.ask(EndRun(run=run.id))[0].trouble == ""
    rows = rows_of(run)
    times = [parse(row["time"]) for row in rows]
    assert times == sorted(times)
    if rule == "steady rows":
        assert len(times) == len(set(times))
    folder = Path(run.folder)
    assert packed_from_tape(folder) == (folder / "samples.bin").read_bytes()
    state = read_state(folder)
    assert state.status == "ended"
    assert state.counts.missed == sum(e.event.count for e in reread(folder) if isinstance(e.event, Missed))


def test_a_kill_loses_at_most_a_tenth_of_a_second(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, "each reading")
    wait_for(lambda: len(rows_of(run)) > 5, "rows")
    recorder.kill()
    last = shop.flow.sent[-1]
    mend(Path(run.folder))
    logged = [float(row["Loop flow [L/min]"]) for row in rows_of(run)]
    sent = flows(shop.flow)
    # The interval is 200 ms: at most the reply that was on its way is not in the file.
    assert logged[-1] in (float(last[3:11]), sent[-2])


@pytest.mark.parametrize("tear", range(1, 60, 6))
def test_torn_anywhere_the_files_are_made_to_agree(
    recorder: RecorderProcess, shop: Shop, tmp_path: Path, tear: int
) -> None:
    """As a power cut leaves them: each file cut at another byte."""
    folder = _finished_run(recorder, shop, tmp_path)
    state = read_state(folder)
    whole_samples = (folder / "samples.bin").read_bytes()
    whole_rows = (folder / state.csv).read_bytes()
    for name, cut in (("samples.bin", tear * 5), (state.csv, tear * 4), ("tape/0001.jsonl", tear % 30)):
        os.truncate(folder / name, (folder / name).stat().st_size - cut)
    mended = mend(folder)
    samples = (folder / "samples.bin").read_bytes()
    assert samples == packed_from_tape(folder)
    assert whole_samples.startswith(samples)
    rows = (folder / state.csv).read_bytes()
    assert rows.endswith(b"\r\n")
    assert whole_rows.startswith(rows[: len(whole_rows)][:-2])
    assert mended.state.repairs
    assert mended.rows == rows.count(b"\n") - 1


_runs: dict[int, Path] = {}


def _finished_run(recorder: RecorderProcess, shop: Shop, tmp_path: Path) -> Path:
    """A fresh copy of one short run, made once."""
    if 0 not in _runs:
        recorder.start("loop-flow-meter")
        wait_for(recorder.all_passing, "passing")
        run = begin(recorder)
        wait_for(lambda: len(rows_of(run)) > 15, "rows")
        recorder.kill()
        kept = tmp_path.parent / "kept-run"
        shutil.copytree(run.folder, kept)
        mend(kept)
        _runs[0] = kept
    copy = tmp_path / "copy"
    shutil.copytree(_runs[0], copy)
    return copy


def test_everything_killed_the_run_is_closed_at_the_next_start(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder)
    wait_for(lambda: len(rows_of(run)) > 5, "rows")
    recorder.kill()
    recorder.start()  # a new start, not a supervisor's restart
    wait_for(lambda: recorder.status().run is None, "the recorder")
    wait_for(lambda: read_state(Path(run.folder)).status == "interrupted", "the run to be closed")
    state = read_state(Path(run.folder))
    assert state.ended_at is not None
    assert (Path(run.folder) / "summary.json").exists()
    last = max(i.event.at for i in reread(Path(run.folder)) if isinstance(i.event, Received))
    assert abs(state.ended_at - last) < 1_000_000


def test_when_its_parent_is_gone_it_ends_and_frees_the_ports(places: Places, shop: Shop) -> None:
    """The supervisor was killed with -9: the recorder hears the end of file on their pipe."""
    code = (
        "import os, subprocess, sys, time\n"
        "r, w = os.pipe()\n"
        "p = subprocess.Popen([sys.executable, '-m', 'tidybench.recorder', *sys.argv[1:]],\n"
        "    pass_fds=[r], env={**os.environ, 'TIDY_PARENT_PIPE': str(r)})\n"
        "print(p.pid, flush=True)\ntime.sleep(100)\n"
    )
    setup = DEMO / "loop-flow-meter.setup.toml"
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    parent = subprocess.Popen(
        [sys.executable, "-c", code, str(setup)], env=environment, stdout=subprocess.PIPE
    )
    assert parent.stdout is not None
    child = int(parent.stdout.readline())
    wait_for(lambda: [h.pid for h in holders(shop.flow.port)] == [child], "the port to be held")
    parent.send_signal(signal.SIGKILL)
    parent.wait()
    wait_for(lambda: not holders(shop.flow.port), "the port to be free", 3)


def test_a_folder_that_cannot_be_mended_does_not_keep_the_bench_from_starting(
    recorder: RecorderProcess, shop: Shop, tmp_path: Path
) -> None:
    folder = _finished_run(recorder, shop, tmp_path)
    broken = recorder.places.runs / "2026-11-23" / "000000+0000-broken"
    broken.parent.mkdir(parents=True, exist_ok=True)
    folder.rename(broken)
    (broken / "set-ups" / "loop-flow-meter.setup.toml").write_text("not a set-up")
    recorder.stop()
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "the recorder to start all the same")
    wait_for(lambda: read_state(broken).status == "interrupted", "it to be closed")
    state = read_state(broken)
    assert "could not be mended" in state.reason


def test_a_folder_that_may_not_be_written_is_no_reason_to_end(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    """Fault 10: a `logging` run folder of another user made a crash loop."""

    def forbidden(*_: object) -> None:
        raise PermissionError(13, "Permission denied")

    folder = places.runs / "2026-11-23" / "000000+0000-another"
    folder.mkdir(parents=True)
    state = RunState(id="x", bench="b", name="n", begun_at=1, csv="x.csv", channels=[])
    (folder / "state.json").write_text(state.model_dump_json())
    monkeypatch.setattr(mender, "close_interrupted", forbidden)
    monkeypatch.setattr(mender, "set_aside", forbidden)
    with in_process([SetupText(id=BOTH[0], text=setup_text(BOTH[0]))], places) as bench:
        wait_for(lambda: bench.log.rows > 3, "another run to be logged")
        wait_for(
            lambda: any("could not be closed either" in r.getMessage() for r in caplog.records),
            "it to be said",
        )
    assert read_state(folder).status == "logging"


def test_a_run_that_is_begun_before_the_mender_has_its_turn_is_left_alone(tmp_path: Path) -> None:
    """It stands among the runs, and says “logging”, as those that a crash left do."""
    made = mender.Mender(tmp_path, None, lambda ready: None)
    log = RunLog.begin(
        tmp_path, bench="b", name="n", item="", operator="", row_rule=RowRule(), at=1, channels=[], setups={}
    )  # fmt: skip
    made.run()
    assert read_state(log.folder).status == "logging"
    mender.Mender(tmp_path, None, lambda ready: None).run()
    assert read_state(log.folder).status == "interrupted"
    log.abandon()


def test_what_is_crossed_while_a_run_is_put_in_order_is_kept_with_it(
    recorder: RecorderProcess, shop: Shop, places: Places
) -> None:
    recorder.start(BOTH[0])
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder)
    wait_for(lambda: len(rows_of(run)) > 3, "rows")
    recorder.kill()
    folder = Path(run.folder)
    made = Recorder(places, carry_on=True)
    try:
        going_on = made._run
        crossing = Crossing(
            made.clock.now(), 1, "high", "within", 250.0, 200.0, "Loop flow", "Loop flow is above"
        )
        going_on.crossing(crossing)
        assert read_crossings(folder) == []
        status = going_on.status()
        assert status is not None
        assert "put in order" in status.troubles[0]
        made.start()
        wait_for(lambda: read_crossings(folder), "it to be in its file")
        assert [(one.value, one.state) for one in read_crossings(folder)] == [(250.0, "high")]
    finally:
        made.stop()
    assert sum(isinstance(item.event, Crossing) for item in reread(folder)) == 1


def test_stopped_in_mid_run_it_is_closed_as_interrupted_at_once(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder)
    wait_for(lambda: len(rows_of(run)) > 3, "rows")
    recorder.stop()
    state = read_state(Path(run.folder))
    assert (state.status, state.reason) == ("interrupted", "Tidy Bench was stopped during the run.")
    *_, last = reread(Path(run.folder))
    assert isinstance(last.event, Note)
    assert last.event.what == "end"  # its links were lost afterwards, and not to the run
    assert state.counts.lost == 0
    assert packed_from_tape(Path(run.folder)) == (Path(run.folder) / "samples.bin").read_bytes()


def test_killed_right_after_the_beginning(recorder: RecorderProcess, shop: Shop) -> None:
    """Before the links' starting states are on the tape: they come with the restart."""
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder)
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "the recorder to be back")
    wait_for(lambda: len(rows_of(run)) > 3, "rows")
    assert recorder.client.ask(EndRun(run=run.id))[0].trouble == ""
    assert packed_from_tape(Path(run.folder)) == (Path(run.folder) / "samples.bin").read_bytes()


def test_rows_out_of_order_of_time_are_neither_lost_nor_doubled(tmp_path: Path) -> None:
    """Two links: the row of one may stand before an earlier row of the other."""
    channels = [
        RunChannel(
            number=n, id=name, name=name, unit="", decimals=1, interval_s=0.0, instrument="i", instrument_name="I",
            scale=1, offset=0,
        )
        for n, name in ((1, "a"), (2, "b"))
    ]  # fmt: skip
    at = 1_795_416_791_000_000
    log = RunLog.begin(
        tmp_path,
        bench="b",
        name="x",
        item="",
        operator="",
        row_rule=RowRule(kind="each reading"),
        at=at,
        channels=channels,
        setups={},
    )
    entries: list[Entry] = []
    for n in range(1, 15_001):
        batch = Batch()
        batch.add(1 + n % 2, 0, at + n * 1000 - (n % 2) * 2500, float(n))
        entries.append(Entry(n, "", Note(at + n * 1000, "x"), batch))
        entries[-1].seal()
    log.write(entries, at + 20_000_000)
    log.sync(at + 20_000_000)
    log.abandon()
    file = log.folder / log.state.csv
    whole = file.read_bytes()
    for cut in (0, 1, 60, 5_000, 40_000):
        file.write_bytes(whole[: len(whole) - cut])
        trim_lines(file)
        _complete_rows(log.folder, log.state, at + 20_000_000, None)
        assert file.read_bytes() == whole


REMEMBERING = """
[[calculated]]
id = "volume"
name = "Volume"
expression = 'integral("loop-flow") + mean_over("loop-flow", 20 [s]) * 1 [s] + time_since("loop-flow" > 0 [L/min]) * 1 [L/min]'
unit = "L"
filter = [{ kind = "mean", count = 7 }]
"""


def test_any_two_segments_of_a_tape_are_enough_to_go_on_from(places: Places, shop: Shop) -> None:
    """The tape turns to new segments in mid-run; recovery reads only the newest two. Each opens with all that is
    remembered, windows and integrals too (fault 3)."""
    texts = [SetupText(id=name, text=setup_text(name)) for name in BOTH]
    with in_process(texts, places, calculations=REMEMBERING) as bench:
        bench.log._tape._size = 4_000
        folder = bench.log.folder
        wait_for(lambda: len(segments(folder / "tape")) >= 5, "five segments", 30)
        bench.end_run()
    whole = (folder / "samples.bin").read_bytes()
    assert packed_from_tape(folder) == whole
    found = segments(folder / "tape")
    for path, following in pairwise(found[1:]):
        head = next(read_tape(folder / "tape", int(following.name[:4])))[0]
        items = [i for i in reread(folder, int(path.name[:4])) if i.batch is not None and i.sequence >= head]
        part = b"".join(i.batch.pack(i.sequence) for i in items if i.batch is not None)
        records = unpack(whole)
        assert part == records[sequences_of(records) >= head].tobytes()
        assert part or following == found[-1]
    state = read_state(folder)
    volume = state.numbers["volume"]
    mine = records[(records["word"] >> np.uint64(8) & np.uint64(0xFFFF)) == volume]
    assert len(mine) > 10
    assert (mine["value"][5:] > 0).all()


@pytest.mark.parametrize("rule", ["each reading", "steady rows"])
def test_after_a_kill_an_integral_goes_on_from_the_whole_run(
    places: Places, shop: Shop, tmp_path: Path, rule: str
) -> None:
    """Fault 3: samples.bin cut by six records, and 8232 came back where 17835 was logged."""
    texts = [SetupText(id=name, text=setup_text(name)) for name in BOTH]
    with in_process(texts, places, rule, REMEMBERING) as bench:  # type: ignore[arg-type]
        bench.log._tape._size = 4_000
        folder = bench.log.folder
        wait_for(
            lambda: len(newest_checks(folder)) > 1 and len(segments(folder / "tape")) >= 5, "segments", 30
        )
        copy = tmp_path / "copy"
        shutil.copytree(folder, copy, ignore=shutil.ignore_patterns("tape", "*.new", "*.tmp"))
        shutil.copytree(folder / "tape", copy / "tape", ignore=shutil.ignore_patterns("*.new", "*.tmp"))
    state = read_state(folder)
    whole, rows = (folder / "samples.bin").read_bytes(), (folder / state.csv).read_bytes()
    os.truncate(copy / "samples.bin", (copy / "samples.bin").stat().st_size - 6 * 24 - 5)
    mended = mend(copy)
    found = (copy / "samples.bin").read_bytes()
    assert whole.startswith(found)
    assert len(found) > len(whole) * 0.6
    assert rows.startswith((copy / state.csv).read_bytes())
    assert (
        mended.stats.of(state.numbers["volume"]).maximum
        == unpack(found)["value"][
            (unpack(found)["word"] >> np.uint64(8) & np.uint64(0xFFFF)) == state.numbers["volume"]
        ].max()
    )
