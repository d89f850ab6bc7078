"""Test points of a run, over pseudo-terminals; their means beside samples.bin and the CSV, by NumPy."""

import csv
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.test_kill import rows_of
from tests.recorder.test_planned_run import begin
from tests.recorder.test_recorder import BOTH, ask
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.values.point import Point, newest_of
from tidybench.runs.points import read_points
from tidybench.runs.run_state import read_state
from tidybench.runs.stamps import parse
from tidybench.wire.runs import CorrectPoint, EndRun, RunStatus, StopPoint, TakePoint

QUICK = {"average_s": 1, "steady_s": 1, "give_up_s": 30}


def take(recorder: RecorderProcess, channels: dict[str, Any], **more: Any) -> None:
    rule = {**QUICK, **more.pop("rule", {}), "channels": channels}
    answer = ask(recorder, TakePoint.model_validate({"order": {"rule": rule, **more}}))
    assert answer.run is not None, answer.why
    assert answer.run.taking is not None


def taken(recorder: RecorderProcess, run: RunStatus, count: int) -> list[Point]:
    wait_for(lambda: (one := recorder.status().run) and one.points == count, f"{count} points")
    return read_points(Path(run.folder))


def agrees(folder: Path, point: Point, channel: str) -> None:
    records = unpack((folder / "samples.bin").read_bytes())
    mine = channels_of(records) == read_state(folder).numbers[channel]
    inside = (records["time"] > point.since) & (records["time"] <= point.until) & mine
    good = records["value"][inside & (qualities_of(records) <= 1)]
    mean = next(one for one in point.means if one.id == channel)
    assert mean.count == len(good) > 1
    assert mean.mean == pytest.approx(good.mean(), rel=1e-12)
    assert mean.sd == pytest.approx(good.std(ddof=1), rel=1e-9)


def test_points_are_taken_given_up_corrected_and_agree_with_the_samples_and_the_csv(
    recorder: RecorderProcess, shop: Shop
) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    run = begin(recorder, row_rule={"kind": "each reading"})
    folder = Path(run.folder)
    channels = {"loop-flow": {"band": 1000, "low": 0, "high": 1000}, "motor-input": {}}
    valve = [{"name": "Valve", "unit": "%", "value": 40}]
    take(recorder, channels, name="40 %", sets=valve)
    again = ask(recorder, TakePoint.model_validate({"order": {"rule": {**QUICK, "channels": channels}}}))
    assert (again.trouble, "Point 1 is being taken" in again.why) == ("conflict", True)
    [first] = taken(recorder, run, 1)
    assert (first.steady, first.verdict, first.name) == (True, "within", "40 %")
    agrees(folder, first, "loop-flow")
    agrees(folder, first, "motor-input")
    flow = first.means[0]
    assert flow.mean is not None
    assert flow.type_a is not None
    assert flow.type_b == pytest.approx(flow.mean * 0.005 / 2)  # its certificate: 0.5 % of the reading, k = 2
    assert flow.expanded == pytest.approx(2 * np.hypot(flow.type_a, flow.type_b))
    [line] = csv.DictReader((folder / "points.csv").open(encoding="utf-8", newline=""))
    assert float(line["Loop flow U (k = 2)"]) == pytest.approx(flow.expanded)
    # From the CSV too: it has every reading.
    rows = [row for row in rows_of(run) if row["Loop flow [L/min]"]]
    inside = [float(r["Loop flow [L/min]"]) for r in rows if first.since < parse(r["time"]) <= first.until]
    assert first.means[0].mean == pytest.approx(np.mean(inside), rel=1e-6)

    # It never stays within so close a band.
    take(recorder, {"loop-flow": {"band": 1e-6}}, rule={"give_up_s": 2.5})
    wait_for(
        lambda: (one := recorder.status().run) and one.taking and one.taking.unsteady == ["Loop flow"],
        "waiting",
    )
    second = taken(recorder, run, 2)[1]
    assert second.gave_up == "not steady for 1 s: Loop flow"

    # Nor this one; it is averaged all the same, and another one is given up by a person.
    take(recorder, {"loop-flow": {"band": 1e-6}})
    assert not ask(recorder, StopPoint(number=3, now=True)).trouble
    third = taken(recorder, run, 3)[2]
    assert (third.steady, third.gave_up) == (False, "")
    agrees(folder, third, "loop-flow")
    take(recorder, {"loop-flow": {"band": 1e-6}})
    assert not ask(recorder, StopPoint(number=4)).trouble
    assert taken(recorder, run, 4)[3].gave_up == "by a person"
    assert ask(recorder, StopPoint(number=4)).trouble == "conflict"

    given = {"name": "41 %", "note": "misread", "sets": valve, "typed": [], "void": False}
    change = CorrectPoint.model_validate({"number": 1, "version": 1, "by": "N", **given})
    assert not ask(recorder, change).trouble
    late = ask(recorder, change)
    assert (late.trouble, "was corrected meanwhile" in late.why) == ("conflict", True)
    points = taken(recorder, run, 5)
    assert [(one.number, one.version, one.name) for one in points if one.number == 1] == [
        (1, 1, "40 %"),
        (1, 2, "41 %"),
    ]
    assert newest_of(points)[0].means == first.means

    take(recorder, {"loop-flow": {"band": 1e-6}}, name="killed", sets=valve)
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(lambda: recorder.status().run is not None, "it to be there")
    found = recorder.status().run
    assert found is not None
    assert found.taking is None
    assert found.points in {5, 6}  # while it is put in order as well, and with the killed one since
    wait_for(lambda: (one := recorder.status().run) is not None and not one.troubles, "it to be in order")
    killed = taken(recorder, run, 6)[5]
    assert (killed.number, killed.name, killed.gave_up) == (5, "killed", "Tidy Bench was restarted meanwhile")
    assert killed.sets == first.sets
    assert read_state(folder).ordered is None
    take(recorder, {"loop-flow": {"band": 1e-6}})
    assert not ask(recorder, EndRun(run=run.id)).trouble
    points = read_points(folder)
    assert (points[-1].number, points[-1].gave_up) == (6, "the run ended")
    with open(folder / "points.csv", newline="") as file:
        table = list(csv.DictReader(file))
    assert [row["point"] for row in table] == ["1", "2", "3", "4", "5", "6"]
    assert float(table[0]["Loop flow [L/min]"]) == pytest.approx(first.means[0].mean, rel=1e-9)
    assert not ask(recorder, TakePoint.model_validate({"order": {"rule": {"channels": {"x": {}}}}})).run


REFUSED: list[tuple[dict[str, Any], str]] = [
    ({"gone": {}}, "“gone” is not on the bench"),
    ({"loop-flow": {"band": 1}}, "are too short to call it steady"),
]


def test_points_that_cannot_be_taken_are_refused_in_words(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    ordered = {"order": {"rule": {"channels": {"loop-flow": {}}}}}
    assert "No run is on" in ask(recorder, TakePoint.model_validate(ordered)).why
    run = begin(recorder)
    for channels, said in REFUSED:
        rule = {"channels": channels, "steady_s": 0.1}
        answer = ask(recorder, TakePoint.model_validate({"order": {"rule": rule}}))
        assert said in answer.why, answer.why
    assert (
        "has no point 3"
        in ask(
            recorder,
            CorrectPoint(number=3, version=1, name="", note="", sets=[], typed=[], void=True),
        ).why
    )
    take(recorder, {"loop-flow": {}})
    assert taken(recorder, run, 1)[0].number == 1  # what was refused has no number
