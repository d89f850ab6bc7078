"""A finished run read again with a corrected set-up: beside what was logged, which never changes."""

import csv
import hashlib
from pathlib import Path

import pytest
from measure.bench import recorder, wait_for

from tests.conftest import DEMO, Shop, setup_text
from tidybench.core.setup import SetupError
from tidybench.demo_runs.logbook import winding
from tidybench.runs.again import AgainError, compared, csv_of, curve_of, frozen_texts, keep, versions
from tidybench.runs.curves import curve_file, read_rows, run_curves
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import verify
from tidybench.wire.places import Places
from tidybench.wire.setups import SetupText

GOOD = setup_text("loop-flow-meter").replace(
    '[identity]\nsend = "ID?\\r"\nlines = 3\nexpect = "SERIAL 20417"\n', ""
)
WRONG = GOOD.replace("L/min> L/min", "L/min> l/min").replace("[L/min]> L/min <", "[L/min]> l/min <")


@pytest.fixture
def run(places: Places, shop: Shop) -> Path:
    """A run whose flow meter's pattern was wrong all along."""
    setups = [
        SetupText(id="loop-flow-meter", text=WRONG),
        SetupText(id="power-analyser", text=setup_text("power-analyser")),
    ]
    with recorder(setups, places) as bench:
        folder = bench.log.folder
        wait_for(
            lambda: min(w.reader.counts.messages for w in bench.recorder.employment.now.workers.values()) >= 6
        )
        bench.end_run()
    return folder


def every_file(folder: Path) -> dict[str, str]:
    return {
        str(p.relative_to(folder)): hashlib.sha256(p.read_bytes()).hexdigest()
        for p in folder.rglob("*")
        if p.is_file() and "again" not in p.parts
    }


def test_a_pattern_found_wrong_after_a_long_test_costs_nothing(run: Path) -> None:
    before = every_file(run)
    outcome = compared(run, GOOD)
    rows = {one.id: one for one in outcome.channels}
    # Its picture is the samples themselves, where they are few.
    drawn = {one.id: one for one in outcome.trends}["loop-flow"]
    seen = [value for value in drawn.values if value is not None]
    again = rows["loop-flow"].again
    assert again is not None
    assert drawn.whole
    assert len(drawn.times) == again.samples
    assert (min(seen), max(seen)) == (again.minimum, again.maximum)
    assert "motor-input" not in {one.id for one in outcome.trends}
    flow, power = rows["loop-flow"], rows["motor-input"]
    assert flow.logged is not None
    assert flow.again is not None
    assert (flow.logged.measured, flow.logged.mean) == (0, None)
    assert flow.logged.qualities["not-understood"] >= 6
    assert flow.again.measured == flow.logged.samples
    assert "not-understood" not in flow.again.qualities
    assert flow.again.mean == pytest.approx(flow.again.maximum, rel=0.2)
    assert power.logged == power.again  # of the others nothing changes
    assert versions(run) == []

    kept = keep(run, GOOD, 5)
    assert (kept.version, kept.at, kept.instrument) == (2, 5, "Loop flow meter")
    path = csv_of(run, 2)
    assert path is not None
    with open(path, encoding="utf-8", newline="") as file:
        table = list(csv.DictReader(file))
    assert sum(bool(row["Loop flow [L/min]"]) for row in table) == flow.again.measured
    assert sum(bool(row["Motor input [kW]"]) for row in table) == power.logged.measured  # type: ignore[union-attr]
    assert (path.parent / "loop-flow-meter.setup.toml").read_text() == GOOD
    assert keep(run, GOOD, 6).version == 3
    assert [one.version for one in versions(run)] == [2, 3]
    assert every_file(run) == before
    assert csv_of(run, 9) is None


def test_channels_may_come_and_go(run: Path) -> None:
    more = GOOD.replace("<state:word>", "O<state:text>").replace(
        'id = "loop-flow"\nname = "Loop flow"', 'id = "flow-again"\nname = "Flow again"'
    )
    rows = {one.id: one for one in compared(run, more).channels}
    assert rows["loop-flow"].again is None
    assert rows["flow-again"].logged is None
    assert rows["flow-again"].again is not None
    assert rows["flow-again"].again.measured > 0


def test_a_half_written_version_does_not_count(run: Path) -> None:
    (run / "again" / "002").mkdir(parents=True)
    (run / "again" / "002" / "again.json").write_text('{"version": 2')
    assert versions(run) == []
    assert keep(run, GOOD, 5).version == 2


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (GOOD.replace('id = "loop-flow-meter"', 'id = "another"'), "No instrument “another” took part"),
        (
            GOOD.replace('id = "loop-flow"', 'id = "motor-input"'),
            "Another instrument of this run has a channel",
        ),
        (GOOD.replace("<flow none", "<flow:nubmer none"), "Did you mean number"),
    ],
)
def test_what_cannot_be_read_again_is_said(run: Path, text: str, words: str) -> None:
    with pytest.raises((AgainError, SetupError), match=words):
        compared(run, text)


def test_a_run_that_goes_on_is_left_alone(run: Path) -> None:
    state = read_state(run).model_copy(update={"status": "logging"})
    (run / "state.json").write_text(state.model_dump_json())
    with pytest.raises(AgainError, match="still being logged"):
        compared(run, GOOD)
    assert list(frozen_texts(run)) == ["loop-flow-meter", "power-analyser"]


def test_curves_come_anew_too(tmp_path: Path) -> None:
    folder = winding(tmp_path, DEMO, 1_795_416_791_000_000, "bench")
    logged = run_curves(folder)
    text = frozen_texts(folder)["winding-tester"][1]
    same = keep(folder, text, 1)
    for number, curve in enumerate(logged, 1):
        again = curve_of(folder, same.version, number)
        assert again is not None
        assert again.read_bytes() == curve_file(folder, curve).read_bytes()
    assert [(one.again, one.logged, one.same) for one in same.curves] == [(one, one, True) for one in logged]
    # Phase was none, after all: a column less, and of the others the same.
    less = text.replace(",<phase none(-----)>", ",<*>").partition('[[curve.y]]\nfield = "phase"')[0]
    [first, _] = compared(folder, less).curves
    assert first.again is not None
    assert not first.same
    assert [one.title for one in first.again.columns] == ["Frequency [Hz]", "Gain [dB]"]
    assert first.again.words == "complete: 120 rows"
    kept = keep(folder, less, 2)
    place = folder / "again" / f"{kept.version:03d}"
    again = read_rows(place, run_curves(place)[0])
    assert again.tolist() == read_rows(folder, logged[0])[:2].tolist()
    # A row that nothing reads: what was a whole curve is none any more, and that is said.
    wrong = text.replace("<frequency>,", "<frequency>;")
    assert all(one.again is None or one.again.state == "not whole" for one in compared(folder, wrong).curves)
    assert verify(folder).problems == []
