"""A technician's whole first run, in a real browser, against stand-ins on real pseudo-terminals."""

import csv

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.page import Page
from tests.conftest import Server, flows, wait_for

pytestmark = pytest.mark.browser


def test_a_technician_s_first_run(page: Page, server: Server) -> None:
    shop = server.shop
    page.open()
    page.see("Loop flow meter")
    page.see("Not logging")
    assert "token" not in page.driver.current_url
    wait_for(lambda: page.digits("Loop flow") not in ("", "–"), "digits")
    assert 20 < float(page.digits("Loop flow")) < 300
    page.see("FL=+0")  # the raw text is there too
    page.accessible()

    # Begin: a run without a name is refused in words, at the field.
    page.press("Begin a run")
    page.field("Name").clear()
    page.press("Begin logging")
    page.find("[role=dialog] .react-aria-FieldError")
    page.field("Name").send_keys('=Pump 7 / "first" é')
    page.field("Test item").send_keys("P7-0413")
    page.field("Operator").send_keys("M. Okafor")
    page.press("Begin logging")
    page.see("Logging since")
    first = len(shop.flow.sent)
    page.see("all within limits")

    # A mark, by its key; a scanner's burst of keys does nothing.
    page.key_until("m", lambda: bool(page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog] input")))
    page.find("[role=dialog] input").send_keys("valve to 60 %" + Keys.ENTER)
    wait_for(lambda: not page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"), "the mark to be kept")
    page.driver.execute_script(
        "for (const key of 'ebm') document.body.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true}))"
    )
    page.see("mark: valve to 60 %")
    assert not page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog], [role=alertdialog]")

    # Freezing stops the view, never the capture.
    page.key_until("f", lambda: "frozen" in page.text())
    # What was measured when it was frozen is fetched.
    wait_for(lambda: page.digits("Loop flow") != "–", "the digits of that moment")
    shown = page.digits("Loop flow")
    received = len(shop.flow.sent)
    wait_for(lambda: len(shop.flow.sent) > received + 5, "more readings")
    assert page.digits("Loop flow") == shown
    page.key_until("f", lambda: "frozen" not in page.text())
    wait_for(lambda: page.digits("Loop flow") != shown, "live digits again")

    # Something goes wrong, and the page says what.
    shop.power.fault("unplugged")
    page.see("1 of 2 instruments stopped")
    page.see("link lost")
    page.find("[data-testid='instrument-power-analyser'] [aria-label^='Port']").click()
    page.see("Tidy Bench reconnects automatically")
    page.press("1 of 2 instruments stopped")
    page.see("stopped: Power analyser")
    page.see("running, process")
    page.accessible()
    page.press("Bench")
    shop.power.fault("unplugged", False)
    wait_for(lambda: "instruments stopped" not in page.text(), "the device to be taken back")
    wait_for(lambda: len(shop.flow.sent) > first + 20, "twenty readings")

    # Reloading disturbs nothing: what was measured before is there at once.
    page.driver.refresh()
    page.see("Logging since")
    wait_for(lambda: page.digits("Loop flow") not in ("", "–"), "digits after reloading")
    marks = server.get("/api/bench").json()["status"]["run"]["marks"]
    assert [mark["text"] for mark in marks] == ["valve to 60 %"]

    # End: it asks first.
    page.press("End run")
    page.see("Go on logging")
    page.press("End the run")
    page.see("Not logging")
    page.press("Look at the run")
    page.see("ended by a person")
    page.see("valve to 60 %")
    wait_for(
        lambda: page.driver.find_elements(By.CSS_SELECTOR, "[data-testid=lane] canvas"), "the run's lanes"
    )
    page.accessible()

    # The CSV, against what the stand-ins sent.
    page.press("Download the CSV")
    wait_for(lambda: list(page.downloads.glob("*.csv")), "the download")
    [file] = page.downloads.glob("*.csv")
    assert file.name.startswith("pump-7-first")
    with open(file, newline="", encoding="utf-8") as text:
        rows = list(csv.DictReader(text))
    assert len(rows) > 20
    sent = flows(shop.flow)
    logged = [float(row["Loop flow [L/min]"]) for row in rows if row["Loop flow [L/min]"]]
    assert len(logged) > 20
    # Every cell is a reply that was sent, and they stand in the order they were sent in.
    position = 0
    for value in logged:
        position = sent.index(value, max(0, position - 1))
    gaps = [row for row in rows if "Motor input=link-lost" in row["flags"]]
    assert gaps
    assert all(row["Motor input [kW]"] == "" for row in gaps)
    page.no_complaints()


def test_nothing_connected_and_an_instrument_added(page: Page, server: Server) -> None:
    page.open("/logbook")
    page.see("Logbook")
    page.field("Find in all").send_keys("no such run at all")
    page.see("No run is like that.")
    page.open("/logbook/00000000-0000-0000-0000-000000000000")
    page.see("The logbook has no such run.")
    page.open("/")
    page.open("/instruments")
    page.press("From a file")
    box = page.find("[role=dialog] textarea")
    box.send_keys(Keys.CONTROL + "a")
    box.send_keys("[instrument]\nname = 5\nbawd = 3\n")
    page.press("Keep and connect")
    page.see("there is no such key")
    page.see("link: this key is missing.")


def test_two_windows_and_a_second_one_ends_the_run(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open("/")
    page.see("Not logging")
    run = server.post("/api/run", {"name": "From elsewhere"}).json()
    page.see("From elsewhere")
    page.press("End run")
    page.see("Go on logging")
    assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204
    page.see("“From elsewhere” has ended")
    page.see("ended by a person")
    page.see("Repeat with a new test item")


def test_a_phone_walks_past(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    metrics = {"width": 390, "height": 844, "deviceScaleFactor": 2, "mobile": True}
    page.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    page.open("/")
    wait_for(lambda: page.digits("Loop flow") not in ("", "–"), "digits")
    server.shop.power.fault("unplugged")
    page.see("1 stopped")  # the words that need the most room
    for path in ("/", "/instruments", "/instruments/loop-flow-meter?stage=Messages", "/instruments/new"):
        page.open(path)
        page.see("Instruments")
        wait_for(lambda: "Joining" not in page.text() and "Fetching" not in page.text(), "the page")
        assert page.driver.execute_script("return document.documentElement.scrollWidth") <= 390, path
    server.shop.power.fault("unplugged", False)


def test_an_instrument_changed_removed_and_brought_back(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open("/")
    page.find("[data-testid='instrument-power-analyser'] [aria-label^='Messages']").click()
    page.press("as text")
    box = page.find("[role=dialog] textarea")
    assert 'id = "power-analyser"' in (box.get_attribute("value") or "")
    page.press("Cancel")
    page.press("remove")
    page.see("Power analyser was taken off the bench")
    wait_for(lambda: page.gone("[data-testid='instrument-power-analyser']"), "it to go")
    page.press("Undo")
    page.find("[data-testid='instrument-power-analyser']")
    page.press("Bench")
    wait_for(lambda: page.digits("Motor input") not in ("", "–"), "its digits")
