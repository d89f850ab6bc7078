"""Channels and the Bench as a technician uses them: calculated ones, zero, limits, the cursor, layouts."""

import csv
import io
from datetime import datetime

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.page import Page
from tests.conftest import Server, setup_text, wait_for
from tidybench.standins.instruments import PressurePair

pytestmark = pytest.mark.browser

CALCULATED = {
    "head": ("Head", "m", "(discharge - suction) / (998 [kg/m3] * 9.80665 [m/s2])"),
    "hydraulic-power": ("Hydraulic power", "kW", '(discharge - suction) * "loop-flow"'),
    "efficiency": ("Efficiency", "%", '"hydraulic-power" / "motor-input"'),
}


@pytest.fixture
def pressures(server: Server) -> Server:
    """The pressure pair on the bench beside flow meter and power analyser."""
    if "pressure-pair" not in [device.name for device in server.shop.devices]:
        server.shop.plug_in(PressurePair)
        for name in ("pressure-pair-suction", "pressure-pair-discharge"):
            assert server.post("/api/setups", {"text": setup_text(name)}).status_code == 201
    wait_for(server.recorder.all_passing, "the instruments", 30)
    return server


def number(page: Page, channel: str) -> float:
    """A readout's digits."""
    text = page.digits(channel).replace("−", "-")
    return float(text) if text not in ("", "–") else float("nan")


def channel(server: Server, key: str) -> dict[str, object]:
    channels = server.get("/api/bench").json()["status"]["channels"]
    return next(c for c in channels if c["id"] == key)


def lane_menu(page: Page, lane: str, what: str) -> None:
    page.find(f"[aria-label*='{lane}'][aria-label$='what can be done']").click()
    xpath = f"//*[@role='menuitem'][normalize-space(.)='{what}']"
    wait_for(lambda: page.driver.find_elements(By.XPATH, xpath), what)
    page.driver.find_element(By.XPATH, xpath).click()


def replace(box: WebElement, text: str) -> None:
    """Type over what stands in a field."""
    box.send_keys(Keys.CONTROL + "a")  # a key held stays held for a whole call
    box.send_keys(text)


def drag(page: Page, handle: WebElement, by: int) -> None:
    ActionChains(page.driver).move_to_element(handle).click_and_hold().move_by_offset(
        0, by // 2
    ).move_by_offset(0, by - by // 2).release().perform()


def test_head_power_and_efficiency_from_the_stand_ins(page: Page, pressures: Server) -> None:
    page.open("/instruments/calculated")
    page.see("None yet.")
    for key, (name, unit, expression) in CALCULATED.items():
        page.press("Add a channel")
        page.find("[data-testid^='calculated-']")
        card = page.driver.find_elements(By.CSS_SELECTOR, "[data-testid^='calculated-']")[-1]
        for label, text in (("Name", name), ("Unit", unit)):
            box = card.find_element(By.XPATH, f".//label[.='{label}']/following::input[1]")
            replace(box, text)
        if key == "head":
            # A slip is said with its column, while it is typed.
            card.find_element(By.TAG_NAME, "textarea").send_keys("discharge - sucction")
            page.see("Column 13: there is no channel “sucction”; perhaps “suction” is meant")
        area = card.find_element(By.TAG_NAME, "textarea")
        replace(area, expression)
        box = card.find_element(By.XPATH, ".//label[.='Id, in files']/following::input[1]")
        assert box.get_attribute("value") == key  # made from its name
    wait_for(lambda: page.gone("[role=alert]"), "nothing wrong any more")
    page.press("Save")
    page.see("Version 1 is in force.")
    wait_for(lambda: not page.gone("[data-testid='now-efficiency']"), "a live value")
    page.accessible()

    page.open("/")
    wait_for(lambda: number(page, "Efficiency") > 5, "the efficiency")
    flow, power = number(page, "Loop flow"), number(page, "Motor input")
    rise = number(page, "Discharge") - number(page, "Suction")
    assert number(page, "Head") == pytest.approx(rise * 1e5 / (998 * 9.80665), rel=0.1)
    assert number(page, "Hydraulic power") == pytest.approx(rise * 1e5 * flow / 60_000 / 1000, rel=0.1)
    assert number(page, "Efficiency") == pytest.approx(rise * flow / 600 / power * 100, rel=0.15)
    page.accessible()

    # Zero a pressure, and take it back.
    before = number(page, "Suction")
    assert before > 0.05
    page.find("[data-testid='readout-Suction'] button").click()
    page.press("Zero now")
    page.see("is taken off, since")
    page.press("Close")
    wait_for(lambda: abs(number(page, "Suction")) < 0.05, "a zeroed pressure")
    assert float(str(channel(pressures, "suction")["zero"])) == pytest.approx(before, abs=0.05)
    page.find("[data-testid='readout-Suction'] button").click()
    page.press("Undo")
    page.see("No zero is set.")
    page.press("Close")
    wait_for(lambda: number(page, "Suction") > 0.05, "the pressure as it comes")
    page.no_complaints()


def test_a_limit_is_dragged_and_crossed_and_the_cursor_agrees_with_the_csv(
    page: Page, pressures: Server
) -> None:
    server = pressures
    page.open("/")
    page.see("Not logging")
    lane_menu(page, "L/min", "Bring forward")
    # A fixed scale, typed at its end, so that the upper limit can be seen.
    page.find("button[aria-label^='upper end of the scale of L/min']").click()
    replace(page.find("input[aria-label^='upper end of the scale of L/min']"), "220" + Keys.ENTER)
    page.find("button[aria-label^='lower end of the scale of L/min']").click()
    replace(page.find("input[aria-label^='lower end of the scale of L/min']"), "0" + Keys.ENTER)
    wait_for(lambda: not page.gone("button[aria-label*='220, fixed']"), "the fixed scale")
    run = server.post("/api/run", {"name": "Dragged", "row_rule": "each reading"}).json()
    page.see("all within limits")

    # Locked against slips: there is nothing to drag yet.
    assert page.gone("[data-testid='limit-high-Loop flow']")
    page.press("limits locked")
    handle = page.find("[data-testid='limit-high-Loop flow']")
    lane = page.find("[data-testid=lane]")
    height = lane.size["height"]
    now = number(page, "Loop flow")
    drag(page, handle, round(height * (200 - now * 0.7) / 220))
    page.see("Loop flow is above the limit of")
    wait_for(lambda: "outside limits: Loop flow" in page.text(), "the strip to say so")
    limits = channel(server, "loop-flow")["limits"]
    assert isinstance(limits, dict)
    assert 0 < float(limits["high"]) < now
    # By keyboard too, and back.
    page.find("[data-testid='limit-high-Loop flow']").send_keys(Keys.ARROW_DOWN)
    wait_for(lambda: float(channel(server, "loop-flow")["limits"]["high"]) < float(limits["high"]), "a nudge")  # type: ignore[call-overload, index]
    page.find("[data-testid='readout-Loop flow'] button").click()
    page.type_into("High limit", "200")
    page.press("Set limits")
    page.see("is in force")
    page.press("Close")
    page.see("over at")
    page.press("Seen")
    wait_for(lambda: page.gone("[data-testid=crossings]"), "the crossing to be acknowledged")

    # The cursor reads what the CSV has.
    wait_for(lambda: len(server.shop.flow.sent) > 30, "some readings")
    layer = page.find("[data-testid=cursor]")
    page.key_until("f", lambda: "frozen" in page.text())
    width = layer.size["width"]
    ActionChains(page.driver).move_to_element_with_offset(
        layer, width // 2 - 8, -layer.size["height"] // 2 + 40
    ).click().perform()
    spoken = layer.get_attribute("aria-valuetext") or ""
    assert ":" in spoken, spoken
    shown = number(page, "Loop flow")
    assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    table = server.get(f"/api/runs/{run['id']}/csv").text
    rows = [r for r in csv.DictReader(io.StringIO(table)) if r["Loop flow [L/min]"]]
    earlier = [r for r in rows if datetime.fromisoformat(r["time"]).strftime("%H:%M:%S.%f")[:12] <= spoken]
    # A sample that came after the row before the cursor stands in the row after it.
    around = [float(row["Loop flow [L/min]"]) for row in rows[len(earlier) - 1 : len(earlier) + 1]]
    assert any(shown == pytest.approx(value, abs=0.051) for value in around)
    crossings = server.places.runs.glob("*/*dragged*/crossings.csv")
    assert "Loop flow,high," in next(iter(crossings)).read_text("utf-8")
    page.key(Keys.ESCAPE)
    wait_for(lambda: "back to now" not in page.text(), "live again")
    page.no_complaints()


def test_lanes_are_arranged_and_the_layout_is_saved_and_shared(page: Page, pressures: Server) -> None:
    page.open("/")
    page.see("Not logging")

    def lanes() -> list[str]:
        found = page.driver.execute_script(
            "return [...document.querySelectorAll(\"[aria-label$='what can be done']\")].map(e => e.textContent)"
        )
        return [str(one) for one in found]

    wait_for(lambda: "bar" in lanes(), "lanes")
    first = lanes()
    lane_menu(page, "bar", "Split into lanes")
    wait_for(lambda: lanes().count("bar") == 2, "two lanes")
    page.press("layout")
    page.type_into("Save this one as", "pressures apart")
    page.press("Save")
    page.see("Everyone at this bench can use it.")
    page.press("Close")
    lane_menu(page, "L/min", "Hide this lane")
    wait_for(lambda: "L/min" not in lanes(), "a hidden lane")
    page.see("layout, 1 hidden")
    page.driver.refresh()
    wait_for(lambda: lanes().count("bar") == 2, "the layout after reloading")
    assert "L/min" not in lanes()
    page.press("layout")
    page.press("Reset layout")
    page.press("Close")
    wait_for(lambda: lanes() == first, "everything as it was")
    page.open("/?layout=pressures apart")
    wait_for(lambda: lanes().count("bar") == 2, "the shared layout")
    page.press("statistics")
    page.see("Slope per hour")
    page.accessible()
    page.press("readouts")
    page.find("[data-testid='big-Loop flow']")
    page.accessible()
    page.key_until("r", lambda: "back to the trends" not in page.text())
    page.no_complaints()


def test_the_window_and_zoom_and_back(page: Page, pressures: Server) -> None:
    page.open("/")
    page.see("Not logging")
    wait_for(lambda: number(page, "Loop flow") > 0, "digits")
    layer = page.find("[data-testid=cursor]")
    width = layer.size["width"]
    chain = ActionChains(page.driver).move_to_element_with_offset(layer, width // 4, 0)
    chain.click_and_hold().move_by_offset(width // 16, 0).move_by_offset(width // 16, 0).release().perform()
    page.see("back to now")
    page.press("earlier")
    page.press("back to now")
    wait_for(lambda: "back to now" not in page.text(), "the live view")
    page.choose("Time shown", "7 days")
    page.choose("Time shown", "5 min")
    page.key_until(
        "]", lambda: page.driver.execute_script("return localStorage.getItem('tidybench-window')") == "15 min"
    )
    page.no_complaints()
