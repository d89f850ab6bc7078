"""A run's CSV in several files: by size and by day, with a full disk, beside one file of the same run."""

import json
import os
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from pydantic import ValidationError

from tests.runs.test_folder import AT, CHANNEL, Full
from tidybench.core.batch import Batch
from tidybench.core.tape.events import Note
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.checks import proven
from tidybench.runs.csv_files import csv_files
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import _complete_rows
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.seal import verify
from tidybench.runs.stamps import parse

S = 1_000_000


def logged(runs: Path, rule: RowRule, times: list[int], fails: "Full | None" = None) -> RunLog:
    """A run with a reading at each of these times, some of them in one flush."""
    quoted = RunChannel.model_validate({**CHANNEL.model_dump(), "name": 'A, "first"'})
    log = RunLog.begin(
        runs, bench="b", name="Long", item="", operator="", row_rule=rule, at=times[0], channels=[quoted], setups={}
    )  # fmt: skip
    entries = []
    for number, at in enumerate(times, 1):
        batch = Batch()
        batch.add(1, 0 if number % 7 else 2, at, number / 3)
        entries.append(Entry(number, "", Note(at, "x"), batch))
        entries[-1].seal()
        if fails is not None:
            fails.kinds = {"csv"} if number % 5 < 3 and number < len(times) else set()
        if number % 3 == 0 or number == len(times):
            log.write(entries, at)
            entries = []
        if number % 40 == 0:
            log.sync(at)
    return log


def whole(log: RunLog) -> tuple[bytes, list[bytes]]:
    """All rows with one header, and the files."""
    files = [path.read_bytes() for path in csv_files(log.folder, log.state.csv)]
    heads = {data.partition(b"\r\n")[0] for data in files}
    assert len(heads) == 1
    return b"".join([heads.pop() + b"\r\n", *(data.partition(b"\r\n")[2] for data in files)]), files


TIMES = [AT + n * S // 10 for n in range(300)]


@pytest.mark.parametrize("full", [False, True])
def test_no_file_is_longer_than_wanted_and_together_they_are_the_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, full: bool
) -> None:
    one = logged(tmp_path / "one", RowRule(kind="each reading"), TIMES)
    many = logged(
        tmp_path / "many", RowRule(kind="each reading", file_mb=0.002), TIMES, Full(monkeypatch) if full else None
    )  # fmt: skip
    assert not many.troubles
    rows, files = whole(many)
    assert rows == whole(one)[0]
    assert many.rows == 300
    assert len(files) > 5
    line = max(len(row) for row in rows.splitlines(keepends=True))
    assert all(2000 - line < len(data) <= 2000 for data in files[:-1])
    names = [path.name for path in csv_files(many.folder, many.state.csv)]
    assert names[:3] == [many.state.csv, *(many.state.csv.replace(".csv", f"_00{n}.csv") for n in (2, 3))]
    for name in names:
        assert json.loads((many.folder / f"{name}-metadata.json").read_text())["url"] == name
    many.end(TIMES[-1], "by hand")
    assert verify(many.folder).problems == []
    (many.folder / names[2]).write_bytes(files[2].replace(b"1", b"7", 1))
    assert f"{names[2]} has changed. What differs was written" in verify(many.folder).problems[0]


@pytest.fixture
def berlin(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setenv("TZ", "Europe/Berlin")
    time.tzset()
    yield
    monkeypatch.undo()
    time.tzset()


@pytest.mark.usefixtures("berlin")
def test_each_day_has_a_file_by_the_clock_on_the_wall(tmp_path: Path) -> None:
    """Also where the day has 25 hours, and where a row was measured before midnight and comes after it."""
    begun = parse("2026-10-24T23:00:00+02:00")
    times = [begun + n * 600 * S for n in range(1, 6 * 50)]
    late = next(n for n, at in enumerate(times) if at > parse("2026-10-25T00:00:00+02:00"))
    times.insert(late + 3 - late % 3, parse("2026-10-24T23:59:59.5+02:00"))
    log = logged(tmp_path, RowRule(kind="each reading", daily=True), times)
    days = [{row[:10] for row in data.decode().splitlines()[1:]} for data in whole(log)[1]]
    assert days == [{"2026-10-24"}, {"2026-10-25", "2026-10-24"}, {"2026-10-26"}]
    assert [len(data.splitlines()) - 1 for data in whole(log)[1]] == [5, 25 * 6 + 1, len(times) - 6 - 150]


@pytest.mark.parametrize("rule", [
    RowRule(kind="each reading", file_mb=0.002), RowRule(every_s=0.1, values=["mean"], file_mb=0.002),
])  # fmt: skip
@pytest.mark.parametrize("checked", [True, False])
@pytest.mark.parametrize("lost", [0, 30, 700, 2500])
def test_after_a_power_cut_rows_stand_where_they_stood(
    tmp_path: Path, rule: RowRule, checked: bool, lost: int
) -> None:
    log = logged(tmp_path, rule, TIMES)
    log.abandon()
    rows, files = whole(log)
    if not checked:
        (log.folder / "checks.jsonl").unlink()
    newest = csv_files(log.folder, log.state.csv)[-1]
    os.truncate(newest, max(0, len(files[-1]) - lost))
    for name in (newest.name, log.state.csv):
        (log.folder / f"{name}-metadata.json").write_bytes(b"\0" * 100)
    check = proven(log.folder) if checked else None
    count, rule_of, _ = _complete_rows(log.folder, log.state, TIMES[-1], check)
    found, parts = whole(log)
    assert found == rows
    assert parts == files
    assert count == rows.count(b"\n") - 1
    for name in (newest.name, log.state.csv):
        assert json.loads((log.folder / f"{name}-metadata.json").read_text())["url"] == name
    again = RunLog.resume(
        log.folder, rows=count, stats=log.stats, links=[""], rule=rule_of, now=TIMES[-1] + S // 10
    )
    batch = Batch()
    batch.add(1, 0, TIMES[-1] + S, 5.0)
    entry = Entry(400, "", Note(TIMES[-1] + S, "x"), batch)
    entry.seal()
    again.write([entry], TIMES[-1] + 2 * S)
    assert whole(again)[0].startswith(found)
    assert again.rows == whole(again)[0].count(b"\n") - 1 > count


def test_a_file_of_no_size_is_refused() -> None:
    for size in (0.0001, -1, float("nan")):
        with pytest.raises(ValidationError):
            RowRule(file_mb=size)
    assert RowRule(daily=True, file_mb=50).words == "steady rows; a file for each day; files of at most 50 MB"
