"""Runs that end by their plan, over pseudo-terminals."""

import json
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.test_kill import packed_from_tape, rows_of
from tests.recorder.test_recorder import BOTH, ask
from tidybench.core.plan.ends import Ends
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.recorder.planned_end import checked_ends
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.run_state import read_state
from tidybench.runs.stamps import parse
from tidybench.runs.tape import read_tape
from tidybench.wire.channels import ChannelStatus
from tidybench.wire.runs import BeginRun, ChangeEnds, RunStatus

S = 1_000_000


def begin(recorder: RecorderProcess, **plan: Any) -> RunStatus:
    answer = ask(recorder, BeginRun.model_validate({"name": "Planned", **plan}))
    assert answer.run is not None, answer.why
    return answer.run


def ended(recorder: RecorderProcess) -> None:
    wait_for(lambda: recorder.status().run is None, "the end of the run")


def reason_of(run: RunStatus) -> str:
    wait_for(lambda: (Path(run.folder) / "summary.json").exists(), "the summary")
    return str(json.loads((Path(run.folder) / "summary.json").read_text())["reason"])


def test_rows_and_time_and_a_level_end_it(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, ends={"rows": 7})
    ended(recorder)
    assert len(rows_of(run)) == 7
    assert reason_of(run) == "ended by its plan: 7 rows"
    wait_for(lambda: recorder.status().run is None)
    run = begin(recorder, ends={"after_s": 1.5}, order="A-17", notes="two\nlines", fields={"Class": "B"})
    ended(recorder)
    state = read_state(Path(run.folder))
    assert state.ended_at is not None
    assert 1.5 <= (state.ended_at - state.begun_at) / S < 3
    assert (state.reason, state.order, state.fields) == (
        "ended by its plan: after 1.5 s",
        "A-17",
        {"Class": "B"},
    )
    run = begin(
        recorder, ends={"when": [{"channel": "loop-flow", "side": "above", "value": 10, "for_s": 0.5}]}
    )
    ended(recorder)
    assert reason_of(run).startswith("ended by its plan: Loop flow above 10 L/min for 0.5 s")
    # A next start does not take any of them for unfinished.
    recorder.stop()
    recorder.start(carry_on=True)
    wait_for(recorder.all_passing, "it to be back")
    assert recorder.status().run is None


def test_settled_ends_it_and_its_end_can_be_changed(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, ends={"settled": {"bands": {"loop-flow": 1e-6}, "for_s": 1}})
    wait_for(lambda: (found := recorder.status().run) and found.rows > 10, "some rows")
    found = recorder.status().run
    assert found is not None
    assert found.unsettled == ["Loop flow"]  # it never settles so closely
    ends = {"settled": {"bands": {"loop-flow": 1000}, "for_s": 1}}
    changed = ask(recorder, ChangeEnds.model_validate({"run": run.id, "ends": ends}))
    assert changed.run is not None
    ended(recorder)
    assert reason_of(run) == "ended by its plan: settled for 1 s: Loop flow"
    notes = [
        event.text
        for _, _, event in read_tape(Path(run.folder) / "tape")
        if getattr(event, "what", "") == "ends"
    ]
    assert notes == ["settled for 1 s (loop-flow within 1000)"]


REFUSED: list[tuple[dict[str, Any], str]] = [
    ({"ends": {"at": "2020-01-01T00:00+00:00"}}, "has gone by"),
    (
        {"ends": {"when": [{"channel": "gone", "side": "above", "value": 1}]}},
        "“gone”, which is not on the bench",
    ),
    ({"channels": ["loop-flow", "gone"]}, "a channel that is not on the bench: “gone”"),
    ({"row_rule": {"every_s": 0.01}}, "the fastest has a value every"),
    ({"notes": "bell\a"}, "control character"),
    ({"order": "x\x01"}, "control character"),
]


def test_a_plan_that_cannot_be_is_refused_in_words(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    for plan, said in REFUSED:
        answer = ask(recorder, BeginRun.model_validate({"name": "Planned", **plan}))
        assert answer.run is None
        assert said in answer.why
    assert recorder.status().run is None


def channel(**more: Any) -> ChannelStatus:
    plain = {
        "number": 1,
        "id": "x",
        "name": "X",
        "unit": "V",
        "decimals": 1,
        "interval_s": 1.0,
        "instrument": "i",
    }
    return ChannelStatus.model_validate({**plain, "low": None, "high": None, "limits": {}, **more})


@pytest.mark.parametrize(
    ("more", "ends", "said"),
    [
        ({}, {"when": [{"channel": "x", "side": "beyond its limits"}]}, "has no limits"),
        (
            {"states": ["a"]},
            {"when": [{"channel": "x", "side": "above", "value": 1}]},
            "has states, no level",
        ),
        ({"states": ["a"]}, {"settled": {"bands": {"x": 1}, "for_s": 1}}, "cannot settle"),
        ({"clock": True}, {"when": [{"channel": "x", "side": "above", "value": 1}]}, "a device's clock"),
        ({}, {"after_s": 5}, "longer than that already"),
        ({"interval_s": 60}, {"settled": {"bands": {"x": 1}, "for_s": 20}}, "Give at least 300 s"),
    ],
)
def test_an_end_that_no_channel_can_bring(more: dict[str, Any], ends: dict[str, Any], said: str) -> None:
    with pytest.raises(RequestRefused, match=said):
        checked_ends(Ends.model_validate(ends), [channel(**more)], begins_at=0, now=10 * S)
    limited = channel(limits={"high": 3.0})
    when = Ends.model_validate({"when": [{"channel": "x", "side": "beyond its limits"}], "after_s": 11})
    checked_ends(when, [limited], begins_at=0, now=10 * S)


def test_a_run_that_carries_on_survives_everything_being_killed_twice(
    recorder: RecorderProcess, shop: Shop
) -> None:
    """And its rows of means are those of its samples, and its tape gives its samples."""
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    rule = {"every_s": 1, "values": ["mean", "minimum", "maximum"]}
    run = begin(recorder, carry_on=True, row_rule=rule, channels=["loop-flow"], ends={"rows": 8})

    def rows() -> int:
        found = recorder.status().run
        return found.rows if found is not None else 0

    for count in (2, 4):
        wait_for(lambda count=count: rows() >= count, "rows")  # type: ignore[misc]
        recorder.kill()
        time.sleep(0.4)
        recorder.start()  # everything was stopped: no carrying on but by the plan
        wait_for(recorder.all_passing, "it to be back")
        found = recorder.status().run
        assert found is not None
        assert found.id == run.id
    ended(recorder)
    assert reason_of(run) == "ended by its plan: 8 rows"
    folder = Path(run.folder)
    kept = (folder / "samples.bin").read_bytes()
    assert packed_from_tape(folder) == kept
    records = unpack(kept)
    state = read_state(folder)
    assert [channel.id for channel in state.channels] == ["loop-flow"]
    assert set(np.unique(channels_of(records))) > {
        state.channels[0].number
    }  # the others are kept without a column
    mine = (channels_of(records) == state.channels[0].number) & (qualities_of(records) <= 1)
    times, values = records["time"][mine], records["value"][mine]
    told = rows_of(run)
    assert len(told) == 8
    for row in told:
        end = parse(row["time"])
        assert end is not None
        counted = values[(times > end - S) & (times <= end)]
        if not len(counted):
            assert row["Loop flow mean [L/min]"] == ""
            continue
        assert float(row["Loop flow mean [L/min]"]) == pytest.approx(counted.mean(), rel=1e-12)
        assert float(row["Loop flow minimum [L/min]"]) == counted.min()
        assert float(row["Loop flow maximum [L/min]"]) == counted.max()


def test_a_stop_leaves_a_run_that_carries_on_as_it_is(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, carry_on=True)
    wait_for(lambda: (found := recorder.status().run) and found.rows > 3, "rows")
    recorder.stop()
    assert read_state(Path(run.folder)).status == "logging"
    recorder.start()
    wait_for(recorder.all_passing, "it to be back")
    wait_for(lambda: (found := recorder.status().run) and found.id == run.id, "the run")
