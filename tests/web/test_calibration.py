"""A transmitter calibrated by points over HTTP: the correction that comes into force, beside the device's own truth."""

import csv
import io
import math
import time
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Server, wait_for
from tests.transmitter import Tester, Transmitter, setup_of, shown_at
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.standins.device import Device

RULE = {"channels": {"transmitter": {"band": 0.5}}, "steady_s": 0.6, "average_s": 0.8, "give_up_s": 20}


def run_of(server: Server) -> dict[str, Any]:
    return dict(server.get("/api/bench").json()["status"]["run"] or {})


def found(server: Server, fit: str = "straight line") -> dict[str, Any]:
    answer = server.get(f"/api/run/calibration?fit={fit}")
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def point(server: Server, truth: float, stage: str, rule: dict[str, Any] = RULE, **more: Any) -> None:
    """Set the pressure, wait for it, take a point."""
    Transmitter.truth = truth
    time.sleep(0.5)
    before = run_of(server)["points"]
    sets = [] if more.get("by_channel") else [{"name": "Reference", "unit": "kPa", "value": truth}]
    taken = server.post("/api/run/points", {"rule": rule, "stage": stage, "sets": sets})
    assert taken.status_code == 201, taken.text
    wait_for(lambda: run_of(server)["points"] > before, "the point", 15)


def plugged_in(server: Server, kind: type[Device], unit: str, every_s: float) -> Iterator[Device]:
    """One of them on the bench, and away again whatever happens."""
    server.end_any_run()
    Transmitter.truth = 0.0  # whatever another test has left
    made = server.shop.plug_in(kind)
    assert server.post("/api/setups", {"text": setup_of(made, unit, every_s)}).status_code == 201
    wait_for(server.recorder.all_passing, "passing", 20)
    yield made
    server.end_any_run()
    while server.post(f"/api/channels/{made.name}/zero?undo=true", {}).status_code == 200:
        pass
    with server.client() as client:
        client.put("/api/calculated", json={"calculations": {"calculated": []}})
        client.delete(f"/api/setups/{made.name}-bench")
    made.stop()
    server.shop.devices.remove(made)


@pytest.fixture
def transmitter(server: Server) -> Iterator[Device]:
    yield from plugged_in(server, Transmitter, "kPa", 0.1)


@pytest.fixture
def tester(server: Server) -> Iterator[Device]:
    yield from plugged_in(server, Tester, "bar", 0.2)


def begin(server: Server, **calibrates: Any) -> dict[str, Any]:
    plan = {"name": "Calibration", "operator": "M", "calibrates": {"channel": "transmitter", **calibrates}}
    begun = server.post("/api/run", plan)
    assert begun.status_code == 201, begun.text
    return dict(begun.json())


def take_in(server: Server, run: dict[str, Any], **more: Any) -> Any:
    return server.post("/api/run/correction", {"run": run["id"], **more})


def text_of(server: Server) -> str:
    return next(str(s["text"]) for s in server.get("/api/setups").json() if s["key"] == "transmitter-bench")


@pytest.mark.usefixtures("transmitter")
def test_as_found_correction_as_left(server: Server) -> None:
    assert server.post("/api/channels/transmitter/zero", {}).status_code == 200  # 1.5 kPa at nothing
    run = begin(server, allowed=0.2, reference_expanded=0.05)
    assert "no point yet" in take_in(server, run).json()["detail"]
    for words, body in (
        ("as found or as left", {"rule": RULE}),
        ("type the true value", {"rule": RULE, "stage": "as found"}),
        ("must average the channel", {"rule": {**RULE, "channels": {"loop-flow": {}}}, "stage": "as found"}),
    ):
        assert words in server.post("/api/run/points", body).json()["detail"]
    for truth in (0.0, 100.0, 200.0):
        point(server, truth, "as found")
    now = found(server)
    for row, truth in zip(now["rows"], (0.0, 100.0, 200.0), strict=True):
        # The zero was in force: what is shown lacks 1.5 kPa; what the correction is made of does not.
        assert row["shown"] == pytest.approx(shown_at(truth) - 1.5, abs=0.05)
        assert row["uncorrected"] == pytest.approx(shown_at(truth), abs=0.05)
        assert row["deviation"] == pytest.approx(row["shown"] - truth)
    assert [row["verdict"] for row in now["rows"]] == ["within", "beyond", "beyond"]
    assert now["correction"]["largest"] < 0.05
    # The zero stands between: it is undone first, else it would be taken off a second time.
    refused = take_in(server, run)
    assert (refused.status_code, "Undo the zero first" in refused.json()["detail"]) == (409, True)
    assert server.post("/api/channels/transmitter/zero?undo=true", {}).status_code == 200
    assert (
        "as left"
        in server.post(
            "/api/run/points",
            {"rule": RULE, "stage": "as found", "sets": [{"name": "Reference", "value": 0}]},
        ).json()["detail"]
    )
    certificate = {"certificate": "C-17", "date": "2026-11-26", "due": "2027-11-26", "expanded": 0.06}
    taken = take_in(server, run, certificate=certificate)
    assert taken.status_code == 201, taken.text
    channel = tomllib.loads(text_of(server))["channel"][0]
    assert channel["scaling"][-1]["fit"] == "straight line"
    assert channel["calibration"]["certificate"] == "C-17"
    assert "# what it measures" in text_of(server)
    double = {"id": "double", "name": "Double", "expression": "transmitter * 2", "unit": "kPa"}
    with server.client() as client:
        kept = client.put("/api/calculated", json={"calculations": {"calculated": [double]}})
        assert kept.status_code == 200
    both = {**RULE, "channels": {**RULE["channels"], "double": {}}}  # type: ignore[dict-item]
    for truth in (50.0, 200.0):
        point(server, truth, "as left", both)
    # The new certificate goes into the points at once, through a calculated channel too.
    means = {one["id"]: one for one in server.get("/api/run/points").json()["points"][-1]["means"]}
    assert means["transmitter"]["type_b"] == pytest.approx(0.03)
    assert means["double"]["type_b"] == pytest.approx(0.06)
    assert means["double"]["expanded"] == pytest.approx(2 * math.hypot(0.06, means["double"]["type_a"]))
    after = found(server)
    assert after["taken_in"]
    left = [row for row in after["rows"] if row["stage"] == "as left"]
    assert [abs(row["deviation"]) < 0.05 for row in left] == [True, True]
    assert [one["verdict"] for one in after["stages"]] == ["beyond", "within"]
    again = take_in(server, run)
    assert (again.status_code, "points as left" in again.json()["detail"]) == (409, True)
    marks = [mark["text"] for mark in run_of(server)["marks"]]
    assert marks == ["correction of Transmitter pressure taken in: 3 points, a straight line"]
    server.end_any_run()
    # The report, from the folder alone.
    report = server.get(f"/api/runs/{run['id']}/calibration")
    assert report.status_code == 200, report.text
    told = report.json()
    assert told["before"]["correction"] == ""
    assert told["before"]["zero"] == pytest.approx(1.5, abs=0.05)
    assert told["after"]["correction"] == "3 points, a straight line"
    assert told["after"]["zero"] == 0
    assert told["after"]["certificate"]["expanded"] == 0.06
    assert told["correction"] == now["correction"]  # what was taken in is what was shown before
    rows = list(csv.DictReader(io.StringIO(server.get(f"/api/runs/{run['id']}/calibration.csv").text)))
    assert [row["stage"] for row in rows] == ["as found"] * 3 + ["as left"] * 2
    assert float(rows[2]["deviation [kPa]"]) == pytest.approx(told["rows"][2]["deviation"])
    # And the samples themselves: the last two seconds were measured with the correction in force.
    folder = Path(run["folder"])
    records = unpack((folder / "samples.bin").read_bytes())
    number = next(
        c["number"] for c in server.get("/api/bench").json()["status"]["channels"] if c["id"] == "transmitter"
    )
    mine = records[(channels_of(records) == number) & (qualities_of(records) <= 1)]
    assert mine["value"][-5:].mean() == pytest.approx(200.0, abs=0.05)


@pytest.mark.usefixtures("transmitter", "tester")
def test_against_another_channel_and_in_the_place_of_the_old_correction(server: Server) -> None:
    wrong = '\n[[channel.scaling]]\nkind = "points"\npoints = [[0, 10], [300, 250]]\n'
    assert server.post("/api/setups", {"text": text_of(server) + wrong}).status_code == 201
    for channel, words in (
        ("loop-flow", "cannot be the reference"),
        ("transmitter", "channel itself"),
        ("nobody", "not on the bench"),
    ):
        plan = {"name": "C", "calibrates": {"channel": "transmitter", "reference": channel}}
        refused = server.post("/api/run", plan)
        assert words in str(refused.json()["detail"]), refused.text
    run = begin(server, reference="tester")
    rule = {**RULE, "channels": {**RULE["channels"], "tester": {}}}  # type: ignore[dict-item]
    for truth in (10.0, 120.0, 250.0):
        point(server, truth, "as found", rule, by_channel=True)
    # A set-up that is changed while a point is taken: the point belongs to neither.
    slow = {**rule, "average_s": 15, "give_up_s": 20}
    assert server.post("/api/run/points", {"rule": slow, "stage": "as left"}).status_code == 201
    assert "Point 4 is being taken" in take_in(server, run).json()["detail"]
    assert server.post("/api/channels/transmitter/zero", {}).status_code == 200
    wait_for(lambda: found(server)["rows"][3:], "the point given up")
    assert found(server)["rows"][3]["gave_up"] == "the correction or the zero was changed meanwhile"
    assert server.post("/api/channels/transmitter/zero?undo=true", {}).status_code == 200
    now = found(server, "between points")
    assert [row["reference"] for row in now["rows"][:3]] == pytest.approx([10.0, 120.0, 250.0])
    # A correction stands upon the steps before it: with others it would be wrong.
    before = text_of(server)
    assert (
        server.post(
            "/api/setups", {"text": before.replace('unit = "kPa"', 'unit = "kPa"\nscale = 1.5')}
        ).status_code
        == 201
    )
    wait_for(lambda: not found(server)["correction"], "the change on the tape")
    refused = take_in(server, run, fit="between points")
    assert (refused.status_code, "was changed since the calibration began" in refused.json()["detail"]) == (
        409,
        True,
    )
    assert server.post("/api/setups", {"text": before}).status_code == 201
    wait_for(lambda: found(server)["correction"], "the set-up as before on the tape")
    taken = take_in(server, run, fit="between points")
    assert taken.status_code == 201, taken.text
    scaling = tomllib.loads(text_of(server))["channel"][0]["scaling"]
    assert len(scaling) == 1  # in the place of the old one
    assert scaling[0]["points"][2][0] == pytest.approx(shown_at(250.0), abs=0.05)
    Transmitter.truth = 180.0

    def shown() -> float:
        records = unpack(server.get("/api/live/history?seconds=0.5").content)
        number = next(
            c["number"]
            for c in server.get("/api/bench").json()["status"]["channels"]
            if c["id"] == "transmitter"
        )
        mine = records[channels_of(records) == number]
        return float(mine["value"][-1]) if len(mine) else 0.0

    wait_for(lambda: abs(shown() - 180.0) < 0.1, "the true pressure")


def test_what_is_no_calibration_is_said(server: Server) -> None:
    assert "No run is on" in server.get("/api/run/calibration").json()["detail"]
    begun = server.post("/api/run", {"name": "plain"})
    assert begun.status_code == 201
    assert "calibrates nothing" in server.get("/api/run/calibration").json()["detail"]
    refused = server.post("/api/run/points", {"rule": {"channels": {"loop-flow": {}}}, "stage": "as left"})
    assert "neither as found nor as left" in refused.json()["detail"]
    key = begun.json()["id"]
    server.end_any_run()
    wait_for(lambda: server.get(f"/api/runs/{key}").status_code == 200, "the logbook")
    assert "calibrates nothing" in server.get(f"/api/runs/{key}/calibration").json()["detail"]
