"""Instruments connected, looked into and spoken to, in a real browser."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tidybench.standins.instruments import SealRig

pytestmark = pytest.mark.browser


def test_a_newcomer_connects_an_instrument_nobody_knows(page: Page, server: Server) -> None:
    """Port, settings, first bytes: without a guide."""
    rig = server.shop.plug_in(SealRig)
    page.open("/instruments")
    wait_for(lambda: "simulated/seal-rig" in page.text(), "its port, by itself")
    page.find("[aria-label='add here, on simulated/seal-rig']").click()
    page.press("Connect")
    page.see("Bytes come, but they are not text")  # it talks at 2400 7-E-1, the port is at 9600
    page.accessible()
    page.press("Work out the settings")
    page.press("Listen only")
    page.see("2400 7-E-1 fits", 60)
    page.press("Use 2400 7-E-1")
    page.see("Version 2 is in force")
    wait_for(lambda: "T=" in page.find("[data-testid=tape]").text, "text on the tape")
    page.press("Readings")
    page.see("No message pattern yet")
    box = page.find("[data-testid='stage-Readings'] textarea")
    box.send_keys("<*>T=<running:int><*>")
    wait_for(lambda: "understood)" in page.text() and "(0 of" not in page.text(), "the preview")
    page.press("Save")
    page.see("Version 3 is in force")
    rig.fault("unplugged")
    page.see("There is no port simulated/seal-rig")
    page.press("remove")
    page.see("was taken off the bench")
    page.no_complaints()


def test_the_tape_is_read_held_searched_and_spoken_to(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open("/instruments/loop-flow-meter")
    page.see("FL=+0")
    page.type_into("Command", "ID?" + Keys.ENTER)
    wait_for(lambda: "SERIAL 20417" in page.find("[data-testid=answer]").text, "the answer")
    assert page.find("[data-testid=answer]").text.split("\n") == [
        "LOOP FLOW METER",
        "SERIAL 20417",
        "VERSION 3.2",
    ]
    page.type_into("Command", Keys.ARROW_UP)
    assert page.find("[aria-label=Command]").get_attribute("value") == "ID?"
    page.type_into("Find on the tape", "serial")
    wait_for(lambda: "FL=" not in page.find("[data-testid=tape]").text, "the others to go")
    assert "SERIAL 20417" in page.find("[data-testid=tape]").text
    queries = server.shop.flow.queries
    wait_for(lambda: server.shop.flow.queries > queries + 5, "polls to go on while the tape is held")
    page.press("held: go on")
    wait_for(lambda: "FL=+0" in page.find("[data-testid=tape]").text, "live lines again")
    page.find("[aria-label='Shown as'] button:last-child").click()
    wait_for(lambda: "46 4C 3D" in page.find("[data-testid=tape]").text, "hexadecimal")
    page.accessible()
    page.no_complaints()


def test_a_port_is_released_and_taken_back(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open("/instruments/power-analyser?stage=Port")
    page.press("Release the port")
    page.see("released for another program")
    wait_for(lambda: not server.shop.power._remote, "local: the release command was sent")
    page.press("Take the port back")
    wait_for(server.recorder.all_passing, "the instrument again")
    page.open("/instruments")
    page.find("[aria-label='label simulated/power-analyser']").click()
    page.type_into("A label of your own for simulated/power-analyser", "power, rack 2" + Keys.ENTER)
    page.see("“power, rack 2”")
    page.accessible()
    page.open("/instruments/new")
    page.see("Add an instrument")
    page.accessible()
    page.press("Connect")
    page.see("Choose a port first.")
    page.open("/instruments/nobody")
    page.see("There is no instrument “nobody” in use.")
    complaints = [e for e in page.driver.get_log("browser") if "404" not in e["message"]]
    assert complaints == []


def test_nonsense_in_a_field_is_said_before_it_is_kept(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open("/instruments/loop-flow-meter?stage=Port")
    page.type_into("Baud rate", "fast")
    page.see("Baud rate: “fast” is no number.")
    assert not page.driver.find_element(By.XPATH, "//button[normalize-space(.)='Save']").is_enabled()
    page.press("Discard")
    wait_for(lambda: page.field("Baud rate").get_attribute("value") == "9600", "the kept value")
    page.press("Readings")
    box = page.find("[data-testid='stage-Readings'] textarea")
    box.send_keys(" <more")
    page.see("never closed")
    page.driver.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    page.press("Discard")
