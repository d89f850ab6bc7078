"""Sweeps: from a tester on a pseudo-terminal to the run's curves."""

import csv
import json
import random
import time
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import KILLS, RecorderProcess, Shop, wait_for
from tests.recorder.test_acts import HeardPositioner, given
from tidybench.core.curves.analysis import answer
from tidybench.core.curves.piece import CurveRows
from tidybench.core.values.curve import Curve
from tidybench.runs.curves import curve_file, read_rows, run_curves
from tidybench.runs.reread import reread
from tidybench.standins.instruments import WindingTester
from tidybench.wire.commands import GiveCommand
from tidybench.wire.curves import CurveRowsAnswer, GetCurve
from tidybench.wire.procedures import AnswerQuestion, StartProcedure
from tidybench.wire.protocol import Answer
from tidybench.wire.runs import BeginRun, EndRun

TESTER = "../library/winding-tester"


class SlowTester(WindingTester):
    """Sends its rows one by one, and pauses for `pause` seconds behind each."""

    pause = 0.0

    def answer(self, query: bytes) -> bytes | None:
        told = super().answer(query)
        if told is None or not self.pause or b"END" not in told:
            return told
        *rows, end = told.splitlines(keepends=True)
        for row in rows:
            self.sent.append(row)
            self.send(row)
            time.sleep(self.pause)
        return end


@pytest.fixture
def tester(shop: Shop) -> SlowTester:
    return shop.plug_in(SlowTester)


def began(recorder: RecorderProcess) -> Path:
    answered = recorder.ask(BeginRun(name="Winding"))[0]
    assert isinstance(answered, Answer)
    assert answered.run is not None, answered.why
    return Path(answered.run.folder)


def end(recorder: RecorderProcess) -> None:
    run = recorder.status().run
    assert run is not None
    recorder.ask(EndRun(run=run.id))


def looked(recorder: RecorderProcess, number: int) -> CurveRowsAnswer:
    answered = recorder.ask(GetCurve(number=number))[0]
    assert isinstance(answered, Answer)
    assert answered.curve is not None, answered.why
    return answered.curve


def rows_sent(tester: WindingTester) -> list[list[float]]:
    """What went over the wire, read by hand."""
    lines = b"".join(tester.sent).decode().split("\r\n")
    return [[float(cell) for cell in line.split(",")] for line in lines if line.count(",") == 2]


def test_a_sweep_is_kept_with_the_run_as_it_was_sent(
    shop: Shop, tester: SlowTester, recorder: RecorderProcess
) -> None:
    recorder.start(TESTER)
    wait_for(recorder.all_passing, "it to pass")
    folder = began(recorder)
    act = given(recorder, "winding-tester", "sweep")
    assert (act.outcome, act.words) == ("answered", "Winding sweep: 120 rows")
    sent = rows_sent(tester)
    assert len(sent) == 120

    [status] = recorder.status().curves
    assert (status.words, status.kept) == ("complete: 120 rows", 1)
    assert np.array(looked(recorder, 1).values).T.tolist() == sent
    end(recorder)

    [curve] = run_curves(folder)
    assert (curve.state, curve.rows, curve.strays, curve.instrument_name) == (
        "complete",
        120,
        0,
        "Winding tester",
    )
    path = curve_file(folder, curve)
    assert path.name == "001-winding-sweep.csv"
    with open(path, newline="", encoding="utf-8") as file:
        head, *rows = list(csv.reader(file))
    assert head == ["Frequency [Hz]", "Gain [dB]", "Phase [°]", "flags"]
    assert [[float(cell) for cell in row[:3]] for row in rows] == sent
    assert {row[3] for row in rows} == {""}
    told = json.loads((folder / "curves" / "001-winding-sweep.csv-metadata.json").read_text("utf-8"))
    assert [one["titles"] for one in told["tableSchema"]["columns"]] == head

    # The tape read again gives the same rows.
    pieces = [piece for entry in reread(folder) for piece in entry.pieces if isinstance(piece, CurveRows)]
    assert [list(row) for piece in pieces for row in zip(*piece.values, strict=True)] == sent

    # What it says is what the winding is, within its scatter.
    x, gain, _ = read_rows(folder, curve)
    found = answer("second order", x, gain, curve.columns[0], curve.columns[1]).results
    for result, true in zip(found, (2400.0, 4.0, 0.0), strict=False):
        assert result.uncertainty is not None
        assert abs(result.value - true) < 4 * result.uncertainty


def test_a_run_that_begins_in_the_middle_of_a_sweep_has_all_of_it(
    shop: Shop, tester: SlowTester, recorder: RecorderProcess
) -> None:
    recorder.start(TESTER)
    wait_for(recorder.all_passing, "it to pass")
    tester.pause = 0.02
    recorder.ask(GiveCommand(instrument="winding-tester", command="sweep", values={"points": 60}))
    wait_for(lambda: any(one.rows > 10 for one in recorder.status().curves), "some rows")
    folder = began(recorder)
    wait_for(lambda: recorder.status().curves[0].state != "in progress", "its end")
    end(recorder)
    [curve] = run_curves(folder)
    assert (curve.state, curve.rows) == ("complete", 60)
    assert read_rows(folder, curve).T.tolist() == rows_sent(tester)


def test_what_is_cut_short_says_so(shop: Shop, tester: SlowTester, recorder: RecorderProcess) -> None:
    recorder.start(TESTER)
    wait_for(recorder.all_passing, "it to pass")
    folder = began(recorder)
    act = given(recorder, "winding-tester", "sweep", first=5000, last=100)
    assert (act.outcome, act.words) == ("refused", "refused with “ERR 3 RANGE”")
    assert recorder.status().curves == []
    tester.pause = 0.02
    recorder.ask(GiveCommand(instrument="winding-tester", command="sweep", values={"points": 100}))
    wait_for(lambda: any(one.rows > 10 for one in recorder.status().curves), "some rows")
    tester.fault("unplugged")
    wait_for(lambda: recorder.status().curves[0].state != "in progress", "its end")
    end(recorder)
    [curve] = run_curves(folder)
    assert (curve.state, curve.why) == ("not whole", "the link was lost")
    assert curve.rows > 10
    assert read_rows(folder, curve).T.tolist() == rows_sent(tester)[: curve.rows]


def test_kills_of_a_sweep_lose_no_row_that_was_kept(
    shop: Shop, tester: SlowTester, recorder: RecorderProcess
) -> None:
    chance = random.Random(16)
    tester.pause = 0.01
    recorder.start(TESTER)
    for _ in range(KILLS):
        wait_for(recorder.all_passing, "it to pass")
        tester.sent.clear()
        folder = began(recorder)
        recorder.ask(GiveCommand(instrument="winding-tester", command="sweep", values={"points": 60}))
        wait_for(lambda: bool(recorder.status().curves), "it to begin")
        time.sleep(chance.uniform(0.0, 1.0))
        kept = int(recorder.status().curves[0].rows)
        recorder.kill()
        recorder.start(TESTER)
        wait_for((folder / "summary.json").exists, "the run to be closed")
        [curve] = run_curves(folder)
        rows = read_rows(folder, curve).T.tolist()
        assert rows == rows_sent(tester)[: len(rows)]
        assert kept - 8 <= len(rows) == curve.rows  # a flush is 20 ms away
        assert (curve.state, curve.why) in (("complete", ""), ("interrupted", "Tidy Bench stopped meanwhile"))
        assert (curve.state == "complete") <= (len(rows) == 60)


def test_without_a_run_it_is_remembered(shop: Shop, tester: SlowTester, recorder: RecorderProcess) -> None:
    recorder.start(TESTER)
    wait_for(recorder.all_passing, "it to pass")
    given(recorder, "winding-tester", "sweep", points=10)
    [status] = recorder.status().curves
    assert (status.run, status.kept, status.rows) == ("", 0, 10)
    assert isinstance(status, Curve)


VALVE = """procedure Valve characteristic
  begin run "Valve"
  for opening = 20 to 60 step 10 [%]
    set valve-positioner.opening to opening
    wait until "valve-opening" > opening - 1 [%], at most 20 s
    draw "Characteristic" with Opening = opening, Read = "valve-opening", Ratio = "valve-opening" / opening
  capture valve-opening: 5 samples, 2 before, at most 20 s
  ask "Good?"
always
  end run
"""


def stepped(recorder: RecorderProcess, good: bool) -> Path:
    """The procedure carried out, and answered; gives its run's folder."""
    answered = recorder.ask(StartProcedure(text=VALVE))[0]
    assert isinstance(answered, Answer)
    assert not answered.why
    wait_for(lambda: any(one.question for one in recorder.status().procedures), "its question", 60)
    status = recorder.status()
    [one] = [one for one in status.procedures if one.question]
    assert one.question is not None
    assert status.run is not None
    recorder.ask(AnswerQuestion(id=one.id, question=one.question.number, value=good, by="M. Okafor"))
    wait_for(lambda: recorder.status().run is None, "the run to end")
    return Path(status.run.folder)


def test_a_procedure_steps_a_sweep_and_captures(shop: Shop, recorder: RecorderProcess) -> None:
    valve = shop.plug_in(HeardPositioner)
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    folder = stepped(recorder, good=True)
    drawn, captured = run_curves(folder)
    assert (drawn.name, drawn.source, drawn.rows) == ("Characteristic", "procedure", 5)
    assert [column.title for column in drawn.columns] == ["Opening [%]", "Read [%]", "Ratio"]
    opening, read, ratio = read_rows(folder, drawn)
    assert opening.tolist() == [20, 30, 40, 50, 60]
    assert [b"VP %03d.0" % one for one in opening] == valve.heard[:5]
    np.testing.assert_allclose(read, opening, atol=1.5)
    np.testing.assert_allclose(ratio, read / opening, rtol=1e-12)
    assert (captured.source, captured.rows, captured.state) == ("capture", 5, "complete")
    assert (drawn.state, drawn.why) == ("complete", "")  # though what is always done ends its run


def test_a_sweep_of_a_procedure_that_is_stopped_is_not_whole(shop: Shop, recorder: RecorderProcess) -> None:
    shop.plug_in(HeardPositioner)
    recorder.start("valve-positioner")
    wait_for(recorder.all_passing, "all to pass")
    folder = began(recorder)
    text = VALVE.replace('  begin run "Valve"\n', "").replace("always\n  end run\n", "")
    recorder.ask(StartProcedure(text=text))
    wait_for(lambda: any(one.question for one in recorder.status().procedures), "its question", 60)
    [one] = [one for one in recorder.status().procedures if one.question]
    assert one.question is not None
    recorder.ask(AnswerQuestion(id=one.id, question=one.question.number, value=False, by="M. Okafor"))
    wait_for(lambda: recorder.status().curves[0].state != "in progress", "its end")
    end(recorder)
    drawn, _ = run_curves(folder)
    assert (drawn.state, drawn.rows) == ("not whole", 5)
    assert drawn.why == "the procedure ended before it was whole: “Good?” was answered with no, by M. Okafor"
