"""Every page by day and by night: no fault that axe finds, and nothing wider than a phone."""

import pytest

from tests.browser.page import Page
from tests.conftest import Server, wait_for

pytestmark = pytest.mark.browser

PAGES = {
    "/": "Not logging",
    "/?view=readouts": "Loop flow",
    "/instruments": "Loop flow meter",
    "/instruments/new": "instrument",
    "/instruments/calculated": "alculated",
    "/instruments/handed-on": "Add a destination",
    "/instruments/loop-flow-meter": "Loop flow meter",
    "/instruments/loop-flow-meter?stage=Messages": "Reply timeout",
    "/instruments/loop-flow-meter?stage=Readings": "FL=",
    "/instruments/loop-flow-meter?stage=Channels": "Loop flow",
    "/instruments/loop-flow-meter?stage=Commands": "Paste a command table",
    "/simulated": "imulated",
    "/procedures": "What it would send",
    "/procedures/reactions": "no protective system",
    "/curves": "In the Logbook",
    "/health": "Health",
    "/nowhere": "No such page",
    "/logbook": "Seen by all",
    "/logbook/{run}": "Seen by all",
}


def _one_run(server: Server) -> str:
    run: str = server.post("/api/run", {"name": "Seen by all", "row_rule": "steady rows"}).json()["id"]
    wait_for(lambda: server.recorder.status().run.rows > 5, "some rows")  # type: ignore[union-attr]
    assert server.post("/api/run/marks", {"text": "a mark"}).status_code < 300
    assert server.post("/api/run/end", {"run": run}).status_code == 204
    wait_for(lambda: server.get(f"/api/runs/{run}").json().get("complete"), "the records")
    return run


def test_every_page_by_day_and_by_night_and_on_a_phone(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments", 30)
    run = _one_run(server)
    found = []
    page.open("/")
    for theme in ("day", "night"):
        page.driver.execute_script("localStorage.setItem('tidybench-theme', arguments[0])", theme)
        for path, words in PAGES.items():
            page.driver.get(page.server.base + path.format(run=run))
            page.see(words)
            try:
                page.accessible()
            except AssertionError as error:
                found.append(f"{theme} {path}: {error}")
    page.driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": True},
    )
    for path, words in PAGES.items():
        page.driver.get(page.server.base + path.format(run=run))
        page.see(words)
        wide = page.driver.execute_script("return document.documentElement.scrollWidth")
        if wide > 391:
            found.append(f"phone {path}: {wide} px wide")
        if path == "/instruments":
            names = page.driver.find_elements("css selector", "[role=rowheader] a, td a")
            tall = [name.text for name in names if name.size["height"] > 60]
            if tall or not names:
                found.append(f"phone {path}: no room for {tall}")
    assert not found, "\n".join(found)
