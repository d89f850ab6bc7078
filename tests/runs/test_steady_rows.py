"""Steady rows with what the samples of their interval come to, compared with NumPy over the same samples."""

import csv
import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.runs.test_folder import AT, CHANNEL, entry
from tests.runs.test_rows import T0, S, batch, state
from tidybench.core.quality import Quality
from tidybench.core.samples import unpack
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.columns import header
from tidybench.runs.folder import SAMPLES
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import mend
from tidybench.runs.rows import make_rule
from tidybench.runs.run_state import RunState
from tidybench.runs.sidecar import metadata
from tidybench.runs.stamps import parse

ALL = ["latest", "age", "mean", "minimum", "maximum"]


def ruled(rule: RowRule, *channels: tuple[str, float]) -> RunState:
    return state("steady rows", *channels).model_copy(update={"row_rule": rule})


def table(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text, newline="")))


SAMPLE = st.tuples(
    st.integers(1, 400_000),  # microseconds since the one before
    st.sampled_from([Quality.OK] * 6 + [Quality.FLAGGED, Quality.NO_READING, Quality.OVER]),
    st.floats(-1e9, 1e9),
)


@given(st.lists(SAMPLE, min_size=1, max_size=60), st.sampled_from([0.5, 1.0, 2.5]))
def test_every_row_is_what_numpy_gives(came: list[tuple[int, Quality, float]], every: float) -> None:
    made = ruled(RowRule(every_s=every, age_s=0.3, values=ALL), ("A", 0.1))  # type: ignore[arg-type]
    rule, text, at = make_rule(made), header(made.channels, made.row_rule), T0 - 10_000
    kept = []
    for step, quality, value in came:
        at += step
        kept.append((at, quality, value))
        text += "".join(rule.feed(at, batch((1, at, value if quality.measured else float("nan"), quality))))
    text += "".join(rule.finish(at + 3 * S))
    times = np.array([one[0] for one in kept])
    measured = np.array([one[1].measured for one in kept])
    values = np.array([one[2] for one in kept])
    rows = table(text)
    assert len(rows) == (at + 3 * S) // round(every * S) - (T0 - 10_001) // round(every * S)
    for row in rows:
        end = parse(row["time"])
        assert end is not None
        within = (times > end - round(every * S)) & (times <= end)
        counted = values[within & measured]
        flags = row["flags"].removeprefix("A=")
        if len(counted):
            assert float(row["A mean [V]"]) == pytest.approx(float(np.mean(counted)), rel=1e-12, abs=1e-6)
            assert float(row["A minimum [V]"]) == pytest.approx(counted.min(), rel=1e-14)
            assert float(row["A maximum [V]"]) == pytest.approx(counted.max(), rel=1e-14)
        else:
            assert row["A mean [V]"] == row["A minimum [V]"] == row["A maximum [V]"] == ""
            assert flags
        before = np.flatnonzero(times <= end)
        newest = kept[before[-1]] if len(before) else None
        if newest is not None and newest[1].measured and end - newest[0] <= 300_000:
            assert float(row["A [V]"]) == pytest.approx(newest[2], rel=1e-14)
            assert float(row["A age [s]"]) == pytest.approx((end - newest[0]) / 1e6)
            missing = int((within & ~measured).sum())
            told = np.concatenate([[max(end - round(every * S), T0 - 10_000)], times[within], [end]])
            if newest[1] is Quality.OK and not missing and not any(q is Quality.FLAGGED for _, q, _ in kept):
                assert flags == (
                    "gap" if np.diff(told).max() > 300_000 and within.any() else "" if within.any() else flags
                )
            if missing and newest[1] is Quality.OK:
                assert flags.endswith(f"*{missing}")
        else:
            assert row["A [V]"] == row["A age [s]"] == ""
            assert flags


def test_an_interval_with_a_hole_in_it_says_so() -> None:
    """What nobody measured has no sample: its mean is that of a part, and must not look whole."""
    made = ruled(RowRule(every_s=10, values=["mean"]), ("A", 0.5), ("Key", 0))
    rule, text = make_rule(made), header(made.channels, made.row_rule)
    edge = T0 + 8 * S  # whole tens of seconds
    for half in range(-16, 130):
        at = edge + half * S // 2
        if not (12 <= half / 2 < 16 or 35 <= half / 2 < 44):
            text += "".join(rule.feed(at, batch((1, at, 1.0, Quality.OK), (2, at, 1.0, Quality.OK))))
    text += "".join(rule.finish(edge + 60 * S))
    flags = {((parse(row["time"]) or 0) - edge) // S: row["flags"] for row in table(text)}
    by_hand = {0: "", 10: "", 20: "A=gap", 30: "", 40: "A=gap", 50: "A=gap", 60: ""}
    assert {at: flags[at] for at in by_hand} == by_hand  # a key's channel is silent as it likes


def test_the_mean_of_large_values_has_no_error_that_counts() -> None:
    made = ruled(RowRule(every_s=1, values=["mean"]), ("A", 0.001))
    rule, rows = make_rule(made), []
    for n, value in enumerate([1e16, 1.0, -1e16, 3.0] * 100):
        rows += rule.feed(T0 + n, batch((1, T0 + 1 + n, value, Quality.OK)))
    rows += rule.finish(T0 + S)
    [row] = table(header(made.channels, made.row_rule) + rows[-1])
    assert row["A mean [V]"] == "1"


def test_states_and_clocks_have_their_latest_only() -> None:
    made = ruled(RowRule(every_s=1, values=["mean", "maximum"]), ("Mode", 0.1), ("Own", 0.1), ("A", 0.1))
    made.channels[0].states, made.channels[1].clock = ["shut", "open"], True
    assert (
        header(made.channels, made.row_rule)
        == "time,elapsed_s,Mode [V],Own,A mean [V],A maximum [V],flags\r\n"
    )
    rule = make_rule(made)
    rows = rule.feed(
        T0 - 5,
        batch((1, T0 - 5, 1.0, Quality.OK), (2, T0 - 5, 0.0, Quality.OK), (3, T0 - 5, 4.0, Quality.OK)),
    )
    [row] = table(header(made.channels, made.row_rule) + "".join(rows + rule.finish(T0)))
    assert (row["Mode [V]"], row["A mean [V]"], row["A maximum [V]"]) == ("open", "4", "4")
    assert '"a_mean"' in metadata(made, made.csv)


@pytest.mark.parametrize(
    ("given_", "said"),
    [
        ({"kind": "each reading", "every_s": 1}, "belong to steady rows"),
        ({"every_s": 0.001}, "at least 0.01 s apart"),
        ({"every_s": 4000}, "less than or equal to 3600"),
        ({"values": ["mean", "mean"]}, "each can be given once"),
        ({"values": ["age"]}, "add “latest”"),
        ({"values": []}, "at least 1"),
        ({"every_s": True}, "a number is wanted"),
    ],
)
def test_a_rule_that_cannot_be(given_: dict[str, Any], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        RowRule.model_validate(given_)


@pytest.mark.parametrize("check", [True, False])
def test_the_mean_of_an_interval_goes_on_after_a_kill(tmp_path: Path, check: bool) -> None:
    """The interval in which everything was killed has the samples of before, too."""
    rule = RowRule(every_s=10, values=["mean", "minimum", "maximum", "latest"])
    log = RunLog.begin(
        tmp_path,
        bench="b",
        name="n",
        item="",
        operator="",
        row_rule=rule,
        at=AT,
        channels=[CHANNEL],
        setups={},
    )
    at, number = AT, 0

    def goes_on(samples: int) -> None:
        nonlocal at, number
        for _ in range(samples):
            at, number = at + 100_000, number + 1
            value = float(number * 37 % 101)
            log.write([entry(number, at, batch((1, at, value, Quality.OK)))], at)

    goes_on(160)
    if check:
        log.sync(at)
        goes_on(7)
    log.abandon()
    mended = mend(log.folder)
    at += 1_500_000
    log = RunLog.resume(
        log.folder, rows=mended.rows, stats=mended.stats, rule=mended.rule, links=mended.links, now=at
    )
    goes_on(140)
    log.end(at, "ended")
    rows = table((log.folder / log.state.csv).read_text("utf-8"))
    assert len(rows) >= 3
    kept = unpack((log.folder / SAMPLES).read_bytes())
    times, values = kept["time"], kept["value"]
    assert len(kept) >= 300
    for row in rows:
        end = parse(row["time"])
        assert end is not None
        counted = values[(times > end - 10 * S) & (times <= end)]
        assert float(row["A mean [V]"]) == pytest.approx(counted.mean(), rel=1e-14)
        assert (float(row["A minimum [V]"]), float(row["A maximum [V]"])) == (counted.min(), counted.max())
