"""A planned run with memory, points and conditions, killed at ten random instants: all its files agree afterwards."""

import random
import time
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import KILLS, RecorderProcess, Shop, wait_for
from tests.recorder.test_kill import packed_from_tape, rows_of
from tests.recorder.test_planned_run import begin, reason_of
from tests.recorder.test_points import agrees
from tests.recorder.test_recorder import BOTH, ask
from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.core.tape.events import PointTaken
from tidybench.core.values.point import Point
from tidybench.runs.csv_files import csv_files
from tidybench.runs.points import TABLE, read_points, table
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import verify
from tidybench.runs.stamps import parse
from tidybench.runs.tape import read_tape
from tidybench.wire.runs import ChangeEnds, StopPoint, TakePoint

EVERY = 0.5


def test_ten_kills_of_a_planned_run(recorder: RecorderProcess, shop: Shop) -> None:
    chance = random.Random(14)
    recorder.start(*BOTH)
    wait_for(recorder.all_passing, "passing")
    time.sleep(2)
    plan = {
        "begins": {"before_s": 1.5},
        "row_rule": {"every_s": EVERY, "values": ["mean", "minimum", "maximum"], "file_mb": 0.0015},
        "ends": {
            "rows": 10_000,
            "when": [{"channel": "loop-flow", "side": "below", "value": -1, "for_s": 1}],
            "settled": {"bands": {"loop-flow": 1e-6}, "for_s": 2},
        },
        "carry_on": True,
    }
    run = begin(recorder, **plan)
    folder = Path(run.folder)
    for n in range(KILLS):
        band = {"band": 1e-6} if n % 3 == 1 else {"band": 1000, "low": 0} if n % 3 else {}
        rule = {"channels": {"loop-flow": band}, "steady_s": 1, "average_s": 0.5, "give_up_s": 2}
        order = TakePoint.model_validate({"order": {"rule": rule, "name": f"kill {n}"}})
        assert not ask(recorder, order).trouble
        time.sleep(chance.uniform(0.1, 3))
        if chance.random() < 0.3:
            ask(recorder, StopPoint(number=n + 1))
        recorder.kill()
        recorder.start(carry_on=True)
        wait_for(lambda: (one := recorder.status().run) is not None and not one.troubles, "it to go on")
    wait_for(recorder.all_passing, "passing")
    level = {"when": [{"channel": "loop-flow", "side": "above", "value": 0, "for_s": 1}]}
    assert not ask(recorder, ChangeEnds.model_validate({"run": run.id, "ends": level})).trouble
    wait_for(lambda: recorder.status().run is None, "its end")
    assert reason_of(run).startswith("ended by its plan: Loop flow above 0 L/min for 1 s")

    state = read_state(folder)
    records = unpack((folder / "samples.bin").read_bytes())
    assert (np.diff(sequences_of(records).astype(np.int64)) >= 0).all()
    # Samples beside the tape read again, from where reading it begins.
    again = unpack(packed_from_tape(folder))
    inside = np.isin(sequences_of(records), sequences_of(again))
    assert records[inside].tobytes() == again.tobytes()
    early = sequences_of(records[~inside])
    assert len(early)
    assert early.max() < sequences_of(again).min() + 50  # from memory, and until the links were read
    # Rows beside the samples.
    flow = channels_of(records) == state.numbers["loop-flow"]
    good = records[flow & (qualities_of(records) <= 1)]
    compared = 0
    rows = rows_of(run)
    assert len(rows) == state.rows
    files = csv_files(folder, state.csv)
    assert len(files) > 2
    assert max(path.stat().st_size for path in files) <= 1500
    times = [parse(row["time"]) for row in rows]
    assert times == sorted(set(times))
    for row, at in zip(rows, times, strict=True):
        own = good["value"][(good["time"] > at - round(EVERY * 1e6)) & (good["time"] <= at)]
        cell = row["Loop flow mean [L/min]"]
        if not len(own):
            assert cell == ""
            continue
        if cell:
            assert float(cell) == pytest.approx(own.mean(), rel=1e-6), row["time"]
            assert float(row["Loop flow minimum [L/min]"]) == own.min()
            assert float(row["Loop flow maximum [L/min]"]) == own.max()
            compared += 1
    assert compared > 10
    # Points: file, table, tape and samples.
    points = read_points(folder)
    assert len({point.number for point in points}) == len(points)
    told = [
        Point.model_validate(e.point) for _, _, e in read_tape(folder / "tape") if isinstance(e, PointTaken)
    ]
    assert told == points
    assert (folder / TABLE).read_bytes().decode() == table(points, state.begun_at)
    taken = [point for point in points if not point.gave_up]
    for point in taken:
        if point.means[0].count > 1:
            agrees(folder, point, "loop-flow")
    assert taken
    wait_for(lambda: (folder / "manifest.json").exists(), "the seal")
    assert verify(folder).problems == []
