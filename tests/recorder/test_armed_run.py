"""Runs that wait for what begins them, and what comes along from memory; over pseudo-terminals."""

import gzip
import re
import time
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tests.recorder.inside import inside
from tests.recorder.test_kill import packed_from_tape, rows_of
from tests.recorder.test_planned_run import begin, channel
from tests.recorder.test_recorder import BOTH, ask
from tidybench.core.plan.begins import Begins
from tidybench.core.samples import channels_of, sequences_of, unpack
from tidybench.core.tape.events import Received
from tidybench.recorder.planned_begin import checked_begins
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.again import compared as reading_again
from tidybench.runs.again import frozen_texts
from tidybench.runs.provenance import explain
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.stamps import parse
from tidybench.runs.tape import read_tape
from tidybench.wire.places import Places
from tidybench.wire.runs import (
    ArmedStatus,
    ArmRun,
    BeginArmed,
    BeginRun,
    CallOff,
    EndRun,
    GetGlance,
    RunStatus,
)
from tidybench.wire.setups import ApplySetups, SetupText

S = 1_000_000


def arm(recorder: RecorderProcess, **plan: Any) -> ArmedStatus:
    answer = ask(recorder, ArmRun.model_validate({"name": "Waits", **plan}))
    assert answer.armed is not None, answer.why
    return answer.armed


def begun(recorder: RecorderProcess) -> RunStatus:
    wait_for(lambda: recorder.status().run is not None, "the run to begin")
    found = recorder.status()
    assert found.run is not None
    assert found.armed is None
    return found.run


def end(recorder: RecorderProcess, run: RunStatus) -> RunState:
    assert not ask(recorder, EndRun(run=run.id)).trouble
    return read_state(Path(run.folder))


def agrees(run: RunStatus) -> None:
    """Samples from memory against the bytes of the tape; those read since against the tape read again; rows against samples."""
    folder = Path(run.folder)
    state = read_state(folder)
    records = unpack((folder / "samples.bin").read_bytes())
    sequences = sequences_of(records).tolist()
    assert sequences == sorted(sequences)
    again = packed_from_tape(folder)
    read = set(sequences_of(unpack(again)).tolist())
    assert (
        min(read) > state.lead_sequence
    )  # what is from memory was read by readers that the tape does not know
    since = np.isin(sequences_of(records), np.array(sorted(read), np.uint64))
    assert records[since].tobytes() == again
    flow = state.numbers["loop-flow"]
    texts = {
        number: event.data
        for number, _, event in read_tape(folder / "tape")
        if isinstance(event, Received) and event.data.startswith(b"FL=") and event.data.endswith(b"\r\n")
    }
    compared = 0
    mine = channels_of(records) == flow
    for number, value in zip(sequences_of(records[mine]).tolist(), records["value"][mine], strict=True):
        found = re.search(rb"FL=([+-]\d+\.\d+)", texts.get(number, b""))
        if found is not None:
            assert value == pytest.approx(float(found[1]))
            compared += 1
    assert compared > 0
    led = records[mine & (sequences_of(records) <= state.lead_sequence)]
    for sample in led[1:]:  # the query of the first may not be there any more
        why = explain(folder, "loop-flow", int(sample["time"]))
        found = re.search(r"FL=([+-]\d+\.\d+)", why.came)
        assert found is not None, why.why
        assert (why.value, why.asked, why.why) == (pytest.approx(float(found[1])), "FL?\r", "")
    for _, text in frozen_texts(folder).values():
        outcome = reading_again(folder, text)
        for one in outcome.channels:
            assert one.logged == one.again, one.name
        assert outcome.from_memory == len(records) - since.sum()
    rows = rows_of(run)
    times = [parse(row["time"]) for row in rows]
    assert times == sorted(times)
    assert len(rows) == state.rows


def test_a_run_waits_for_a_time_and_begins_at_it(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    moment = datetime.now() + timedelta(seconds=2)
    armed = arm(recorder, begins={"at": f"{moment:%H:%M:%S}"}, ends={"after_s": 1}, item="P7-0414")
    assert armed.begins_at is not None
    assert recorder.status().armed == armed
    for other in (BeginRun(name="Another"), ArmRun.model_validate({"name": "x", "begins": {"at": "23:59"}})):
        answer = ask(recorder, other)
        assert (answer.trouble, "“Waits” waits to begin" in answer.why) == ("conflict", True)
    run = begun(recorder)
    assert run.begun_at == armed.begins_at
    assert (run.begun_by, run.item, run.lead_us) == (f"at {moment:%H:%M:%S}", "P7-0414", 0)
    wait_for(lambda: recorder.status().run is None, "its end")
    state = read_state(Path(run.folder))
    assert state.ended_at is not None
    assert 1 <= (state.ended_at - state.begun_at) / S < 2.5
    agrees(run)


def test_a_level_begins_it_with_the_value_that_passed_it(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    arm(
        recorder,
        begins={"when": {"channel": "loop-flow", "side": "above", "value": 10}},
        row_rule={"kind": "each reading"},
    )
    run = begun(recorder)
    assert run.begun_by == "Loop flow above 10 L/min"
    wait_for(lambda: (one := recorder.status().run) and one.rows > 20, "rows")
    end(recorder, run)
    agrees(run)
    first = next(row for row in rows_of(run) if row["Loop flow [L/min]"])
    assert abs(parse(first["time"]) - run.begun_at) < 1000  # stamps are cut to milliseconds
    assert float(first["Loop flow [L/min]"]) > 10


def test_the_last_seconds_come_along_from_memory(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    time.sleep(2.5)
    pressed = time.time_ns() // 1000
    run = begin(recorder, begins={"before_s": 2}, row_rule={"kind": "each reading"}, ends={"after_s": 30})
    assert run.lead_us == pytest.approx(2 * S, abs=0.2 * S)
    assert run.begun_at == pytest.approx(pressed - 2 * S, abs=0.3 * S)
    assert run.ends_at == run.begun_at + run.lead_us + 30 * S
    wait_for(lambda: (one := recorder.status().run) and one.counts.polls > 10, "some polls")
    end(recorder, run)
    agrees(run)
    state = read_state(Path(run.folder))
    times = np.array(sorted(parse(row["time"]) for row in rows_of(run) if row["Loop flow [L/min]"]))
    assert times[0] < state.begun_at + 0.5 * S
    gaps = np.diff(times)
    # Nothing is lost where memory ends and the run begins: there the poll grid goes on.
    assert gaps.max() < 3 * np.median(gaps)
    marks = (Path(run.folder) / "marks.csv").read_text()
    assert "begun here" in marks


def test_memory_goes_back_no_further_than_the_set_ups_are_the_same(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    began = recorder.status().at
    run = begin(recorder, begins={"before_s": 3600})
    assert 0 < run.lead_us < 60 * S
    assert run.begun_at > began - 60 * S
    wait_for(lambda: (one := recorder.status().run) and one.counts.polls > 6, "some polls")
    ended_at = end(recorder, run).ended_at
    agrees(run)
    # Nor into the run before: statistics over both would count its samples twice.
    assert ended_at is not None
    time.sleep(1)
    again = begin(recorder, begins={"before_s": 3600})
    assert again.begun_at >= ended_at
    assert again.lead_us > 0.5 * S


def test_a_run_that_waits_is_called_off_or_begun_by_a_person(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    first = arm(recorder, begins={"at": "23:59:59"})
    assert not ask(recorder, CallOff(armed=first.id)).trouble
    assert recorder.status().armed is None
    answer = ask(recorder, BeginArmed(armed=first.id))
    assert (answer.trouble, "does not wait any more" in answer.why) == ("conflict", True)
    second = arm(recorder, begins={"at": "23:59:59"})
    answer = ask(recorder, BeginArmed(armed=second.id))
    assert answer.run is not None
    assert answer.run.begun_by == ""
    assert begun(recorder).id == answer.run.id
    # It is the run in progress at a next start, and waits no more.
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(lambda: (one := recorder.status().run) is not None and one.id == answer.run.id, "it to go on")
    assert recorder.status().armed is None


def test_it_waits_on_after_a_kill_and_begins_late_rather_than_not(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    moment = datetime.now() + timedelta(seconds=2)
    armed = arm(recorder, begins={"at": f"{moment:%H:%M:%S}"})
    recorder.kill()
    time.sleep(2.5)
    recorder.start(carry_on=True)
    run = begun(recorder)
    assert armed.begins_at is not None
    assert run.begun_at > armed.begins_at  # not from when nothing was measured
    assert run.begun_by == f"at {moment:%H:%M:%S}"


def test_a_run_with_memory_is_put_in_order_after_a_kill(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    time.sleep(1.5)
    run = begin(recorder, begins={"before_s": 1}, row_rule={"kind": "each reading"}, carry_on=True)
    folder = Path(run.folder)
    recorder.kill()  # before anything of it is proven
    before = unpack((folder / "samples.bin").read_bytes())
    recorder.start(carry_on=True)
    wait_for(lambda: (one := recorder.status().run) is not None and one.counts.polls > 6, "it to go on")
    time.sleep(4)  # what it has is proven now
    recorder.kill()
    known = unpack((folder / "samples.bin").read_bytes())
    assert known[: len(before)].tobytes() == before.tobytes()
    recorder.start(carry_on=True)
    wait_for(lambda: (one := recorder.status().run) is not None and one.counts.polls > 6, "it to go on")
    wait_for(lambda: not recorder.status().run.troubles, "it to be in order")  # type: ignore[union-attr]
    found = recorder.status().run
    assert found is not None
    end(recorder, found)
    after = unpack((folder / "samples.bin").read_bytes())
    assert after[: len(known)].tobytes() == known.tobytes()
    agrees(run)


REFUSED: list[tuple[dict[str, Any], str]] = [
    ({"begins": {"at": "2020-01-01T00:00+00:00"}}, "which has gone by"),
    ({"begins": {"reading": "gone"}}, "“gone”, which is not on the bench"),
    (
        {"begins": {"at": "2036-01-02T00:00+00:00"}, "ends": {"at": "2036-01-01T00:00+00:00"}},
        "before it begins",
    ),
    ({}, "Nothing is given that begins the run later"),
    ({"begins": {"at": "23:59"}, "channels": ["gone"]}, "not on the bench: “gone”"),
]


def test_a_beginning_that_cannot_be_is_refused_in_words(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    for plan, said in REFUSED:
        answer = ask(recorder, ArmRun.model_validate({"name": "Waits", **plan}))
        assert answer.armed is None
        assert said in answer.why, answer.why
    assert recorder.status().armed is None


def test_a_level_that_no_channel_can_pass() -> None:
    when = {"channel": "x", "side": "beyond its limits"}
    with pytest.raises(RequestRefused, match="has no limits"):
        checked_begins(Begins.model_validate({"when": when}), [channel()], 0)
    with pytest.raises(RequestRefused, match="A run cannot begin by it"):
        checked_begins(Begins.model_validate({"when": when}), [channel(clock=True)], 0)


def test_what_was_not_well_is_kept_with_the_run(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    shop.power.fault("unplugged")
    wait_for(lambda: recorder.status().instruments[1].stages[0].state == "stopped", "the gap")
    time.sleep(2)
    asked = ask(recorder, GetGlance.model_validate({"name": "x", "ends": {"after_s": 3600}})).glance
    assert [one.matter for one in asked] == ["paths", "calibrations", "disk", "clock", "sleep"]
    paths, _, disk = asked[:3]
    assert not paths.well
    assert paths.words.startswith("Power analyser: ")
    found = re.fullmatch(r"The run needs about ([\d.]+) (kB|MB); .* are free\.", disk.words)
    assert found is not None, disk.words
    run = begin(recorder, ends={"after_s": 4}, begins={"before_s": 0})
    wait_for(lambda: recorder.status().run is None, "its end")
    folder = Path(run.folder)
    kept = read_state(folder).glance
    assert [one.well for one in kept] == [one.well for one in asked]
    notes = [e.text for _, _, e in read_tape(folder / "tape") if getattr(e, "what", "") == "not well"]
    assert notes == [one.words for one in kept if not one.well]
    # What was said to be needed for an hour, beside what 4 s have written.
    files = [folder / run.csv, folder / "samples.bin", *(folder / "tape").iterdir()]
    data = [(path.suffix, path.read_bytes()) for path in files]
    written = sum(len(gzip.decompress(one) if kind == ".gz" else one) for kind, one in data)
    needed = float(found[1]) * {"kB": 1e3, "MB": 1e6}[found[2]] / 3600
    assert needed == pytest.approx(written / 4, rel=0.6)


def test_nothing_of_before_the_clock_was_set_back_comes_along(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    with inside(places) as one:
        texts = [SetupText(id="loop-flow-meter", text=setup_text("loop-flow-meter"))]
        assert not one.ask(ApplySetups(setups=texts)).trouble
        samples, clock = one.recorder.writer.samples, one.recorder.clock
        wait_for(lambda: len(b"".join(samples.since(0))) > 24 * 10, "samples")
        newest = one.recorder.journal.newest
        monkeypatch.setattr(clock, "_wall", lambda: time.time_ns() - 3600 * 10**9)
        stepped = clock.now()
        wait_for(lambda: clock.now() < stepped, "the step")
        # It is asked on, and not first when the clock is where it was.
        sent = len(shop.flow.sent)
        wait_for(lambda: len(shop.flow.sent) > sent + 10, "polls", 10)
        run = one.ask(BeginRun.model_validate({"name": "x", "begins": {"before_s": 60}})).run
        assert run is not None
        records = unpack((Path(run.folder) / "samples.bin").read_bytes())
        assert len(records) > 3
        assert sequences_of(records).min() > newest
        assert (np.diff(records["time"]) >= 0).all()
