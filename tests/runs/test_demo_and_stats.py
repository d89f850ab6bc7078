"""The demo's earlier run is made by the real core and log; a run's numbers are what its samples come to."""

import csv
import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.earlier_run import LENGTH, STEPS, make_runs
from tidybench.core.batch import Batch
from tidybench.core.samples import channels_of, unpack
from tidybench.core.values.statistics import Statistics
from tidybench.runs.cells import plain_text, safe_text
from tidybench.runs.folder import SAMPLES, run_folders
from tidybench.runs.marks import read_marks
from tidybench.runs.recovery import mend
from tidybench.runs.reread import frozen_setups, reread
from tidybench.runs.run_state import read_state
from tidybench.runs.stats import RunStats

NOW = 1_795_416_791_000_000


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    runs = tmp_path_factory.mktemp("runs")
    make_runs(runs, DEMO, NOW, "bench")
    [found] = run_folders(runs)
    return found


def rows(folder: Path) -> list[dict[str, str]]:
    with open(folder / read_state(folder).csv, newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def test_the_demo_s_run_is_whole(folder: Path) -> None:
    state = read_state(folder)
    assert (state.status, state.name) == ("ended", "Pump 7 acceptance")
    assert state.ended_at == state.begun_at + LENGTH * 1_000_000
    table = rows(folder)
    assert len(table) == LENGTH * 5
    assert sum(row["Loop flow [L/min]"] != "" for row in table) >= LENGTH * 5 - 2
    assert [mark.text for mark in read_marks(folder)] == [f"valve to {step * 100:.0f} %" for _, step in STEPS]
    assert [s.instrument.id for s in frozen_setups(folder)] == ["loop-flow-meter", "power-analyser"]


def test_its_tape_reads_again_to_its_samples(folder: Path) -> None:
    packed = b"".join(item.batch.pack(item.sequence) for item in reread(folder) if item.batch is not None)
    assert packed == (folder / SAMPLES).read_bytes()


def test_its_channels_agree_with_each_other(folder: Path) -> None:
    """Opening the valve raises flow and power together: one loop feeds both instruments."""
    table = rows(folder)
    flow = np.array([float(row["Loop flow [L/min]"] or "nan") for row in table])
    power = np.array([float(row["Motor input [kW]"] or "nan") for row in table])
    settled = [slice((at + 60) * 5, (at + 110) * 5) for at, _ in STEPS]
    means = [(np.nanmean(flow[s]), np.nanmean(power[s])) for s in settled]
    assert means[0][0] < means[1][0] < means[2][0]
    assert means[0][1] < means[1][1]
    assert means[3][0] == pytest.approx(means[0][0], rel=0.01)


def test_mending_a_whole_run_changes_nothing(folder: Path) -> None:
    state = read_state(folder)
    before = {
        path: path.read_bytes() for path in folder.rglob("*") if path.is_file() and path.name != "state.json"
    }
    mended = mend(folder)
    assert mended.state.repairs == []
    assert mended.state.counts == state.counts
    assert mended.rows == len(rows(folder))
    assert {path: path.read_bytes() for path in before} == before


def test_the_summary_is_what_the_samples_come_to(folder: Path) -> None:
    summary = json.loads((folder / "summary.json").read_text())
    records = unpack((folder / SAMPLES).read_bytes())
    state = read_state(folder)
    for channel, told in zip(state.channels, summary["channels"], strict=True):
        own = records["value"][channels_of(records) == channel.number]
        assert told["samples"] == told["measured"] == len(own)
        assert (told["minimum"], told["maximum"]) == (own.min(), own.max())
        assert told["mean"] == pytest.approx(own.mean())
    assert summary["rows"] == len(rows(folder))


@given(
    st.lists(
        st.tuples(st.integers(1, 3), st.sampled_from([0, 1, 2, 7]), st.floats(-1e9, 1e9)),
        min_size=1,
        max_size=60,
    ),
    st.integers(1, 59),
)
def test_stats_do_not_depend_on_the_pieces(samples: list[tuple[int, int, float]], cut: int) -> None:
    def pack(part: list[tuple[int, int, float]], first: int = 0) -> bytes:
        batch = Batch()
        for n, (channel, quality, value) in enumerate(part, first):
            batch.add(channel, quality, n, value if quality < 2 else float("nan"))
        return batch.pack(1) if len(batch) else b""

    whole, pieces = RunStats([]), RunStats([])
    whole.add(pack(samples))
    pieces.add(pack(samples[:cut]))
    pieces.add(pack(samples[cut:], cut))
    for number in (1, 2, 3):
        one, other = whole.of(number), pieces.of(number)
        assert one.samples == sum(channel == number for channel, _, _ in samples)
        summed = {"mean": None, "sd": None, "slope_per_h": None}
        assert one.model_copy(update=summed) == other.model_copy(update=summed)
        own = [value for channel, quality, value in samples if channel == number and quality < 2]
        assert (one.minimum, one.maximum) == ((min(own), max(own)) if own else (None, None))
        assert one.mean == other.mean if one.mean is None else one.mean == pytest.approx(other.mean, abs=1e-3)


def test_statistics_of_older_versions_of_a_run_are_read() -> None:
    older = {"samples": 10, "measured": 7, "not_understood": 3, "mean": 1.5, "minimum": 1.0, "maximum": 2.0}
    found = Statistics.model_validate(older)
    assert (found.samples, found.measured, found.mean) == (10, 7, 1.5)
    assert found.qualities == {"not-understood": 3}


@given(
    st.text(st.sampled_from("'=+-@\ta1"), max_size=6)
    | st.text(st.characters(exclude_characters="\r\n"), max_size=20)
)
def test_text_is_made_safe_and_plain_again(text: str) -> None:
    safe = safe_text(text)
    assert safe[:1] not in ("=", "+", "-", "@", "\t")
    assert plain_text(safe) == text  # even where it began with an apostrophe itself
