"""`./tidy read`: captures of every form, and all ten stand-ins' samples once more from their tapes."""

import csv
import gzip
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from measure.bench import recorder, wait_for

from tests.conftest import DEMO, ROOT, Shop, library_text, setup_text
from tidybench.captures.capture import CaptureError, open_capture
from tidybench.captures.command import boxed
from tidybench.captures.readout import Readout, Table
from tidybench.cli import main
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.events import Hole, Lost, Opened, Quiet, Received, Sent, Start
from tidybench.core.tape.lines import tape_line
from tidybench.core.values.origin import Asked
from tidybench.runs.run_state import read_state
from tidybench.standins.instruments import ALL, LoopBackPlug, LoopFlowMeter, PowerAnalyser
from tidybench.wire.places import Places
from tidybench.wire.setups import SetupText

FLOW = DEMO / "loop-flow-meter.setup.toml"
BYTES = b"FL=+0148.27 L/min OK\r\nFL=-------- L/min --\r\nFL=+01x L/min OK\r\n"


def tidy(*arguments: str, given: bytes = b"") -> tuple[int, str, str]:
    done = subprocess.run(
        [sys.executable, "-m", "tidybench.cli", "read", *arguments], input=given, capture_output=True, env={"PYTHONPATH": str(ROOT / "src")}
    )  # fmt: skip
    return done.returncode, done.stdout.decode(), done.stderr.decode()


def test_plain_bytes_have_a_message_counter_instead_of_times(tmp_path: Path) -> None:
    (tmp_path / "x.bin").write_bytes(BYTES)
    code, out, said = tidy(str(FLOW), str(tmp_path / "x.bin"))
    assert code == 1
    assert out == (
        "message,Loop flow [L/min],flags\r\n1,148.27,\r\n2,,Loop flow=no-reading\r\n3,,Loop flow=not-understood\r\n"
    )
    assert "message 3: FL=+01x L/min OK stops at character 7: a blank was expected, “x” came" in said
    assert "2 of 3 messages understood." in said


def test_standard_input_and_json_lines() -> None:
    code, out, said = tidy("--json", str(FLOW), "-", given=BYTES[:22])
    assert (code, said) == (0, "1 of 1 messages understood.\n")
    assert json.loads(out) == {"message": 1, "values": {"loop-flow": 148.27}, "flags": {}}


def test_explain_shows_how_each_message_was_cut_and_read() -> None:
    code, out, _ = tidy("--explain", str(FLOW), "-", given=BYTES + b"\x02hi\r\n")
    lines = out.splitlines()
    assert code == 1
    assert lines[:3] == [
        "Messages end with CR LF.",
        "1  FL=+0148.27 L/min OK",
        "    flow = 148.27  state = OK",
    ]
    at = lines.index("3  FL=+01x L/min OK")
    assert lines[at + 1].index("^") == lines[at].index("x")
    assert "4  [02]hi" in lines
    assert lines[-1] == "2 of 4 messages understood."


def test_exit_codes_that_scripts_can_use(tmp_path: Path) -> None:
    assert tidy(str(FLOW), "-", given=b"no terminator")[0] == 3
    code, _, said = tidy(str(tmp_path / "none.toml"), "-")
    assert (code, "none.toml: No such file" in said) == (2, True)
    (tmp_path / "bad.toml").write_text('[instrument]\nid = "a"\n')
    code, _, said = tidy(str(tmp_path / "bad.toml"), "-")
    assert (code, "bad.toml: " in said) == (2, True)
    assert tidy(str(FLOW))[0] == 2
    assert "--propose takes one CAPTURE" in tidy("--propose", str(FLOW), "-")[2]
    (tmp_path / "tape.jsonl").write_text('{"n":1,"t":2}\n{"n":2}\n')
    assert "line 1: not a line of a tape" in tidy(str(FLOW), str(tmp_path / "tape.jsonl"))[2]
    (tmp_path / "cut.gz").write_bytes(gzip.compress(b"x" * 500)[:20])
    assert "not a whole gzip file" in tidy(str(FLOW), str(tmp_path / "cut.gz"))[2]


def test_a_proposed_set_up_reads_what_it_was_proposed_from(tmp_path: Path) -> None:
    data = b"".join(f"T={20 + n / 10:.1f} C;RH={40 + n}\r\n".encode() for n in range(20))
    code, text, said = tidy("--propose", "-", given=data)
    assert code == 0
    assert "framing: CR LF recurs 20 times" in said
    (tmp_path / "p.toml").write_text(text)
    code, out, _ = tidy(str(tmp_path / "p.toml"), "-", given=data)
    assert code == 0
    assert list(csv.reader(io.StringIO(out)))[:2] == [
        ["message", "T [°C]", "Rh", "flags"],
        ["1", "20", "40", ""],
    ]
    assert tidy("--propose", "-", given=b"abc")[0] == 3


def test_questions_come_as_comments_with_an_exit_code_of_their_own(tmp_path: Path) -> None:
    data = b"".join(b"Q 1,%03d\r\n" % (n * 37 % 1000) for n in range(20))
    code, text, _ = tidy("--propose", "-", given=data)
    assert code == 4
    assert all(line.startswith("#") for line in text.splitlines())
    assert "--answer 'comma=decimal'" in text
    assert tidy("--propose", "--answer", "nonsense", "-", given=data)[0] == 2
    code, text, _ = tidy("--propose", "--answer", "comma=decimal", "-", given=data)
    assert code == 0
    (tmp_path / "p.toml").write_text(text)
    out = tidy(str(tmp_path / "p.toml"), "-", given=data)[1]
    assert list(csv.reader(io.StringIO(out)))[2] == ["2", "1.037", ""]
    few = tidy("--propose", "-", given=b"T=1.5\r\nT=1.7\r\n")
    assert (few[0], "too few to be sure" in few[2]) == (3, True)


def test_a_tape_of_several_links_wants_one_chosen() -> None:
    lines = [
        tape_line(1, "a", Opened(1_000_000, {})),
        tape_line(2, "b", Opened(1_000_000, {})),
        tape_line(3, "a", Sent(2_000_000, b"FL?\r", 1, Asked("loop-flow-meter", "flow"))),
        tape_line(4, "a", Received(2_100_000, b"FL=+0148.27 L/min OK\r\n")),
        tape_line(5, "a", Sent(3_000_000, b"X?\r", 2, Asked("another", "query"))),
        tape_line(6, "a", Received(3_100_000, b"1\r\n")),
    ]
    capture = open_capture(None, ("\n".join(lines) + '\n{"n":7,"t"').encode())
    assert (capture.kind, capture.links) == ("tape", ["a", "b"])
    setup = load(FLOW.read_text("utf-8")).model_copy(update={"identity": None})
    with pytest.raises(CaptureError, match=r"it has a, b\. Choose one with --link"):
        Readout(setup, capture)
    # Of another instrument on the same link nothing is read.
    [row] = Readout(setup, capture, "a").rows()
    assert (row.at, row.samples) == (2_100_000, ((0, 0, 148.27),))
    assert Table(setup, timed=True, as_json=False).line(row).endswith(",0.000000,148.27,\r\n")
    with pytest.raises(CaptureError, match="no line that opens"):
        list(Readout(setup, open_capture(None, lines[3].encode()), "a").rows())


def test_behind_a_hole_a_link_counts_again_from_its_starting_state() -> None:
    setup = load(FLOW.read_text("utf-8")).model_copy(update={"identity": None})
    [plan] = plan_links([setup], {"loop-flow": 1})
    query = Asked("loop-flow-meter", "flow")
    lines = [
        tape_line(1, "a", Opened(1_000_000, {})),
        tape_line(2, "a", Sent(2_000_000, b"FL?\r", 1, query)),
        tape_line(3, "a", Received(2_100_000, b"FL=+0148.27 L/min OK\r\n")),
        tape_line(6, "", Hole(3_000_000, 4, 3, 1)),
        tape_line(7, "a", Quiet(3_050_000)),
        tape_line(8, "a", Received(3_100_000, b"FL=+0999.99 L/min OK\r\n")),
        tape_line(9, "a", Start(3_200_000, LinkReader(plan).state())),
        tape_line(10, "a", Sent(4_000_000, b"FL?\r", 3, query)),
        tape_line(11, "a", Received(4_100_000, b"FL=+0150.00 L/min OK\r\n")),
    ]
    rows = Readout(setup, open_capture(None, "\n".join(lines).encode()), "a").rows()
    assert [row.samples for row in rows] == [((0, 0, 148.27),), ((0, 0, 150.0),)]


def test_a_tape_saved_from_the_page_is_read_too() -> None:
    text = (
        "2026-11-23T10:00:00.000+00:00  simulated/loop-flow-meter  ->  FL?\\r\n"
        "2026-11-23T10:00:00.050+00:00  simulated/loop-flow-meter  <-  FL=+0148.27 L/min OK\\r\\n\n"
        "2026-11-23T10:00:00.060+00:00  bench  --  a mark\n"
    )
    setup = load(FLOW.read_text("utf-8")).model_copy(update={"identity": None})
    [row] = Readout(setup, open_capture(None, text.encode())).rows()
    assert row.samples == ((0, 0, 148.27),)
    with pytest.raises(CaptureError, match="line 2: not a line of a saved tape"):
        open_capture(None, text.encode().replace(b"<-", b"<<"))


def test_what_cannot_be_printed_is_boxed() -> None:
    assert boxed(b"a\r\x02\xff") == "a[CR][02][FF]"


DEMOS = ["loop-flow-meter", "power-analyser", "shaft-pickup", "sump-sonde", "bearing-monitor", "valve-positioner", "wear-ring-gauge",
         "pressure-pair-suction", "pressure-pair-discharge"]  # fmt: skip
LIBRARY = ["seal-rig"]
WINDING = """
[instrument]
id = "winding-tester"
name = "Winding tester"
[link]
port = "simulated/winding-tester"
baud = 115200
[framing]
terminator = "\\r\\n"
[identity]
send = "ID?\\n"
lines = 1
[[query]]
id = "sweep"
send = "SW 20 20000 5\\n"
give_up_after_s = 1.0
until = "END"
patterns = ["<frequency [Hz]>,<gain none(-----) [dB]>,<phase none(-----) [deg]>", "BUSY <progress:int>%"]
errors = ["ERR <code:int> <why:text>"]
[[channel]]
id = "winding-frequency"
name = "Frequency"
field = "frequency"
unit = "Hz"
[[channel]]
id = "winding-gain"
name = "Gain"
field = "gain"
unit = "dB"
[[channel]]
id = "winding-phase"
name = "Phase"
field = "phase"
unit = "deg"
"""
"""A table whose rows are read into channels, one sample each."""


def test_all_ten_stand_ins_samples_come_again_from_their_tapes(
    places: Places, shop: Shop, tmp_path: Path
) -> None:
    devices = [shop.plug_in(kind) for kind in ALL if kind not in (LoopBackPlug, LoopFlowMeter, PowerAnalyser)]
    texts = {name: setup_text(name) for name in DEMOS} | {name: library_text(name) for name in LIBRARY}
    texts["winding-tester"] = WINDING
    for device in devices:
        if device.has_key:
            device.press_key()
    setups = [SetupText(id=load(text).instrument.id, text=text) for text in texts.values()]
    with recorder(setups, places, "each reading") as bench:
        folder = bench.log.folder

        def enough() -> bool:
            for device in devices:
                if device.has_key:
                    device.press_key()
            counts = [w.reader.counts.messages for w in bench.recorder.employment.now.workers.values()]
            return min(counts) >= 4

        wait_for(enough, 40)
        bench.end_run()
    logged = unpack((folder / "samples.bin").read_bytes())
    numbers = {channel.id: channel.number for channel in read_state(folder).channels}
    capture = open_capture(folder)
    for text in texts.values():
        setup = load(text)
        assert setup.channel
        rows = list(Readout(setup, capture).rows())
        for index, channel in enumerate(setup.channel):
            mine = logged[channels_of(logged) == numbers[channel.id]]
            again = [
                (row.at, quality, value) for row in rows for i, quality, value in row.samples if i == index
            ]
            assert len(mine) > 1, channel.name
            assert [at for at, _, _ in again] == mine["time"].tolist(), channel.name
            assert [q for _, q, _ in again] == qualities_of(mine).tolist()
            np.testing.assert_array_equal(np.array([value for _, _, value in again]), mine["value"])
    # And by the command, from the folder.
    path = tmp_path / "s.toml"
    path.write_text(texts["loop-flow-meter"])
    code, out, said = tidy(str(path), str(folder))
    assert code == 0, said
    assert out.startswith("time,elapsed_s,Loop flow [L/min],flags\r\n")
    assert len(out.splitlines()) - 1 == int((channels_of(logged) == numbers["loop-flow"]).sum())


def test_read_is_a_word_of_the_command(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert main(["read", "--propose", str(tmp_path / "none")]) == 2
    assert "No such file" in capsys.readouterr().err


SCALED = """format = 1
[instrument]
id = "a"
name = "A"
talks = "on its own"
[link]
port = "none"
[framing]
terminator = "\\n"
[listen]
patterns = ["<b>;<a over(OL)>", "READY"]
[[channel]]
id = "a"
name = "A"
field = "a"
[[channel.scaling]]
kind = "points"
points = [[0, 1], [1, 4]]
[[channel]]
id = "b"
name = "B"
field = "b"
[[channel.filter]]
kind = "median"
count = 3
[[channel]]
id = "late"
name = "Late"
field = "b"
[[channel.filter]]
kind = "exponential"
time_constant_s = 5.0
"""


def test_plain_bytes_go_through_scaling_and_filters_and_what_cannot_is_said(tmp_path: Path) -> None:
    """3x + 1 of 1, 2, 40 000 came out as 1, 2, 40 000; and one message became two rows."""
    (tmp_path / "s.toml").write_text(SCALED)
    code, out, said = tidy(str(tmp_path / "s.toml"), "-", given=b"5;1\n900;2\nREADY\n6;40000\n7;OL\n")
    rows = list(csv.reader(io.StringIO(out)))
    assert (code, [row[1] for row in rows[1:]]) == (0, ["4", "7", "120001", ""])
    assert [row[3] for row in rows[1:]] == ["5", "900", "6", "7"]
    assert rows[4][4] == "A=over"
    assert rows[3][2] == "6"  # the median of 5, 900, 6
    assert "Late stand without the filters" in said
    assert "4 of 5 messages understood, 1 passed over." in said
    assert (
        "passed over: it has no field"
        in tidy("--explain", str(tmp_path / "s.toml"), "-", given=b"READY\n")[1]
    )


def test_messages_of_all_sessions_are_counted(tmp_path: Path) -> None:
    """A tape with a lost link ended with “311 of 311” where 489 came."""
    lines = [tape_line(1, "a", Opened(1_000_000, {}))]
    for n in range(5):
        lines.append(tape_line(2 + n, "a", Received(2_000_000 + n, b"5;1\n")))
    lines += [tape_line(10, "a", Lost(3_000_000, "unplugged")), tape_line(11, "a", Opened(4_000_000, {}))]
    lines.append(tape_line(12, "a", Received(5_000_000, b"x\n5;1\n6;1\n")))
    (tmp_path / "t.jsonl").write_text("\n".join(lines) + "\n")
    (tmp_path / "s.toml").write_text(SCALED)
    said = tidy(str(tmp_path / "s.toml"), str(tmp_path / "t.jsonl"))[2]
    assert "7 of 8 messages understood." in said


def test_reading_a_capture_waits_for_no_package_it_does_not_need(tmp_path: Path) -> None:
    """NumPy, PostgreSQL's driver and units cost a third of a second at every start."""
    sheet, capture = tmp_path / "i.setup.toml", tmp_path / "b.bin"
    sheet.write_text(
        '[instrument]\nid = "i"\nname = "I"\ntalks = "on its own"\n[link]\nport = "none"\n[listen]\npatterns = ["T=<t>"]\n'
        '[[channel]]\nid = "t"\nname = "T"\nfield = "t"\n'
    )
    capture.write_bytes(b"T=1\r\nT=2\r\n")
    code = (
        "import sys; from tidybench.cli import main; assert main(sys.argv[1:]) == 0; "
        "assert not {'numpy', 'scipy', 'pint', 'sqlalchemy', 'fastapi', 'serial'} & sys.modules.keys(), sys.modules.keys()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, "read", sheet, capture],
        capture_output=True,
        text=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines() == ["message,T,flags", "1,1,", "2,2,"]
