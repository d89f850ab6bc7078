"""Channels in a real recorder: zero, limits, calculated ones; and a tape that gives the same again."""

import csv
import math
import re
from pathlib import Path

import numpy as np

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import channels_of, sequences_of, unpack
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.reread import reread
from tidybench.runs.run_state import read_state
from tidybench.wire.channels import ChannelStatus, ZeroChannel
from tidybench.wire.crossings import Acknowledge
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.setups import ApplySetups, SetupText
from tidybench.wire.status import GetHistory

FLOW = "loop-flow-meter"
POWER = "power-analyser"
CALCULATED = """
format = 1
[[calculated]]
id = "per-kw"
name = "Flow per power"
expression = '"loop-flow" / "motor-input"'
unit = "L/(min·kW)"
[[calculated]]
id = "volume"
name = "Volume"
expression = 'integral("loop-flow")'
unit = "L"
[[calculated]]
id = "calm"
name = "Calm flow"
expression = 'mean_over("loop-flow", 2 [s])'
unit = "m3/h"
filter = [{ kind = "median", count = 3 }]
[[calculated]]
id = "broken"
name = "Broken"
expression = '"loop-flow" + nobody'
"""


def ask(recorder: RecorderProcess, request: Request) -> Answer:
    answer, _ = recorder.client.ask(request)
    return answer


def apply(recorder: RecorderProcess, flow: str = "", calculations: str = CALCULATED) -> None:
    texts = [
        SetupText(id=FLOW, text=flow or setup_text(FLOW)),
        SetupText(id=POWER, text=setup_text(POWER)),
    ]
    answer = ask(recorder, ApplySetups(setups=texts, calculations=calculations))
    assert answer.trouble == "", answer.why


def channel(recorder: RecorderProcess, key: str) -> ChannelStatus:
    return next(c for c in recorder.status().channels if c.id == key)


def values(recorder: RecorderProcess, key: str, last: int = 3) -> "list[float]":
    number = channel(recorder, key).number
    _, frames = recorder.client.ask(GetHistory())
    records = unpack(b"".join(frames))
    return [float(v) for v in records["value"][channels_of(records) == number][-last:]]


def newest(recorder: RecorderProcess, key: str) -> float:
    """The newest value; not a number where there is none."""
    found = values(recorder, key, 1)
    return found[0] if found else float("nan")


def limits(text: str, more: str) -> str:
    assert "limits = { low = 60, high = 200 }" in text
    return text.replace("limits = { low = 60, high = 200 }", more)


def test_calculated_channels_come_live_and_a_broken_one_harms_nobody(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(FLOW, POWER)
    wait_for(recorder.all_passing, "the instruments")
    apply(recorder)
    wait_for(lambda: len([v for v in values(recorder, "per-kw") if v == v]) == 3, "calculated values")
    flow, power = newest(recorder, "loop-flow"), newest(recorder, "motor-input")
    assert abs(newest(recorder, "per-kw") / (flow / power) - 1) < 0.1  # a poll apart at most
    broken = channel(recorder, "broken")
    assert "there is no channel “nobody”" in broken.problem
    assert channel(recorder, "volume").problem == ""


def test_golden_zero_limits_and_calculated_channels_come_again_from_the_tape(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(FLOW, POWER)
    wait_for(recorder.all_passing, "the instruments")
    apply(recorder)
    begun = ask(recorder, BeginRun(name="All of it", row_rule=RowRule(kind="each reading"))).run
    assert begun is not None
    wait_for(lambda: values(recorder, "volume", 8)[0:1] != [], "some samples")
    wait_for(lambda: len(values(recorder, "loop-flow", 50)) > 8, "flow")
    assert "is taken off" in ask(recorder, ZeroChannel(channel="loop-flow")).zeroed
    wait_for(lambda: abs(newest(recorder, "loop-flow")) < 20, "a flow near nothing")
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "the instruments again")
    assert channel(recorder, "loop-flow").zero > 50  # it is still zeroed
    # Another limit changes nothing that is remembered; another expression starts again.
    apply(recorder, limits(setup_text(FLOW), "limits = { high = 500 }"))
    apply(recorder, limits(setup_text(FLOW), "limits = { high = 500 }"), CALCULATED.replace("2 [s]", "1 [s]"))
    before = begun.rows
    wait_for(lambda: (r := recorder.status().run) is not None and r.rows > before + 20, "rows")
    wait_for(lambda: abs(newest(recorder, "loop-flow")) < 30, "a zeroed flow")
    ask(recorder, ZeroChannel(channel="loop-flow", undo=True))
    wait_for(lambda: newest(recorder, "loop-flow") > 50, "the whole flow again")
    assert ask(recorder, EndRun(run=begun.id)).trouble == ""
    folder = Path(begun.folder)
    logged = unpack((folder / "samples.bin").read_bytes())
    again = unpack(
        b"".join(i.batch.pack(i.sequence) for i in reread(folder) if i.batch is not None and len(i.batch))
    )
    known = np.isin(sequences_of(again), sequences_of(logged))
    assert len(logged) > 60
    assert again[known].tobytes() == logged.tobytes()
    numbers = {c.id: c.number for c in read_state(folder).channels}
    assert {numbers["per-kw"], numbers["volume"], numbers["calm"]} <= set(channels_of(logged).tolist())
    assert "“nobody”" not in (folder / begun.csv).read_text("utf-8")
    assert len(logged) * RECORD_SIZE == (folder / "samples.bin").stat().st_size


def test_zero_is_undone_step_by_step_and_refused_where_there_is_no_value(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(FLOW)
    wait_for(recorder.all_passing, "the flow meter")
    # What has been read is in the recorder's memory a moment later.
    wait_for(lambda: not math.isnan(newest(recorder, "loop-flow")), "a value")
    assert ask(recorder, ZeroChannel(channel="loop-flow", undo=True)).trouble == "conflict"
    assert ask(recorder, ZeroChannel(channel="nobody")).trouble == "not found"
    assert ask(recorder, ZeroChannel(channel="loop-flow")).trouble == ""
    first = channel(recorder, "loop-flow").zero
    wait_for(lambda: abs(newest(recorder, "loop-flow")) < 20, "zeroed values")
    ask(recorder, ZeroChannel(channel="loop-flow"))
    second = channel(recorder, "loop-flow")
    assert second.zeroed_at > 0
    assert abs(second.zero - first) < 20
    ask(recorder, ZeroChannel(channel="loop-flow", undo=True))
    assert channel(recorder, "loop-flow").zero == first
    ask(recorder, ZeroChannel(channel="loop-flow", undo=True))
    assert channel(recorder, "loop-flow").zero == 0
    shop.flow.fault("silent")
    wait_for(lambda: math.isnan(newest(recorder, "loop-flow")), "no value")
    wait_for(lambda: ask(recorder, ZeroChannel(channel="loop-flow")).trouble == "conflict", "a refusal")


def test_a_crossed_limit_is_logged_and_latched_and_moved_without_a_restart(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(FLOW)
    wait_for(recorder.all_passing, "the flow meter")
    begun = ask(recorder, BeginRun(name="Limits")).run
    assert begun is not None
    wait_for(lambda: channel(recorder, "loop-flow").limits.state == "within", "a state")
    opened = recorder.status().instruments[0].stages[0]
    texts = [SetupText(id=FLOW, text=limits(setup_text(FLOW), "limits = { high = 20, hysteresis = 1 }"))]
    assert ask(recorder, ApplySetups(setups=texts)).trouble == ""
    wait_for(lambda: recorder.status().crossings, "the crossing")
    [crossing] = recorder.status().crossings
    assert crossing.crossing.words.startswith("Loop flow is above the limit of 20.0 L/min")
    assert recorder.status().instruments[0].stages[0] == opened  # the port stayed open
    ask(recorder, ApplySetups(setups=[SetupText(id=FLOW, text=setup_text(FLOW))]))
    wait_for(lambda: recorder.status().crossings[0].back_at > 0, "the value back within")
    ask(recorder, Acknowledge(crossings=[crossing.id], by="M. Okafor"))
    assert recorder.status().crossings == []
    ask(recorder, EndRun(run=begun.id))
    with open(Path(begun.folder) / "crossings.csv", newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert [(row["channel"], row["state"], row["limit"]) for row in rows] == [
        ("Loop flow", "high", "20"),
        ("Loop flow", "within", ""),
    ]
    tape = (Path(begun.folder) / "tape" / "0001.jsonl").read_text("utf-8")
    for words in ("high 20, hysteresis 1", "is above the limit of 20.0", "by M. Okafor"):
        assert words in tape
    assert '"k":"lost"' not in tape


def test_calculated_channels_are_columns_of_the_run(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(FLOW, POWER)
    wait_for(recorder.all_passing, "the instruments")
    apply(recorder)
    wait_for(lambda: values(recorder, "per-kw"), "values")
    begun = ask(recorder, BeginRun(name="Columns")).run
    assert begun is not None
    wait_for(lambda: (r := recorder.status().run) is not None and r.rows > 15, "rows")
    ask(recorder, EndRun(run=begun.id))
    with open(Path(begun.folder) / begun.csv, newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    last = rows[-1]
    assert float(last["Volume [L]"]) > 0
    assert last["Broken"] == ""
    assert float(last["Flow per power [L/(min·kW)]"]) > 1
    sidecar = (Path(begun.folder) / f"{begun.csv}-metadata.json").read_text("utf-8")
    assert "integral" in sidecar


def test_an_overdue_calibration_is_said(recorder: RecorderProcess, shop: Shop) -> None:
    text = re.sub("calibration = .*", 'calibration = { serial = "F-7", due = 2025-01-31 }', setup_text(FLOW))
    recorder.start(FLOW)
    ask(recorder, ApplySetups(setups=[SetupText(id=FLOW, text=text)]))
    [said] = recorder.status().overdue
    assert "Loop flow (serial number F-7) was due" in said.words
    wait_for(recorder.all_passing, "the flow meter")
    begun = ask(recorder, BeginRun(name="Overdue")).run
    assert begun is not None
    assert read_state(Path(begun.folder)).channels[0].calibration == {"serial": "F-7", "due": "2025-01-31"}
