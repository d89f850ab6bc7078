"""Reactions in a real browser: written from nothing for instruments nobody wrote it for, tried out, and left to act."""

import time

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tests.recorder.reacting import BOX, GAUGE, LAMPS, SumpGauge, SwitchBox

pytestmark = pytest.mark.browser


def test_a_low_sump_and_three_outputs(page: Page, server: Server) -> None:
    gauge, box = server.shop.plug_in(SumpGauge), server.shop.plug_in(SwitchBox)
    for text in (GAUGE, BOX):
        assert server.post("/api/setups", {"text": text}).status_code < 300
    wait_for(lambda: "pump-on" in [one.id for one in server.recorder.status().channels], "both")
    page.open("/procedures")
    page.see("What it would send")
    page.press("Reactions")
    page.see("None yet.")
    page.accessible()
    page.press("Add a reaction")
    page.choose("Channel", "Sump level")
    page.see("Sump level above")
    page.type_into("Name", "Sump low")
    page.type_into("Below, %", "15")
    page.type_into("Above, %", Keys.DELETE)
    page.type_into("Hysteresis, %", "5")
    page.choose("do", "send a command")
    page.choose("Instrument", "Switch box")
    page.choose("Command", "Pump")
    page.type_into("on", "2")
    page.see("Give a number from 0 to 1.")
    page.type_into("on", "0")
    page.press("Add a thing to do")
    page.choose("do", "say on every page", which=-1)
    page.type_into("What is said", "The sump is low: the pump was switched off")
    page.type_into("Were it, %", "12,5")
    page.see("switch-box.pump (on 0), say “The sump is low: the pump was switched off” with a sound")
    page.see("It can be done when it is kept.")
    page.accessible()
    page.press("Keep")
    page.see("Version 1 is in force.")
    assert box.heard == []
    page.driver.refresh()
    page.see("40.00 %: good")

    gauge.level = 14.0
    wait_for(lambda: box.pump == 0, "the pump to be off", 10)
    assert sum(at < box.heard_at[0] for at in gauge.low_at) == 1, "within one sample"
    page.open("/")
    page.see("The sump is low: the pump was switched off")
    page.press("Seen")
    wait_for(lambda: "the pump was switched off" not in page.text(), "it to be seen")

    kept = server.get("/api/reactions").json()["text"]
    assert 'name = "Sump low"' in kept
    assert server.put("/api/reactions", {"text": kept + LAMPS, "was": kept}).status_code == 200
    assert server.put("/api/reactions", {"text": kept, "was": kept}).status_code == 409
    page.open("/procedures/reactions")
    page.see("2 of 2 armed")
    for level, lamp in ((40.0, 1), (90.0, 2), (5.0, 0)):
        gauge.level = level
        wait_for(lambda lamp=lamp: box.lamp == lamp, f"lamp {lamp}", 10)
    page.find("[data-testid='reaction-lamps'] label").click()
    page.see("1 of 2 armed")
    page.see("disarmed by")
    before = len(box.heard)
    gauge.level = 50.0
    time.sleep(1)
    assert [one for one in box.heard[before:] if one.startswith(b"L")] == []
    page.no_complaints()
