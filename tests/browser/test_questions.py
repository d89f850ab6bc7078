"""A run is asked: a stretch chosen by hand, answers beside SciPy of the CSV, a value followed to its bytes and back."""

import base64
import csv
import re
import time
from pathlib import Path

import numpy as np
import pytest
from scipy import stats
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.page import Page
from tests.conftest import Server, wait_for

pytestmark = pytest.mark.browser


def logged(server: Server, named: str = "Asked by hand", mark: str = "") -> tuple[str, Path, str]:
    """A run of some seconds; its path, its CSV, and the flow's column."""
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post("/api/run", {"name": named, "row_rule": "each reading"}).json()
    if mark:
        assert server.post("/api/run/marks", {"text": mark, "by": ""}).status_code < 300
    wait_for(lambda: server.recorder.status().run.rows > 60, "rows")  # type: ignore[union-attr]
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    found = server.get(f"/api/runs/{run['id']}").json()
    return f"/logbook/{run['id']}", Path(found["folder"]) / found["csv"], "Loop flow [L/min]"


def column(path: Path, name: str) -> tuple[np.ndarray, np.ndarray]:
    """Seconds and values of a column of the CSV, where it has a number."""
    with open(path, encoding="utf-8", newline="") as file:
        rows = [row for row in csv.DictReader(file) if row[name]]
    return np.array([float(row["elapsed_s"]) for row in rows]), np.array([float(row[name]) for row in rows])


def figure(text: str, name: str) -> float:
    found = re.search(rf"{re.escape(name)}\s+(−?[0-9.]+)", text)
    assert found, text
    return float(found[1].replace("−", "-"))


def test_a_run_is_asked_and_a_value_followed_to_its_bytes(page: Page, server: Server) -> None:
    where, path, name = logged(server)
    x, y = column(path, name)
    page.open(where)
    page.see("Numbers of the whole run")
    page.choose("Channel", "Loop flow")

    page.press("slope")
    page.see("How it was found")
    article = page.find("article").text
    direct = stats.linregress(x, y)
    unit = re.search(r"Slope\s+\S+ ± \S+ L/min/(s|min|h)", article)
    assert unit, article
    per = {"s": 1.0, "min": 60.0, "h": 3600.0}[unit[1]]
    assert figure(article, "Slope") == pytest.approx(direct.slope * per, rel=0.05, abs=0.02 * per)
    assert f"{len(x)} samples" in article

    page.press("extremes")
    page.see("From lowest to highest")
    article = page.find("article").text
    assert figure(article, "Lowest") == pytest.approx(y.min(), abs=0.051)
    assert figure(article, "Highest") == pytest.approx(y.max(), abs=0.051)
    page.press("Keep")
    page.see("Kept with the run, number 1")
    page.accessible()

    # A stretch by hand: the numbers are those of its samples.
    layer = page.find("[data-testid=cursor]")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", layer)
    wide = layer.size["width"]
    for share in (-0.3, 0.2):
        ActionChains(page.driver).move_to_element_with_offset(layer, int(share * wide), 0).click().perform()
        time.sleep(0.3)
    page.see("Numbers between the cursors")
    page.see("why this value")
    page.press("why this value")
    page.see("its place on the tape")
    why = page.find("section[aria-label='Why this value']").text
    message = re.search(r"FL=\+?(-?[0-9.]+)", why)
    assert message, why
    shown = re.search(r"why this value is: (−?[0-9.]+) L/min", why)
    assert shown, why
    assert float(shown[1]) == pytest.approx(float(message[1]), abs=0.051)
    assert "FL?" in why
    page.press("its place on the tape")
    lines = page.driver.find_elements("css selector", "section[aria-label='Why this value'] .line button")
    assert lines
    before = page.find("section[aria-label='Why this value'] h3").text
    lines[0].click()
    wait_for(
        lambda: page.find("section[aria-label='Why this value'] h3").text not in ("", before),
        "another sample",
    )
    page.accessible()

    page.open(where)
    page.see("Kept with the run, number 1")
    page.press("Take out")
    wait_for(lambda: "Kept with the run" not in page.text(), "it to be gone")

    # Its report prints, with what was kept, on either paper.
    page.press("extremes")
    page.press("Keep")
    page.see("Kept with the run, number 2")
    page.open(where.replace("/logbook/", "/api/runs/") + "/report")
    page.see("Asked by hand")
    assert "Loop flow: " in page.text()
    page.accessible()
    for wide, high in ((8.27, 11.69), (8.5, 11.0)):
        paper = {"paperWidth": wide, "paperHeight": high, "printBackground": True}
        printed = base64.b64decode(page.driver.execute_cdp_cmd("Page.printToPDF", paper)["data"])
        assert printed.startswith(b"%PDF")
        assert 1 <= len(re.findall(rb"/Type /Page\b", printed)) < 12


def test_two_runs_are_laid_over_each_other_and_one_gets_its_verdict(page: Page, server: Server) -> None:
    logged(server, "First of two", "valve to 60 %")
    logged(server, "Second of two", "valve to 60 %")
    page.open("/logbook")
    page.see("Second of two")
    for name in ("First of two", "Second of two"):
        page.find(f"input[aria-label='Choose {name}']").click()
    page.press("Compare 2 runs")
    page.see("Aligned at")
    page.see("A: First of two")
    page.see("B: Second of two")
    page.choose("Align at", "a mark")
    page.type_into("A mark with the text", "no such mark")
    page.press("Align")
    page.see("First of two: It has no mark with “no such mark” in it. It stays at its beginning.")
    page.type_into("A mark with the text", "VALVE to 60")
    page.press("Align")
    wait_for(lambda: "It stays at its beginning" not in page.text(), "both to be aligned")
    page.choose("Each less A", "Loop flow")
    page.press("Difference")
    page.see("Deviation of the difference")
    page.choose("Band", "about A")
    page.type_into("May lie off by ±, L/min", "1000")
    page.press("Difference and verdict")
    page.see("B, Loop flow: within ± 1000 L/min of the reference")
    page.type_into("May lie off by ±, L/min", "0")
    page.press("Difference and verdict")
    page.see("B, Loop flow: outside ± 0 L/min of the reference")
    page.see("First outside")
    page.accessible()
