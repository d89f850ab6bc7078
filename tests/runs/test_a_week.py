"""A plan of a week, in compressed time: rows of means, an end at a clock time, killed twice on the way."""

import csv
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from tests.runs.test_folder import AT, CHANNEL, entry
from tests.runs.test_rows import batch
from tidybench.core.plan.end_watch import EndWatch
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.quality import Quality
from tidybench.core.samples import unpack
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import mend
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import verify
from tidybench.runs.stamps import parse

S = 1_000_000
STEP, WEEK = 10 * S, 7 * 86_400 * S
ROW = 600 * S


def carried_on(log: RunLog, now: int) -> RunLog:
    """After a kill."""
    log.abandon()
    found = mend(log.folder)
    return RunLog.resume(
        log.folder, rows=found.rows, stats=found.stats, links=found.links, rule=found.rule, now=now
    )


def test_a_week_has_all_its_rows_and_ends_at_its_time(tmp_path: Path) -> None:
    ends_at = datetime.fromtimestamp((AT + WEEK) / 1e6, UTC).isoformat()
    slow = CHANNEL.model_copy(update={"interval_s": STEP / S})
    plan = RunPlan(
        name="Endurance",
        row_rule=RowRule(every_s=ROW / S, values=["mean", "minimum", "maximum"]),
        ends=Ends(at=ends_at),
        carry_on=True,
    )
    log = RunLog.begin(
        tmp_path, bench="b", name=plan.name, item="", operator="", row_rule=plan.row_rule, at=AT, channels=[slow], setups={},
        plan=plan,
    )  # fmt: skip
    watch = EndWatch(plan.ends, AT, {})
    rng = np.random.default_rng(7)
    reason, n, at = "", 0, AT
    while not reason:
        n, at = n + 1, at + STEP
        quality = Quality.OK if n % 997 else Quality.NO_REPLY
        value = round(float(rng.normal(150, 3)), 3) if quality is Quality.OK else float("nan")
        log.write([entry(n, at, batch((1, at, value, quality)))], at)
        if n % 100 == 0:
            log.sync(at)
        if n in (20_000, 41_000):
            log = carried_on(log, at)
        reason = watch.look(at, log.rows, lambda _, __: False)
    log.end(at, f"ended by its plan: {reason}", "ended")
    assert abs(at - AT - WEEK) <= STEP
    state = read_state(log.folder)
    assert (state.status, state.carry_on) == ("ended", True)
    records = unpack((log.folder / "samples.bin").read_bytes())
    assert len(records) == n == 60_480
    good = records[np.isfinite(records["value"])]
    with open(log.folder / state.csv, encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 1008
    times = [parse(row["time"]) for row in rows]
    assert set(np.diff(times)) == {ROW}
    for row, time in zip(rows, times, strict=True):
        own = good["value"][(good["time"] > time - ROW) & (good["time"] <= time)]
        assert float(row["A mean [V]"]) == pytest.approx(own.mean(), rel=1e-12)
        assert float(row["A minimum [V]"]) == own.min()
        assert float(row["A maximum [V]"]) == own.max()
    assert verify(log.folder).problems == []
