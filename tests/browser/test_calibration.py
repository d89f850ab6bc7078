"""A transmitter is calibrated by points in a real browser, and its correction is in force; the report says what was found and left."""

import os
import tomllib

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tests.transmitter import Transmitter, setup_of

pytestmark = pytest.mark.browser


def look(page: Page, name: str) -> None:
    folder = os.environ.get("LOOK")
    if folder:
        page.driver.save_screenshot(f"{folder}/{name}.png")


def rows(page: Page) -> list[str]:
    return [
        one.text
        for one in page.driver.find_elements(By.CSS_SELECTOR, "[aria-label='Calibration points'] tbody tr")
    ]


def take(page: Page, truth: float, count: int) -> None:
    Transmitter.truth = truth
    page.type_into("Reference, kPa", f"{truth:g}")
    wait_for(
        lambda: abs(shown(page) - (1.02 * truth + 1.5)) < 0.1 or abs(shown(page) - truth) < 0.1,
        "the new pressure",
    )
    page.press("Take the point")
    wait_for(lambda: len([row for row in rows(page) if row[0].isdigit()]) == count, f"point {count}")


def shown(page: Page) -> float:
    """The value that is shown; far off where there is none, as while a set-up that was changed comes into force."""
    text = page.find("[aria-label='Take a point'] .value").text
    try:
        return float(text.replace("−", "-"))
    except ValueError:
        return 1e9


def test_a_transmitter_is_calibrated_by_points(page: Page, server: Server) -> None:
    transmitter = server.shop.plug_in(Transmitter)
    Transmitter.truth = 0.0
    assert server.post("/api/setups", {"text": setup_of(transmitter, "kPa", 0.1)}).status_code == 201
    wait_for(server.recorder.all_passing, "passing")
    page.open("/instruments/transmitter-bench?stage=Channels")
    page.press("more")
    page.press("Calibrate by points")
    page.see("A calibration is a run")
    look(page, "begin")
    page.type_into("Name, serial number, certificate", "dead-weight tester 4, C-118")
    page.type_into("Its uncertainty (k = 2), kPa", "0.05")
    page.type_into("Allowed ±, kPa", "0.5")
    page.type_into("Steady within, kPa", "0.5")
    page.type_into("for", "1")
    page.type_into("then averages", "1")
    page.accessible()
    page.press("Begin the calibration")
    page.see("No point yet")
    look(page, "first")
    for count, truth in enumerate((0.0, 100.0, 200.0), 1):
        take(page, truth, count)
    page.see("out of tolerance, largest deviation")
    page.accessible()
    look(page, "as-found")
    page.press("into the certificate")
    page.press("Certificate")
    page.type_into("Certificate", "C-2026-17")
    look(page, "certificate")
    page.press("Take the correction in")
    page.see("Now take the points as left")
    for count, truth in enumerate((50.0, 200.0), 4):
        take(page, truth, count)
    page.see("As left: within")
    look(page, "as-left")
    page.press("Night")
    page.driver.execute_script("scrollTo(0, 0)")
    look(page, "night")
    page.press("Day")
    page.driver.set_window_size(420, 900)
    look(page, "phone")
    page.driver.set_window_size(1280, 900)
    page.press("End the calibration")
    page.press("End the run")
    page.press("Its report")
    page.see("Taken in: 3 points, a straight line")
    page.see("C-2026-17")
    page.accessible()
    look(page, "report")
    assert [row.split()[0] for row in rows(page)] == ["As", "1", "2", "3", "As", "4", "5"]
    text = next(str(s["text"]) for s in server.get("/api/setups").json() if s["key"] == "transmitter-bench")
    assert tomllib.loads(text)["channel"][0]["scaling"][0]["fit"] == "straight line"
    Transmitter.truth = 120.0
    page.open("/")
    wait_for(
        lambda: page.digits("Transmitter pressure").startswith("120.0"), "the true pressure on the Bench"
    )
    page.no_complaints()
