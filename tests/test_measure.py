"""The measurements' own arithmetic and command line; the figures themselves are `./tidy measure`'s."""

import json
import os
import sys
from pathlib import Path

import pytest
from measure import __main__ as command
from measure.bench import setup
from measure.machine import calmest, stolen_seconds
from measure.result import Result, median, percentile

from tidybench.core.compile.load import load

GOOD = Result("x", 20.0, "things/s", "2 x script", True, {"script": 8.0}, {"script": 2.5}, "a note")


def test_medians_and_percentiles() -> None:
    assert median([5, 1, 3]) == 3
    assert percentile([float(n) for n in range(100)], 0.99) == 99
    assert percentile([7.0], 0.99) == 7


def test_a_row_says_its_ratio_and_whether_it_is_met() -> None:
    text = command.line(GOOD)
    assert text.startswith("met")
    assert "2.50 x script (8)" in text
    assert "target: 2 x script" in text


@pytest.mark.parametrize(("met", "code"), [(True, 0), (False, 1)])
def test_the_exit_code_and_the_json(
    met: bool, code: int, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    GOOD.met = met
    monkeypatch.setitem(command.ROWS, "poll", lambda: GOOD)
    monkeypatch.setattr(sys, "argv", ["measure", "--json", "poll"])
    assert command.main() == code
    [row] = json.loads(capsys.readouterr().out)
    assert {"name", "value", "unit", "baselines", "ratios", "target", "met"} <= set(row)
    assert row["met"] is met


def test_a_row_that_is_not_there(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    monkeypatch.setattr(sys, "argv", ["measure", "pol"])
    assert command.main() == 2
    assert "There is no row “pol”. Rows: poll, poll-plan, " in capsys.readouterr().err


def test_the_measured_set_ups_are_good() -> None:
    asked = load(setup("flow", "/dev/x", "FL=<a> L/min <s:word>", query="FL?\n", channels=["a"]).text)
    assert [c.field for c in asked.channel] == ["a"]
    alone = load(setup("s", "/dev/x", "<a>,<b>,<c>,<d>", baud=12_000_000).text)
    assert len(alone.channel) == 4


def test_lateness_counts_on_the_calmest_of_the_runs() -> None:
    shares = iter([0.3, 0.0004, 0.2])  # seconds stolen, a run
    values = iter([38.0, 1.4, 12.0])
    now = stolen = 0.0

    def row() -> Result:
        nonlocal now, stolen
        now, stolen = now + 1.0, stolen + next(shares) * (os.cpu_count() or 1)
        value = next(values)
        return Result("jitter", value, "ms", "2 ms", value <= 2, note="n polls")

    best = calmest(row, lambda: now, lambda: stolen)
    assert (best.value, best.met) == (1.4, True)
    assert best.stolen == pytest.approx(0.0004)
    assert best.note == "n polls; the calmest of 2 runs"
    assert next(values) == 12.0  # a calm run ends the attempts


def test_stolen_time_is_read_from_the_kernels_own_count(tmp_path: Path) -> None:
    ticks = os.sysconf("SC_CLK_TCK")
    (tmp_path / "stat").write_text(f"cpu  1 2 3 4 5 6 7 {ticks * 3} 0 0\ncpu0 0 0 0 0 0 0 0 9 0 0\n")
    assert stolen_seconds(tmp_path / "stat") == 3.0
    assert stolen_seconds(tmp_path / "nothing") == 0.0
