"""A run that ends by its plan, is sealed, and repeated, in a real browser."""

from pathlib import Path

import pytest

from tests.browser.page import Page
from tests.conftest import Server, wait_for

pytestmark = pytest.mark.browser


def test_a_planned_run_ends_is_sealed_and_repeated(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open()
    page.press("Begin a run")
    page.type_into("Name", "Pump 7 acceptance")
    page.type_into("Test item", "P7-0413")
    page.press("Rows of the CSV")
    page.type_into("Every", "1")
    page.tick("mean")
    page.press("Ends")
    page.tick("After rows")
    page.type_into("Rows", "300")
    page.tick("When settled")
    page.press("More")
    page.type_into("Order number", "A-17")
    page.accessible()
    page.press("Begin logging")
    page.see("or settled (not yet Loop flow)")
    page.accessible()
    # Otherwise, and sooner.
    page.find("[data-testid=ends]").click()
    page.type_into("All stay within their band for", "1")
    page.type_into("Loop flow within", "1000")
    page.press("Apply")
    page.see("“Pump 7 acceptance” has ended")
    page.see("ended by its plan: settled for 1 s: Loop flow")
    page.press("Look at the run")
    page.see("Sealed")
    page.press("check the seal")
    page.see("nothing has changed since")
    page.accessible()
    [run] = server.get("/api/runs").json()["runs"]
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
    [csv] = [one for one in folder.glob("*.csv") if one.name.startswith("pump")]
    lines = csv.read_text("utf-8").splitlines()
    assert len(lines) > 1
    assert "Loop flow mean [L/min]" in lines[0]
    # The next one begins with the same plan.
    page.press("Repeat with a new test item")
    page.see("every 1 s: latest, mean")
    page.see("after 300 rows, or when settled for 1 s (Loop flow)")
    assert page.field("Test item").get_attribute("value") == ""
    page.no_complaints()


def test_a_run_waits_and_begins_by_itself_with_what_was_measured_before(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open()
    page.press("Begin a run")
    page.type_into("Name", "Overnight")
    page.see("Readings come from 2 instruments.")
    page.press("Begins")
    page.choose("The run begins", "at a clock time")
    page.accessible()
    page.press("Arm the run")
    page.see("Armed, not logging yet")
    page.accessible()
    page.press("Call off")
    page.see("Nothing was written yet.")
    page.press("Call off")
    page.see("Values are shown and kept for an hour")
    page.press("Begin a run")
    page.see("when you press")  # not at that time again
    page.press("Begins")
    page.choose("The run begins", "on a level or limit")
    page.choose("Channel", "Loop flow")
    page.type_into("Level, L/min", "10")
    page.type_into("With what was measured before, up to 1 h", "2")
    page.press("Arm the run")
    page.see("Logging since")
    page.see("begun here")
    page.press("End run")
    page.press("End the run")
    page.press("Look at the run")
    page.see("Loop flow above 10 L/min")
    page.see("the first 2 s: measured before it was begun")
    [run] = [one for one in server.get("/api/runs").json()["runs"] if one["name"] == "Overnight"]
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
    rows = (folder / next(folder.glob("overnight*.csv")).name).read_text("utf-8").splitlines()[1:]
    elapsed = [float(row.split(",")[1]) for row in rows]
    assert 0 <= elapsed[0] < 0.5
    assert elapsed[-1] > 2
    page.no_complaints()
