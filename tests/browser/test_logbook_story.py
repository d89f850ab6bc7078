"""The Logbook as a technician uses it when the tests are over: found, compared, judged, asked, and printed; each figure got a second way."""

import base64
import re
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy import integrate, stats

from tests.browser.page import Page
from tests.browser.test_questions import column, figure, logged
from tests.conftest import DEMO, Server, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.demo_runs.logbook import RUNS
from tidybench.runs.run_state import read_state

pytestmark = pytest.mark.browser

WANTED = ("acceptance", "repeat", "night")
LEAK_PER_H = 0.004
"""What the seal rig's leak grows by in an hour, mL/min: `tidybench.standins`."""


@pytest.fixture(scope="module")
def runs(server: Server) -> dict[str, Path]:
    """Some of the demo's runs, in the bench's folder; by name."""
    found = {}
    for make in RUNS:
        if make.__name__ in WANTED:
            folder = make(server.places.runs, DEMO, time.time_ns() // 1000, "bench")
            found[read_state(folder).name] = folder

    def complete() -> bool:
        listed = server.get("/api/runs?limit=200").json()["runs"]
        return {one["name"] for one in listed if one["complete"]} >= set(found)

    wait_for(complete, "the records", 60)
    return found


def samples(folder: Path, name: str) -> tuple[Any, Any]:
    """Seconds after the run's beginning, and values, of the measured samples of a channel, from the file."""
    state = read_state(folder)
    number = next(one.number for one in state.channels if one.name == name)
    records = unpack((folder / "samples.bin").read_bytes())
    own = records[(channels_of(records) == number) & (qualities_of(records) <= 1)]
    return (own["time"] - state.begun_at) / 1e6, own["value"]


def test_the_repeat_is_found_and_judged_by_the_first(
    page: Page, server: Server, runs: dict[str, Path]
) -> None:
    page.open("/logbook")
    page.type_into("Find in all that is said of a run", "re-shimmed")
    page.see("Pump 7 acceptance, repeated")
    wait_for(lambda: "1 run" in page.text() and "Seal endurance" not in page.text(), "the one run")
    assert "find=re-shimmed" in page.driver.current_url  # a link shows the same
    page.type_into("Find in all that is said of a run", "P7-0413")
    page.see("Pump 7 acceptance, repeated")
    for name in ("Pump 7 acceptance", "Pump 7 acceptance, repeated"):
        page.find(f"input[aria-label='Choose {name}']").click()
    page.press("Compare 2 runs")
    page.see("B: Pump 7 acceptance")
    page.see("Difference and band")
    page.choose("Align at", "a mark")
    page.type_into("A mark with the text", "valve to 60 %")
    page.press("Align")
    wait_for(lambda: "at=" in page.driver.current_url, "both to be aligned")
    page.choose("Each less A", "Motor input")
    page.choose("Band", "about A")
    page.type_into("May lie off by ±, kW", "0.15")
    page.press("Difference and verdict")
    page.see("Inside the band")
    article = page.find("article").text
    first, repeated = (
        read_state(runs[name]) for name in ("Pump 7 acceptance", "Pump 7 acceptance, repeated")
    )
    marks = []
    for state in (first, repeated):
        told = server.get(f"/api/runs/{state.id}").json()["marks"]
        marks.append(
            (next(one["at"] for one in told if one["text"] == "valve to 60 %") - state.begun_at) / 1e6
        )
    x, y = samples(runs[first.name], "Motor input")
    times, values = samples(runs[repeated.name], "Motor input")
    moved = times - marks[1] + marks[0]
    known = (moved >= x[0]) & (moved <= x[-1])
    apart = values[known] - np.interp(moved[known], x, y)
    assert figure(article, "Mean difference") == pytest.approx(apart.mean(), rel=1e-3)
    assert figure(article, "Inside the band") == pytest.approx(100 * np.mean(np.abs(apart) <= 0.15), abs=0.02)
    page.press("Keep with A")
    page.see("Kept with A.")
    page.accessible()
    address = page.driver.find_element("link text", "Report").get_attribute("href")
    assert address is not None
    page.driver.get(address)
    page.see("Comparison of 2 runs")
    printed = base64.b64decode(
        page.driver.execute_cdp_cmd("Page.printToPDF", {"printBackground": True})["data"]
    )
    assert 1 <= len(re.findall(rb"/Type /Page\b", printed)) < 10


def test_where_the_leak_began_with_its_uncertainty(page: Page, server: Server, runs: dict[str, Path]) -> None:
    folder = runs["Seal endurance, night"]
    page.open(f"/logbook/{read_state(folder).id}")
    page.see("Numbers of the whole run")
    page.choose("Channel", "Leak")
    page.press("slope")
    page.see("How it was found")
    told = re.search(r"Slope\s+(\S+) ± (\S+) mL/min/h", page.find("article").text)
    assert told, page.find("article").text
    slope, uncertainty = float(told[1]), float(told[2])
    x, y = samples(folder, "Leak")
    assert slope == pytest.approx(stats.linregress(x / 3600, y).slope, rel=0.01)
    assert abs(slope - LEAK_PER_H) <= 3 * uncertainty
    page.press("when steady")
    page.see("Spells")


def test_five_answers_are_those_of_scipy_on_the_csv(page: Page, server: Server) -> None:
    where, path, name = logged(server, "Asked five times")
    x, y = column(path, name)
    page.open(where)
    page.see("Numbers of the whole run")
    page.choose("Channel", "Loop flow")

    def ask(question: str, until: str) -> str:
        page.press(question)
        wait_for(lambda: until in page.find("article").text, f"the answer to {question}")
        return page.find("article").text

    article = ask("slope", "Slope")
    direct = stats.linregress(x, y)
    rate = re.search(r"Slope\s+\S+ ± \S+ L/min/(s|min|h)", article)
    assert rate, article
    per = {"s": 1.0, "min": 60.0, "h": 3600.0}[rate[1]]
    assert figure(article, "Slope") == pytest.approx(direct.slope * per, rel=0.05, abs=0.02 * per)
    article = ask("extremes", "Lowest")
    assert (figure(article, "Lowest"), figure(article, "Highest")) == pytest.approx(
        (y.min(), y.max()), abs=0.051
    )
    article = ask("histogram", "Median")
    assert figure(article, "Mean") == pytest.approx(y.mean(), rel=1e-4)
    assert figure(article, "Median") == pytest.approx(np.median(y), rel=1e-4)
    assert figure(article, "Standard deviation") == pytest.approx(stats.tstd(y), rel=1e-3)
    article = ask("total", "Total")
    litres = integrate.trapezoid(y, x) / 60
    found = re.search(r"Total\s+(\S+) (L|m³)\b", article)
    assert found, article
    assert float(found[1]) * {"L": 1.0, "m³": 1000.0}[found[2]] == pytest.approx(litres, rel=2e-3)
    article = ask("outliers", "Outliers")
    assert figure(article, "Outliers") <= 0.02 * len(y)


def test_what_is_said_is_corrected_and_a_run_goes_to_the_bin_and_back(
    page: Page, server: Server, runs: dict[str, Path]
) -> None:
    folder = runs["Pump 7 acceptance"]
    key = read_state(folder).id
    page.open(f"/logbook/{key}")
    page.press("Correct what is said of it")
    page.type_into("Test item", "P7-0413, rotor 3")
    page.type_into("Why", "label misread")
    page.press("Correct")
    page.see("P7-0413, rotor 3")
    page.press("corrections")
    page.see("label misread")
    page.see("P7-0413, rotor 2")
    page.accessible()
    page.open("/logbook")
    page.see("P7-0413, rotor 3")
    page.find("input[aria-label='Choose Pump 7 acceptance']").click()
    page.press("Move this run to the bin")
    wait_for(lambda: "P7-0413, rotor 3" not in page.text(), "it to be gone from the list")
    page.press("Bin")
    page.see("in the bin since")
    page.find("input[aria-label='Choose Pump 7 acceptance']").click()
    page.press("Restore this run")
    page.see("The bin is empty.")
    page.accessible()
    assert server.get(f"/api/runs/{key}").json()["removed_at"] is None
    page.open("/logbook/disk")
    page.see("By age")
    page.type_into("Tapes after, days", "3000")
    page.press("Save the rule")
    page.see("No tape is that old.")
    page.accessible()
