"""Test points in a real browser: five of them, one that waits and gives up, a correction; their table in the Logbook."""

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


def test_an_acceptance_run_takes_five_points(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open()
    page.press("points")
    page.see("Test points belong to a run")
    page.press("Begin a run")
    page.type_into("Name", "Acceptance by points")
    page.press("Begin logging")
    page.see("Logging since")
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
    page.press("End run")
    page.press("End the run")
    page.press("Look at the run")
    page.see("1 corrected; what stood there before is in points.jsonl")
    page.see("given up: not steady for 1 s: Loop flow")
    page.accessible()

    [run] = [one for one in server.get("/api/runs").json()["runs"] if one["name"] == "Acceptance by points"]
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
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
