"""An acceptance run in a real browser: planned from the last one, five test points (one waits and gives up, one is corrected), an end
by itself when settled, the seal, and one byte changed."""

import csv
import io
from pathlib import Path

import numpy as np
import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.runs.points import read_points
from tidybench.runs.run_state import read_state

pytestmark = pytest.mark.browser


def take(page: Page, name: str, valve: str) -> None:
    page.key_until("p", lambda: bool(page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog] input")))
    page.type_into("Name", name)
    page.type_into("Valve is", valve)
    page.press("Take the point")
    wait_for(lambda: not page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"), "the window to close")


def last_one(server: Server) -> str:
    """A run as it was planned before, of another test item; gives its id."""
    plan = {
        "name": "Acceptance by points",
        "item": "P7-0412",
        "row_rule": {"kind": "each reading"},
        "ends": {"settled": {"bands": {"loop-flow": 1e-6}, "for_s": 5}},
    }
    run = server.post("/api/run", plan).json()
    assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    return str(run["id"])


def test_an_acceptance_run_takes_five_points(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    before = last_one(server)
    page.open()
    page.press("points")
    page.see("Test points belong to a run")
    page.open(f"/logbook/{before}")
    page.press("Repeat with a new test item")
    page.see("when settled for 5 s (Loop flow)")
    page.type_into("Test item", "P7-0413")
    page.press("Begin logging")
    page.see("Logging since")
    page.press("points")
    page.press("Take a point")
    page.press("add a set value")
    page.type_into("Set value", "Valve")
    page.type_into("Unit", "%")
    page.press("Averages")
    page.type_into("Band, L/min", "1000")
    page.type_into("At least, L/min", "10")
    page.press("Waits for")
    page.type_into("Steady for", "1")
    page.type_into("then averages", "1")
    page.type_into("Name", "valve 30 %")
    page.type_into("Valve is", "30")
    page.accessible()
    page.press("Take the point")
    page.see("waits for Loop flow to be steady")
    page.accessible()
    page.see("valve 30 %")
    wait_for(
        lambda: len(page.driver.find_elements(By.CSS_SELECTOR, "section svg circle")) == 1, "the first point"
    )
    for count, valve in enumerate(("40", "50", "60"), 2):
        take(page, f"valve {valve} %", valve)
        wait_for(
            lambda count=count: (
                len(page.driver.find_elements(By.CSS_SELECTOR, "section svg circle")) == count
            ),
            f"point {count}",
        )
    # One that cannot become steady.
    page.press("Take a point")
    page.press("Averages")
    page.type_into("Band, L/min", "0.000001")
    page.press("Waits for")
    page.type_into("gives up after", "0.05")  # minutes
    page.type_into("Name", "valve 70 %")
    page.type_into("Valve is", "70")
    page.press("Take the point")
    page.see("given up: not steady for 1 s: Loop flow")
    page.find("[aria-label='correct point 2']").click()
    page.type_into("Valve is", "41")
    page.press("Correct")
    wait_for(lambda: not page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"), "the correction")
    wait_for(
        lambda: "41" in [one.text for one in page.driver.find_elements(By.CSS_SELECTOR, "section td")],
        "the table",
    )
    page.accessible()
    # Its readout says what the run waits for; within that band it never settles, within this one it has.
    page.see("settled (not yet Loop flow)")
    page.find("[data-testid=ends]").click()
    page.type_into("Loop flow within", "1000")
    page.press("Apply")
    page.see("“Acceptance by points” has ended")
    page.see("ended by its plan: settled for 5 s: Loop flow")
    page.press("Look at the run")
    page.see("1 corrected; what stood there before is in points.jsonl")
    page.see("given up: not steady for 1 s: Loop flow")
    page.accessible()

    all_runs = server.get("/api/runs").json()["runs"]
    [run] = [one for one in all_runs if one["name"] == "Acceptance by points" and one["id"] != before]
    assert run["item"] == "P7-0413"
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
    page.press("check the seal")
    page.see("nothing has changed since")
    path = folder / read_state(folder).csv
    data = bytearray(path.read_bytes())
    data[-5] ^= 1
    path.write_bytes(data)
    page.press("check the seal")
    page.see(f"{path.name} has changed. What differs was written")
    table = list(
        csv.DictReader(io.StringIO(server.get(f"/api/runs/{run['id']}/points.csv").text, newline=""))
    )
    assert [row["set: Valve [%]"] for row in table] == ["30", "41", "50", "60", "70"]
    assert [row["verdict"] for row in table] == ["within"] * 4 + [""]
    records = unpack((folder / "samples.bin").read_bytes())
    flow = channels_of(records) == read_state(folder).numbers["loop-flow"]
    points = [one for one in read_points(folder) if one.version == 1]
    for row, point in zip(table[:4], points, strict=False):
        inside = flow & (records["time"] > point.since) & (records["time"] <= point.until)
        good = records["value"][inside & (qualities_of(records) <= 1)]
        assert float(row["Loop flow [L/min]"]) == pytest.approx(np.mean(good), rel=1e-9)
        assert int(row["Loop flow samples"]) == len(good)
    page.no_complaints()
