"""A winding before and after its repair: swept by its button, drawn over each other, asked for corner, slope and fit."""

import math
import re

import numpy as np
import pytest
from scipy.optimize import brentq
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.page import Page
from tests.conftest import Server, library_text, wait_for
from tidybench.standins.instruments import WindingTester

pytestmark = pytest.mark.browser


def gain(f: float, resonance: float, quality: float) -> float:
    """The model's, in dB."""
    return -20 * math.log10(math.hypot(1 - (f / resonance) ** 2, f / resonance / quality))


def swept(page: Page, server: Server, item: str) -> None:
    """A run with one sweep in it, by the button on the Bench."""
    answered = server.post(
        "/api/run", {"name": "Winding", "item": item, "channels": ["winding-tester-state"]}
    )
    assert answered.status_code == 201, answered.text
    page.open("/")
    page.press("Sweep")
    page.see("Winding sweep: 120 rows")
    server.post("/api/run/end", {"run": answered.json()["id"]})


def figure(page: Page, name: str) -> tuple[float, float]:
    """The newest figure of that name, and its uncertainty."""
    found = re.search(rf"{re.escape(name)}\s+(−?[0-9.]+) ± ([0-9.]+)", page.text())
    assert found, page.text()
    return float(found[1].replace("−", "-")), float(found[2])


def test_a_winding_before_and_after_its_repair(page: Page, server: Server) -> None:
    tester = server.shop.plug_in(WindingTester)
    assert server.post("/api/setups", {"text": library_text("winding-tester")}).status_code < 300
    wait_for(lambda: server.recorder.all_passing(), "the instruments")
    tester.fault("shorted turns")
    swept(page, server, "MT-7 as received")
    tester.fault("shorted turns", on=False)
    swept(page, server, "MT-7 repaired")

    page.open("/curves")
    page.see("MT-7 repaired: complete: 120 rows")
    page.press("MT-7 as received")
    page.see("2 drawn over each other")
    page.accessible()
    svg = page.find("svg[role=slider]")
    ActionChains(page.driver).move_to_element(svg).click().perform()
    page.see("At the cursor, the nearest row")

    # The first that is drawn is the repaired one: 2400 Hz, quality 4.
    page.press("−3 dB corner")
    page.see("−3 dB corner\n")
    wait_for(lambda: "First crossing" in page.text() or "first crossing" in page.text(), "the corner")
    true = brentq(lambda f: gain(f, 2400, 4) + 10 * math.log10(2), 2400, 20_000)
    value, uncertainty = figure(page, "−3 dB corner")
    assert abs(value - true) < 4 * uncertainty < 0.02 * true
    page.press("Fit second order")
    page.see("Natural frequency")
    for name, model in (("Natural frequency", 2400.0), ("Quality factor", 4.0)):
        value, uncertainty = figure(page, name)
        assert abs(value - model) < 4 * uncertainty < 0.01 * model
    page.type_into("From, Hz", "10000")
    page.type_into("To, Hz", "20000")
    page.press("Slope")
    page.see("Least squares of the gain over lg frequency")
    f = 20 * 1000 ** (np.arange(120) / 119)
    f = f[f >= 10_000]
    model = np.polyfit(np.log10(f), [gain(one, 2400, 4) for one in f], 1)[0]
    value, uncertainty = figure(page, "Slope")
    assert abs(value - model) < 4 * uncertainty < 1
    page.press("Difference")
    page.see("Gain: Winding sweep, MT-7 repaired less Winding sweep, MT-7 as received, dB")
    page.press("Phase, ° logarithmic")
    page.see("MT-7 repaired, Phase: ")
    page.see("rows at or below zero cannot be drawn over a logarithmic axis")
    page.accessible()
    page.no_complaints()

    # The run's page has its curve, and its file is what was sent.
    page.open("/logbook")
    page.press("Winding")
    page.see("complete: 120 rows")
    page.accessible()


def test_a_capture_by_a_press_and_one_by_a_level_with_its_spectrum(page: Page, server: Server) -> None:
    wait_for(lambda: server.recorder.all_passing(), "the instruments")
    page.open("/curves")
    page.press("Capture …")
    page.choose("Instrument", "Loop flow meter")
    page.type_into("Samples", "8")
    page.press("Capture")
    page.see("complete: 8 rows")
    page.press("Capture …")
    page.choose("Upon", "a level")
    page.see("Hysteresis")
    page.type_into("Samples", "24")
    page.type_into("Of them before", "4")
    page.type_into("Level, L/min", "1000000")
    page.accessible()
    page.press("Wait for it")
    page.see("waits for Loop flow above 1000000 L/min since")
    page.see("4 of the 4 samples before it are there")
    page.accessible()
    page.press("Trigger now")
    page.see("complete: 24 rows")
    page.press("Spectrum")
    page.see("A sine stands with its amplitude")
    page.accessible()
    page.press("The last ones")
    page.see("2 drawn over each other")
    page.press("Capture …")
    page.press("Wait for it")
    page.see("waits for Loop flow above")
    page.press("Stop")
    wait_for(lambda: "waits for" not in page.text(), "it to be stopped")
    page.no_complaints()
