"""The row rule."""

import csv
import io
import json
from datetime import datetime

import pytest

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.runs.columns import header
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState
from tidybench.runs.sidecar import metadata
from tidybench.runs.steady_rows import CATCH_UP, SETTLE

S = 1_000_000
T0 = 1_795_416_792 * S


def state(rule: str, *channels: tuple[str, float]) -> RunState:
    return RunState(
        id="r", bench="b", name="n", begun_at=T0 - 10_000, csv="c.csv", row_rule=rule,  # type: ignore[arg-type]
        channels=[
            RunChannel(number=n, id=name.lower(), name=name, unit="V", decimals=1, interval_s=interval,
                       instrument="i", instrument_name="I", scale=1, offset=0)
            for n, (name, interval) in enumerate(channels, 1)
        ],
    )  # fmt: skip


def batch(*samples: tuple[int, int, float, Quality]) -> Batch:
    made = Batch()
    for channel, time, value, quality in samples:
        made.add(channel, quality, time, value)
    return made


def cells(rows: list[str]) -> list[list[str]]:
    assert all(row.endswith("\r\n") for row in rows)
    return [row[1:] for row in csv.reader(io.StringIO("".join(rows), newline=""))]


@pytest.mark.parametrize("rule", ["steady rows", "each reading"])
def test_a_run_without_channels_has_no_rows(rule: str) -> None:
    made = make_rule(state(rule))
    assert made.feed(T0, batch()) == made.until(T0 + 60 * S) == made.finish(T0 + 90 * S) == []


def test_steady_rows_at_the_fastest_interval() -> None:
    rule = make_rule(state("steady rows", ("A", 0.2), ("B", 1.0)))
    rule.feed(T0, batch((1, T0 - 5_000, 1.5, Quality.OK), (2, T0 - 4_000, 9.0, Quality.OK)))
    rule.feed(T0 + 35_000, batch((1, T0 + 35_000, 2.5, Quality.OK)))
    rows = rule.until(T0 + 600_000 + SETTLE) + rule.until(T0 + 600_000 + SETTLE + CATCH_UP)
    got = cells(rows)
    assert [row[0] for row in got] == ["0.010", "0.210", "0.410", "0.610"]
    # A row has what was newest at its own time; a cell older than one and a half intervals is empty, and says so.
    assert [row[1] for row in got] == ["1.5", "2.5", "", ""]
    assert [row[2] for row in got] == ["9", "9", "9", "9"]
    assert [row[3] for row in got] == ["", "", "A=no-sample", "A=no-sample"]


def test_what_arrived_while_the_program_stood_still_is_in_the_rows_of_that_time() -> None:
    """Bytes wait in the ports, and are dated back: one link is read after the other, and the first must not close the rows of the others."""
    rule = make_rule(state("steady rows", ("A", 0.2), ("B", 0.2)))
    rows = []
    for step in range(-1, 10):
        at = T0 + step * 50_000
        rows += rule.feed(at, batch((1, at, 1.0, Quality.OK), (2, at, 1.0, Quality.OK))) + rule.until(at)
    stopped, on = T0 + 450_000, T0 + 2 * S + 450_000
    for number in (1, 2):  # two seconds of each, read a millisecond apart
        late = [(number, stopped + n * 100_000, 2.0 + n, Quality.OK) for n in range(1, 21)]
        rows += rule.feed(on + number * 1000, batch(*late))
    rows += rule.until(on + 50_000) + rule.until(on + CATCH_UP + 2000)
    told = {row[0]: row[1:] for row in cells(rows)}
    assert told["0.410"] == ["1", "1", ""]
    assert told["0.610"] == ["3", "3", ""]  # of 0.56 s
    assert told["2.410"] == ["21", "21", ""]
    assert all(row[2] == "" for row in told.values())
    assert len(told) == 13


def test_a_sample_after_a_row_s_time_is_not_in_it() -> None:
    rule = make_rule(state("steady rows", ("A", 0.2)))
    rule.feed(T0 - 1_000, batch((1, T0 - 1_000, 1.0, Quality.OK)))
    rule.feed(T0 + 20_000, batch((1, T0 + 20_000, 2.0, Quality.OK)))
    assert cells(rule.until(T0 + SETTLE))[0][1] == "1"


@pytest.mark.parametrize("quality", [q for q in Quality if not q.measured])
def test_what_was_not_measured_is_empty_with_its_flag(quality: Quality) -> None:
    for rule_name in ("steady rows", "each reading"):
        rule = make_rule(state(rule_name, ("A", 0.2)))
        rows = rule.feed(T0 - 500, batch((1, T0 - 500, float("nan"), quality))) + rule.until(T0 + SETTLE)
        assert cells(rows)[0][1:] == ["", f"A={quality.code}"]


def test_flagged_has_its_number_and_its_flag() -> None:
    rule = make_rule(state("each reading", ("A", 0.2), ("B", 0.2)))
    rows = rule.feed(T0, batch((1, T0, 3.25, Quality.FLAGGED), (2, T0, 4.0, Quality.OVER)))
    assert cells(rows)[0][1:] == ["3.25", "", "A=flagged; B=over"]


def test_each_reading_is_a_row_of_its_own() -> None:
    rule = make_rule(state("each reading", ("A", 0), ("B", 0)))
    rows = rule.feed(T0, batch((1, T0, 1.0, Quality.OK), (2, T0, 2.0, Quality.OK), (1, T0, 3.0, Quality.OK)))
    assert [row[1:3] for row in cells(rows)] == [["1", "2"], ["3", ""]]
    assert cells(rule.feed(T0, batch((2, T0 + 1, 7.0, Quality.OK))))[0] == ["0.010001", "", "7", ""]


@pytest.mark.parametrize("rule", ["each reading", "steady rows"])
def test_a_device_s_clock_has_its_times_in_its_column(rule: str) -> None:
    """T0 is 2026-11-23T06:53:12 UTC; 7 ms late is 6.993 s before the next ten."""
    made = state(rule, ("A", 1.0), ("Own", 1.0))
    made.channels[1].clock, made.channels[1].unit = True, "s"
    rows = make_rule(made)
    came = batch((1, T0, 1.5, Quality.OK), (2, T0, 0.007, Quality.FLAGGED))
    got = rows.feed(T0, came) + rows.until(T0 + SETTLE)
    [cell] = [row[2] for row in cells(got)]
    assert datetime.fromisoformat(cell).timestamp() == pytest.approx(T0 / 1e6 - 0.007, abs=1e-6)
    assert cells(got)[0][3] == "Own=flagged"
    assert header(made.channels, made.row_rule) == "time,elapsed_s,A [V],Own,flags\r\n"
    column = json.loads(metadata(made, made.csv))["tableSchema"]["columns"][3]
    assert (column["titles"], column["datatype"]) == ("Own", "dateTimeStamp")
    assert "schema:unitText" not in column


def test_channels_that_are_not_in_the_run_are_left_out() -> None:
    for rule_name in ("steady rows", "each reading"):
        rule = make_rule(state(rule_name, ("A", 0.2)))
        assert cells(rule.feed(T0, batch((9, T0, 1.0, Quality.OK)))) in ([], [[]])


def test_digits_are_what_the_instrument_sent() -> None:
    rule = make_rule(state("each reading", ("A", 0)))
    for text in ("148.27", "0.1", "-0.0003", "123456789.125"):
        assert cells(rule.feed(T0, batch((1, T0, float(text), Quality.OK))))[0][1] == text


def test_titles_cannot_run_as_formulas() -> None:
    odd = state("steady rows", ("=1+1", 1), ('Say "hi", he', 1), ("@x", 1))
    titles = next(csv.reader(io.StringIO(header(odd.channels, odd.row_rule))))
    assert titles == ["time", "elapsed_s", "'=1+1 [V]", 'Say "hi", he [V]', "'@x [V]", "flags"]


def test_a_night_s_sleep_is_a_gap_not_a_hundred_thousand_rows() -> None:
    rule = make_rule(state("steady rows", ("A", 0.2)))
    assert len(rule.until(T0 + SETTLE)) == 1
    rows = cells(rule.until(T0 + 8 * 3600 * S) + rule.until(T0 + 8 * 3600 * S + CATCH_UP))
    assert len(rows) <= 2
    assert rows[0][-1] == "A=no-sample"
    assert float(rows[0][0]) > 8 * 3600 - 1
