"""The recorder over pseudo-terminals: polls, faults, ports."""

import csv
import os
import pty
import sys
import threading
import time
import tty
from pathlib import Path

import pytest
from pydantic import ValidationError

from tests.conftest import RecorderProcess, Shop, flows, setup_text, wait_for
from tidybench.core.batch import RECORD_SIZE, Batch
from tidybench.core.samples import sequences_of, unpack
from tidybench.core.tape.events import Received
from tidybench.core.tape.lines import tape_line
from tidybench.core.values.row_rule import RowRule
from tidybench.links.holders import holders
from tidybench.recorder.clock import STEP, Clock
from tidybench.recorder.ring import HOUR, SampleRing, TapeRing
from tidybench.wire.places import Places
from tidybench.wire.ports import GetPorts, ReleasePort, TakeBackPort
from tidybench.wire.protocol import PROTOCOL, Answer, Hello
from tidybench.wire.runs import AddMark, BeginRun, EndRun
from tidybench.wire.setups import ApplySetups, SetupText
from tidybench.wire.status import GetHistory
from tidybench.wire.tape import GetTape

BOTH = ("loop-flow-meter", "power-analyser")
FLOW = "simulated/loop-flow-meter"


def ask(recorder: RecorderProcess, request: object) -> Answer:
    return recorder.client.ask(request)[0]  # type: ignore[arg-type]


def stage(recorder: RecorderProcess, number: int, instrument: int = 0) -> "tuple[str, str, str]":
    found = recorder.status().instruments[instrument].stages[number]
    return found.state, found.words, found.sentence


def test_what_the_stand_ins_send_is_what_is_logged(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "both instruments to pass")
    begun = ask(recorder, BeginRun(name="First", row_rule=RowRule(kind="each reading")))
    assert begun.run is not None
    before = len(flows(shop.flow))
    wait_for(lambda: len(flows(shop.flow)) >= before + 8, "eight replies")
    run = begun.run
    assert ask(recorder, EndRun(run=run.id)).trouble == ""
    with open(Path(run.folder) / run.csv, newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    logged = [float(row["Loop flow [L/min]"]) for row in rows if row["Loop flow [L/min]"]]
    sent = flows(shop.flow)
    assert len(logged) >= 7
    start = next(i for i in range(len(sent)) if sent[i : i + len(logged)] == logged)
    assert start >= before - 1
    assert {row["flags"] for row in rows} == {""}


def test_a_late_reply_is_stray_and_the_next_reading_is_right(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    shop.flow.late_by = 0.7
    shop.flow.fault("late")
    wait_for(lambda: "late" in stage(recorder, 2)[1], "a late reply to be seen")
    assert "up to 7" in stage(recorder, 2)[2]
    shop.flow.fault("late", False)
    data = b"".join(recorder.client.ask(GetHistory())[1])
    values = {float(v) for v in unpack(data)["value"] if v == v}
    assert values <= set(flows(shop.flow))


def test_an_unplugged_device_is_taken_back_and_the_other_notices_nothing(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    shop.flow.fault("unplugged")
    wait_for(lambda: stage(recorder, 0)[0] == "stopped", "the port to be missed")
    assert "Tidy Bench reconnects automatically" in stage(recorder, 0)[2]
    queries = shop.power.queries
    wait_for(lambda: shop.power.queries > queries + 2, "the other to go on")
    assert stage(recorder, 2, 1)[0] == "passing"
    shop.flow.fault("unplugged", False)
    wait_for(recorder.all_passing, "the device to be taken back")


def test_a_port_in_use_is_said_and_taken_when_free(recorder: RecorderProcess, shop: Shop) -> None:
    import serial

    other = serial.Serial(shop.flow.port, 9600, exclusive=True)
    recorder.start("loop-flow-meter")
    wait_for(lambda: recorder.status().instruments and stage(recorder, 0)[1] == "in use", "in use")
    assert "is held by" in stage(recorder, 0)[2]
    other.close()
    wait_for(recorder.all_passing, "the port to be taken")


def test_release_and_take_back(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    assert len(holders(shop.flow.port)) == 1
    assert ask(recorder, ReleasePort(link=FLOW)).trouble == ""
    wait_for(lambda: not holders(shop.flow.port), "the port to be free")
    assert stage(recorder, 0)[1] == "released"
    assert ask(recorder, TakeBackPort(link=FLOW)).trouble == ""
    wait_for(recorder.all_passing, "passing again")
    assert ask(recorder, ReleasePort(link="COM99")).trouble == "not found"


def test_ports_are_free_when_it_ends(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    recorder.stop()
    assert not holders(shop.flow.port)
    assert not holders(shop.power.port)


def test_silence_and_garbage_lead_to_their_sentences(recorder: RecorderProcess, shop: Shop) -> None:
    shop.flow.fault("silent")
    recorder.start("loop-flow-meter")
    wait_for(
        lambda: recorder.status().instruments and stage(recorder, 1)[1] == "silent", "silence to be said"
    )
    assert "Check power" in stage(recorder, 1)[2]
    shop.flow.fault("silent", False)
    wait_for(recorder.all_passing, "passing")
    wrong = setup_text("loop-flow-meter").replace("baud = 9600", "baud = 19200")
    assert ask(recorder, ApplySetups(setups=[SetupText(id="loop-flow-meter", text=wrong)])).trouble == ""
    wait_for(lambda: stage(recorder, 1)[1] == "not text", "garbage to be said")
    assert "read at 19200 8-N-1" in stage(recorder, 1)[2]


def test_requests_that_cannot_be_carried_out(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start()
    assert "Connect an instrument" in ask(recorder, BeginRun(name="x")).why
    bad = ask(recorder, ApplySetups(setups=[SetupText(id="x", text="[instrument]")]))
    assert bad.trouble == "invalid"
    assert ask(recorder, AddMark(text="now")).trouble == "conflict"
    texts = [SetupText(id=name, text=setup_text(name)) for name in BOTH]
    assert ask(recorder, ApplySetups(setups=[texts[0], texts[0]])).trouble == "invalid"
    assert ask(recorder, ApplySetups(setups=texts)).trouble == ""
    for name in ("", "   ", "a\x07b"):
        assert ask(recorder, BeginRun(name=name)).trouble == "invalid"
    with pytest.raises(ValidationError, match="at most 120"):
        BeginRun(name="x" * 121)
    run = ask(recorder, BeginRun(name='=../"x" 😀')).run
    assert run is not None
    assert "is on. End it first" in ask(recorder, BeginRun(name="second")).why
    assert ask(recorder, AddMark(text=" ")).trouble == "invalid"
    assert "Nothing was ended" in ask(recorder, EndRun(run="00000000-0000-0000-0000-000000000000")).why
    assert ask(recorder, EndRun(run=run.id)).trouble == ""
    assert "already" in ask(recorder, EndRun(run=run.id)).why


def test_versions_shake_hands(recorder: RecorderProcess) -> None:
    recorder.start()
    assert ask(recorder, Hello()).trouble == ""
    other = ask(recorder, Hello(protocol=PROTOCOL + 1))
    assert other.trouble == "version"
    assert other.hello is not None
    assert other.hello.protocol == PROTOCOL


def test_the_tape_and_the_ports_can_be_seen(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    wait_for(lambda: {"out", "in"} <= {line.kind for line in recorder.tape(GetTape(last=50))}, "both ways")
    lines = recorder.tape(GetTape(last=50))
    assert any(line.text == "FL?\r" for line in lines)
    assert FLOW in [port.name for port in ask(recorder, GetPorts()).ports]


def test_the_clock_never_goes_backward_in_a_run() -> None:
    """Fault 20: a step back in a run was ignored without a note."""
    wall, monotonic = [10**18], [0]
    clock = Clock(lambda: wall[0], lambda: monotonic[0])
    start = clock.now()
    wall[0] -= 3600 * 10**9
    monotonic[0] += 10**9
    step = clock.check(may_go_back=False)
    assert step is not None
    assert step.words == "the computer's clock moved by -3601.000 s; the run's time goes on without it"
    assert clock.check(may_go_back=False) is None  # said once
    assert clock.now() == start + 1_000_000
    wall[0] += 7200 * 10**9
    step = clock.check(may_go_back=False)
    assert step is not None
    assert step.taken
    assert clock.now() > start + 3_500_000_000
    wall[0] -= 7200 * 10**9
    step = clock.check(may_go_back=True)
    assert step is not None
    assert step.by < -STEP
    assert clock.now() < start


def test_after_a_restart_a_run_s_time_goes_on_whatever_the_clock_says() -> None:
    """Fault 20: elapsed went from 5.8 back to 3.1 s."""
    wall, monotonic = [10**18], [0]
    last = 10**15 + 5_000_000
    clock = Clock(lambda: wall[0], lambda: monotonic[0], not_before=last)
    assert clock.now() == last
    assert clock.behind == 5_000_000
    monotonic[0], wall[0] = 10**9, 10**18 + 10**9
    assert clock.check(may_go_back=False) is None
    assert clock.now() == last + 1_000_000
    clock.check(may_go_back=True)  # the run has ended
    assert clock.now() == 10**15 + 1_000_000


def test_the_ring_keeps_an_hour_and_no_more() -> None:
    ring = SampleRing()
    for second in range(0, 7200, 2):
        batch = Batch()
        batch.add(1, 0, second * 1_000_000, float(second))
        ring.add(batch.pack(second), second * 1_000_000)
    kept = unpack(b"".join(ring.since(0)))
    assert abs(int(kept["time"][0]) - (7198_000_000 - HOUR)) <= 4_000_000
    assert int(kept["time"][-1]) == 7198_000_000
    assert len(b"".join(ring.since(7190_000_000))) // RECORD_SIZE <= 6


def test_the_rings_can_be_asked_while_they_grow() -> None:
    """Fault 29: a second was missing or came twice when a chunk was closed meanwhile, twice even."""
    tape, samples = TapeRing(500), SampleRing(span=1_000_000)
    done = threading.Event()

    def grow() -> None:
        batch = Batch()
        batch.add(1, 0, 1, 1.0)
        number = 0
        while not done.is_set():
            number += 1
            now = number * 100_000
            tape.add([tape_line(now, "x", Received(now, b"a"))])
            samples.add(batch.pack(number), now)

    thread = threading.Thread(target=grow)
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    thread.start()
    try:
        for _ in range(300):
            assert len(tape.find(GetTape(last=50))) <= 50
            records = unpack(b"".join(samples.since(0)))
            sequences = sequences_of(records).astype(int)
            assert (sequences[1:] - sequences[:-1] == 1).all()  # nothing twice, nothing missing
    finally:
        done.set()
        thread.join()
        sys.setswitchinterval(before)


def test_the_ring_of_the_tape_has_a_bound_in_lines_and_in_bytes() -> None:
    ring = TapeRing(most=100, most_bytes=5_000)
    lines = [tape_line(n, "x", Received(n, b"a")) for n in range(1, 251)]
    ring.add(lines[:150])
    ring.add(lines[150:])
    kept = ring.find(GetTape(last=1000))
    assert kept == lines[-len(kept) :]
    assert sum(map(len, kept)) <= 5_000
    ring.add([tape_line(251, "x", Received(251, b"b" * 6_000))])
    assert ring.find(GetTape(last=1000)) == []  # one that is too much leaves nothing, and the next is kept
    ring.add([tape_line(252, "x", Received(252, b"c"))])
    assert len(ring.find(GetTape(last=1000))) == 1


def test_ten_megabytes_without_an_end(recorder: RecorderProcess, places: Places) -> None:
    text = setup_text("loop-flow-meter").replace("simulated/loop-flow-meter", "simulated/endless")
    text = text.replace('talks = "when asked"', 'talks = "on its own"').replace('query = "flow"', "")
    start, end = text.index("[identity]"), text.index("[[channel]]")
    text = text[:start] + '[listen]\npatterns = ["FL=<flow>"]\n' + text[end:]
    master, slave = pty.openpty()
    tty.setraw(slave)
    (places.simulated / "endless").symlink_to(os.ttyname(slave))
    recorder.start()
    assert ask(recorder, ApplySetups(setups=[SetupText(id="loop-flow-meter", text=text)])).trouble == ""
    wait_for(lambda: stage(recorder, 0)[0] == "passing", "the port")
    assert recorder.process is not None
    memory = _memory(recorder.process.pid)
    for _ in range(160):
        _write_all(master, b"x" * 65_536)
    wait_for(lambda: stage(recorder, 2)[1] == "no terminator", "it to be said")
    assert (
        _memory(recorder.process.pid) < memory + 60_000
    )  # the tape's ring keeps the bytes, nothing else does
    _write_all(master, b"\r\nFL=12.5\r\n")
    wait_for(
        lambda: 12.5 in unpack(b"".join(recorder.client.ask(GetHistory())[1]))["value"],
        "the next message to be read",
    )
    os.close(master)
    os.close(slave)


def _write_all(fd: int, data: bytes) -> None:
    while data:
        data = data[os.write(fd, data) :]


def _memory(pid: int) -> int:
    """Resident memory in kB."""
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS"))


def test_a_mark_has_the_moment_of_the_press_and_the_operator_unless_told(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start("loop-flow-meter")
    wait_for(recorder.all_passing, "passing")
    recorder.client.ask(BeginRun(name="Marks", operator="M. Okafor"))
    wait_for(lambda: recorder.status().run.rows > 12, "rows")  # type: ignore[union-attr]
    before = time.time_ns() // 1000
    answer, _ = recorder.client.ask(AddMark(text="pump off", ago_ms=1500))
    refused, _ = recorder.client.ask(AddMark(text="long ago", ago_ms=3_600_000))
    assert "there is nothing to mark before that" in refused.why
    assert answer.run is not None
    begun = (time.time_ns() // 1000 - answer.run.begun_at) / 1000
    recorder.client.ask(AddMark(text="a moment before", by="R. Weiss", ago_ms=begun + 1000))
    answer, _ = recorder.client.ask(AddMark(text="another", ago_ms=begun + 1000))
    assert answer.run is not None
    pressed, first, second = answer.run.marks
    assert -50_000 < pressed.at - (before - 1_500_000) < 500_000
    assert (pressed.by, first.by) == ("M. Okafor", "R. Weiss")
    # None before the run began, and each known by its own time.
    assert 0 <= first.at - answer.run.begun_at < 1_000
    assert second.at == first.at + 1_000
