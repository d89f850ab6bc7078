"""Marks that an instrument sets by itself, over a pseudo-terminal and a kill."""

from itertools import pairwise
from pathlib import Path
from typing import ClassVar

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.test_planned_run import begin
from tests.recorder.test_recorder import ask
from tidybench.core.samples import channels_of, unpack
from tidybench.core.values.mark import Mark
from tidybench.runs.marks import read_marks
from tidybench.runs.run_state import read_state
from tidybench.runs.tape import read_tape
from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat
from tidybench.wire.runs import EndRun

SETUP = """format = 1
[instrument]
id = "rig"
name = "Test rig"
talks = "on its own"
[link]
port = "simulated/rig"
baud = 9600
[framing]
terminator = "\\r\\n"
[listen]
every_s = 0.1
patterns = ["M <mode:word>"]
[[channel]]
id = "mode"
name = "Mode"
field = "mode"
states = ["IDLE", "RUN", "FAULT"]
marks = ["RUN", "FAULT"]
"""


class Rig(Device):
    """Says ten times a second in which mode it is."""

    name = "rig"
    title = "Rig"
    line = LineFormat(9600)
    every = 0.1
    mode: ClassVar[bytes] = b"IDLE"

    def talk(self) -> bytes:
        return b"M " + self.mode + b"\r\n"


def marks(recorder: RecorderProcess) -> list[str]:
    run = recorder.status().run
    return [f"{mark.text} by {mark.by}" for mark in run.marks] if run is not None else []


def test_an_instrument_s_state_sets_marks(recorder: RecorderProcess, shop: Shop, tmp_path: Path) -> None:
    Rig.mode = b"RUN"
    shop.plug_in(Rig)
    (tmp_path / "rig.setup.toml").write_text(SETUP, "utf-8")
    recorder.start(str(tmp_path / "rig"))
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, row_rule={"kind": "each reading"}, carry_on=True)
    folder = Path(run.folder)
    wait_for(lambda: (one := recorder.status().run) is not None and one.rows > 1, "rows")
    Rig.mode = b"FAULT"
    wait_for(lambda: marks(recorder) == ["Mode: FAULT by Test rig"], "the mark")
    Rig.mode = b"IDLE"
    wait_for(lambda: recorder.status().run is not None, "the run")
    recorder.kill()
    recorder.start(str(tmp_path / "rig"), carry_on=True)
    wait_for(lambda: (one := recorder.status().run) is not None and not one.troubles, "it to go on")
    wait_for(recorder.all_passing, "passing")
    Rig.mode = b"RUN"
    wait_for(lambda: marks(recorder)[1:] == ["Mode: RUN by Test rig"], "the other mark")
    assert not ask(recorder, EndRun(run=run.id)).trouble

    records = unpack((folder / "samples.bin").read_bytes())
    mode = records[channels_of(records) == read_state(folder).numbers["mode"]]
    found = read_marks(folder)
    for mark, place in zip(found, (2, 1), strict=True):
        became = next(
            int(one["time"])
            for before, one in pairwise(mode)
            if one["value"] == place
            and before["value"] != place
            and int(one["time"]) // 1000 * 1000 >= mark.at
        )
        assert mark.at == became // 1000 * 1000
    assert [event for _, _, event in read_tape(folder / "tape") if isinstance(event, Mark)] == found
