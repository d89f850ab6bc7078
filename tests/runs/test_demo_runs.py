"""The runs of the demo's Logbook, from their folders: points beside NumPy, the gap, the leak, the calibration."""

import csv
import json
import random
import re
import shutil
from datetime import UTC
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import DEMO
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.events import CommandEnded
from tidybench.core.values.point import Point
from tidybench.demo_runs.logbook import RUNS, LogbookFolder
from tidybench.report.run_report import ReportError, report
from tidybench.report.trends import Axis, series_of, strip
from tidybench.runs.calibration import run_calibration
from tidybench.runs.crossings import read_crossings
from tidybench.runs.curves import read_rows, run_curves
from tidybench.runs.folder import SAMPLES, run_folders
from tidybench.runs.points import read_points
from tidybench.runs.provenance import ProvenanceError, explain
from tidybench.runs.reread import reread
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import verify

NOW = 1_795_416_791_000_000


@pytest.fixture(scope="module")
def logbook(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    runs = tmp_path_factory.mktemp("bench") / "runs"
    runs.mkdir()
    made = LogbookFolder(runs, DEMO, NOW, "bench")
    assert made.missing
    made.make()
    assert not made.missing
    assert not (runs.parent / "demo-runs").exists()
    return {read_state(one).name: one for one in run_folders(runs)}


def mean_by_numpy(folder: Path, point: Point, channel: str) -> float:
    records = unpack((folder / SAMPLES).read_bytes())
    mine = (channels_of(records) == read_state(folder).numbers[channel]) & (qualities_of(records) <= 1)
    inside = (records["time"] > point.since) & (records["time"] <= point.until)
    return float(records["value"][mine & inside].mean())


def test_all_are_whole_sealed_and_read_again_to_their_samples(logbook: dict[str, Path]) -> None:
    assert len(logbook) == len(RUNS)
    for folder in logbook.values():
        assert read_state(folder).status == "ended"
        assert verify(folder).problems == []
        packed = b"".join(item.batch.pack(item.sequence) for item in reread(folder) if item.batch is not None)
        assert packed == (folder / SAMPLES).read_bytes(), folder


def test_re_shimming_shows_in_the_points(logbook: dict[str, Path]) -> None:
    before, after = (
        read_points(logbook[name]) for name in ("Pump 7 acceptance", "Pump 7 acceptance, repeated")
    )
    for folder, points in (
        (logbook["Pump 7 acceptance"], before),
        (logbook["Pump 7 acceptance, repeated"], after),
    ):
        assert [one.name for one in points] == ["valve 45 %", "valve 60 %", "valve 80 %", "valve 30 %"]
        for point in points:
            assert point.steady
            for mean in point.means:
                assert mean.mean == pytest.approx(mean_by_numpy(folder, point, mean.id))
    gained = [
        b.means[3].mean - a.means[3].mean  # type: ignore[operator]
        for a, b in zip(before, after, strict=True)
    ]
    assert all(2 < one < 4 for one in gained)  # per cent of efficiency
    assert all(one / (a.means[3].expanded or 0) > 2 for one, a in zip(gained, before, strict=True))


def test_the_unplugged_instrument_leaves_a_gap_and_the_point_waits(logbook: dict[str, Path]) -> None:
    folder = logbook["Pump 7 acceptance, first try"]
    state = read_state(folder)
    assert state.counts.lost == 1
    with (folder / state.csv).open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    elapsed = np.array(
        [float(row["elapsed_s"]) for row in rows if row["Loop flow [L/min]"] not in ("", "LINK")]
    )
    measured = [
        float(row["elapsed_s"]) for row in rows if row["Loop flow [L/min]"].replace(".", "").isdigit()
    ]
    gaps = np.diff(measured)
    assert len(elapsed)
    assert gaps.max() == pytest.approx(45, abs=1.5)
    second = read_points(folder)[1]
    assert not second.gave_up
    assert second.since > state.begun_at + 205_000_000  # not before it had been back for ten seconds
    assert second.means[0].missing == 0


def test_the_seal_leaks_more_and_more_until_it_calls(logbook: dict[str, Path]) -> None:
    folder = logbook["Seal endurance, night"]
    with (folder / read_state(folder).csv).open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 481  # both ends of eight hours lie on the grid
    leak = [float(row["Leak mean [mL/min]"]) for row in rows if row["Leak mean [mL/min]"]]
    assert leak[-1] - leak[0] == pytest.approx(0.032, abs=0.002)
    called = [one for one in read_crossings(folder) if one.name == "Leak" and one.state == "high"]
    assert len(called) == 1
    assert called[0].at > read_state(folder).begun_at + 5 * 3600 * 1_000_000


def test_the_calibration_s_correction_takes_out_what_the_tester_found(logbook: dict[str, Path]) -> None:
    found = run_calibration(logbook["Calibration of Suction"])
    assert [one.verdict for one in found.stages] == ["beyond", "within"]
    assert found.taken_in
    assert found.correction is not None
    # The stand-in shows 1.012 p + 0.008: taken back that is (x - 0.008) / 1.012.
    shown, true = np.array(found.correction.step.points).T
    slope, offset = np.polyfit(shown, true, 1)
    assert slope == pytest.approx(1 / 1.012, abs=0.002)
    assert offset == pytest.approx(-0.008 / 1.012, abs=0.001)
    assert found.after.certificate is not None
    assert found.after.certificate.certificate == "PP-11-10"


def test_the_winding_s_sweeps_show_the_repair(logbook: dict[str, Path]) -> None:
    for name, resonance, quality in (("Winding MT-7", 3100.0, 1.2), ("Winding MT-7, repaired", 2400.0, 4.0)):
        folder = logbook[name]
        curves = run_curves(folder)
        assert [(one.state, one.rows) for one in curves] == [("complete", 120)] * 2
        frequency, gain, phase = read_rows(folder, curves[1])
        assert np.allclose(frequency, np.geomspace(20, 20_000, 120), atol=0.051)
        ratio = frequency / resonance
        model = 1 / (1 - ratio**2 + 1j * ratio / quality)
        assert np.std(gain - 20 * np.log10(abs(model))) < 0.02
        assert np.allclose(np.unwrap(phase, period=360), np.degrees(np.unwrap(np.angle(model))), atol=0.6)
        told = [entry.event for entry in reread(folder) if isinstance(entry.event, CommandEnded)]
        assert [one.outcome for one in told] == ["answered"] * 2


def test_what_was_begun_and_not_ended_is_gone_on_with_and_what_was_thrown_away_stays_away(
    tmp_path: Path,
) -> None:
    runs = tmp_path / "runs"
    runs.mkdir()
    (tmp_path / "demo-runs.json").write_text(json.dumps(len(RUNS) - 1))
    (tmp_path / "demo-runs" / "half").mkdir(parents=True)
    made = LogbookFolder(runs, DEMO, NOW, "bench")
    assert made.missing
    made.make()
    [last] = run_folders(runs)
    assert read_state(last).name == "Winding MT-7"
    shutil.rmtree(last)
    assert not LogbookFolder(runs, DEMO, NOW, "bench").missing


def test_samples_of_every_channel_lead_to_their_bytes(logbook: dict[str, Path]) -> None:
    """Each number is made anew from what is told of it: the last step has it, bytes and all."""
    random.seed(11)
    explained = 0
    for folder in logbook.values():
        state = read_state(folder)
        records = unpack((folder / SAMPLES).read_bytes())
        for channel in state.channels:
            own = records[channels_of(records) == channel.number]
            for place in random.sample(range(len(own)), min(1, len(own))):
                at, value, quality = (
                    int(own["time"][place]),
                    float(own["value"][place]),
                    int(own["word"][place]) & 0xFF,
                )
                told = explain(folder, channel.id, at)
                assert told.time == at
                assert told.sequence == int(own["word"][own["time"] == at][-1]) >> 24
                assert any(line.n == told.sequence for line in told.around)
                if told.expression:
                    assert told.inputs
                    continue
                if quality > 1:
                    assert told.value is None
                    assert told.quality
                    continue
                assert told.why == "", (channel.id, told)
                assert told.came
                assert told.value == value
                last = told.steps[-1].after if told.steps else None
                if last is None and not channel.states:
                    last = float(told.field_text)
                assert channel.states or last == pytest.approx(value, rel=1e-9)
                explained += 1
    assert explained > 30


def test_a_sample_of_the_flow_meter_is_what_its_message_says(logbook: dict[str, Path]) -> None:
    folder = logbook["Pump 7 acceptance"]
    state = read_state(folder)
    told = explain(folder, "loop-flow", state.begun_at + 60_000_000)
    match = re.search(r"FL=([+-]?[0-9.]+)", told.came)
    assert match is not None
    assert told.value == float(match[1])
    assert (told.asked, told.query) == ("FL?\r", "flow")
    assert told.reply_ms is not None
    assert 0 < told.reply_ms < 1000
    with pytest.raises(ProvenanceError, match="no sample before that time"):
        explain(folder, "loop-flow", state.begun_at - 10**9)
    with pytest.raises(ProvenanceError, match="no channel “nobody”"):
        explain(folder, "nobody", state.begun_at)


def cells(page: str, row: str) -> list[str]:
    """The cells of the first row of a table that begins so."""
    found = re.search(rf"<tr><td>{re.escape(row)}</td>(.*?)</tr>", page, re.S)
    assert found, row
    return [re.sub(r"<[^>]*>", "", cell).strip() for cell in re.findall(r"<td.*?</td>", found[1], re.S)]


def test_a_report_has_the_numbers_of_the_samples_and_loads_nothing(logbook: dict[str, Path]) -> None:
    folder = logbook["Seal endurance, night"]
    state = read_state(folder)
    page = report(folder, UTC, at=NOW)
    records = unpack((folder / SAMPLES).read_bytes())
    for channel in state.channels:
        own = records[(channels_of(records) == channel.number) & (qualities_of(records) <= 1)]
        shown = cells(page, f"{channel.name}, {channel.unit}")
        mean, low, high = (float(one.replace("−", "-")) for one in shown[:3])
        assert mean == pytest.approx(own["value"].mean(), abs=0.51 * 10.0 ** -(channel.decimals + 1))
        assert (low, high) == (
            round(own["value"].min(), channel.decimals),
            round(own["value"].max(), channel.decimals),
        )
        assert shown[5] == f"{len(own):,} of {len(own):,}".replace(",", "\u202f")
    assert "◆ Beyond limits or lost once" in page
    manifest = json.loads((folder / "manifest.json").read_text())
    assert all(one["sha256"] in page for one in manifest["files"])
    assert not re.search(r"""(?:src|href)=|url\(|@import|<script|https?://""", page), "whole in itself"
    assert report(folder, UTC, at=NOW) == page


def test_a_report_shows_gaps_points_and_hostile_names_as_they_are(
    logbook: dict[str, Path], tmp_path: Path
) -> None:
    page = report(logbook["Pump 7 acceptance, first try"], UTC)
    lacking = cells(page, "Loop flow, L/min")[6]
    assert "gap" in lacking or "link lost" in lacking, lacking
    page = report(logbook["Pump 7 acceptance"], UTC)
    means = [
        one.means[0] for one in read_points(logbook["Pump 7 acceptance"]) if one.means and one.means[0].mean
    ]
    assert means
    for mean in means:
        assert mean.mean is not None
        assert f"{mean.mean:.{mean.decimals + 1}f}" in page
    hostile = tmp_path / "run"
    shutil.copytree(logbook["Seal endurance, night"], hostile)
    state = json.loads((hostile / "state.json").read_text())
    for channel in state["channels"]:
        channel |= {"low": None, "high": None}
    state["channels"][0]["low"] = 0.0  # a limit like any other
    (hostile / "crossings.csv").unlink()
    (hostile / "state.json").write_text(json.dumps(state))
    assert "Within all limits from beginning to end" in report(hostile, UTC)
    state["channels"][0]["low"] = None
    (hostile / "state.json").write_text(json.dumps(state))
    assert "No limits were set" in report(hostile, UTC)
    state |= {"name": '<script>alert("1")</script> & "x"', "notes": "</style><b>bold</b>"}
    (hostile / "state.json").write_text(json.dumps(state))
    (hostile / "manifest.json").unlink()
    page = report(hostile, UTC)
    assert "<script>" not in page
    assert "<b>bold</b>" not in page
    assert "The run is not sealed." in page
    state |= {"status": "logging", "ended_at": None}
    (hostile / "state.json").write_text(json.dumps(state))
    with pytest.raises(ReportError, match="The run goes on"):
        report(hostile, UTC)


def test_a_strip_s_curve_is_where_its_samples_are(logbook: dict[str, Path]) -> None:
    folder = logbook["Seal endurance, night"]
    state = read_state(folder)
    assert state.ended_at is not None
    [leak] = [one for one in state.channels if one.name == "Leak"]
    series = series_of(folder, [leak])[leak.number]
    axis = Axis(state.begun_at, state.ended_at, UTC)
    drawing = strip(leak, series, axis)
    path = re.search(r'<path class="curve c0" d="([^"]*)"', drawing)
    assert path
    places = [(float(x), float(y)) for x, y in re.findall(r"[ML](-?[0-9.]+) (-?[0-9.]+)", path[1])]
    assert len(places) == len(series.times)
    assert path[1].count("M") == 1, "it was measured all the time"
    lowest, highest = min(y for _, y in places), max(y for _, y in places)
    records = unpack((folder / SAMPLES).read_bytes())
    values = records["value"][channels_of(records) == leak.number]
    # The highest value lies highest: once for once.
    assert places[int(np.argmax(series.values))][1] == pytest.approx(lowest, abs=0.06)
    assert (series.values.max(), series.values.min()) == (values.max(), values.min())
    assert highest - lowest == pytest.approx((112 - 30) / 1.12, rel=0.01)
    for (x, _), at in zip(places[:50], series.times[:50].tolist(), strict=True):
        assert x == pytest.approx(
            74 + (at - state.begun_at) / (state.ended_at - state.begun_at) * 918, abs=0.06
        )


def test_reports_draw_every_curve_and_tell_a_calibration_as_it_is(logbook: dict[str, Path]) -> None:
    for folder in logbook.values():
        page = report(folder, UTC, NOW)
        for curve in run_curves(folder):
            rows = read_rows(folder, curve)
            part = page.split(f"<h3>{curve.number}. {curve.name}")[1].split("</section>")[0]
            for place, quantity in enumerate(curve.columns[1:], 1):
                title = f"{quantity.title} over {curve.columns[0].title}"
                (drawn,) = re.findall(rf'aria-label="{re.escape(title)}">(.*?)</svg>', part)
                path = re.search(r'<path class="curve c0" d="([^"]*)"', drawn)
                assert path is not None
                good = np.isfinite(rows[0]) & np.isfinite(rows[place])
                assert path[1].count("M") + path[1].count("L") == min(good.sum(), 2000)
        if read_state(folder).calibrates is None:
            assert "Calibration of" not in page
            continue
        found = run_calibration(folder)
        assert f"Calibration of {found.name}" in page
        table = page[page.index("Calibration of") :]
        for row in found.rows:
            assert row.deviation is not None
            assert f"{row.deviation:.{found.decimals + 1}f}".replace("-", "−") in table
        assert found.taken_in == ("Correction taken in" in page)
