"""No alarm is missed: on every page, with the verdict of the recorder, and when the line itself is silent."""

import os
import signal

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, wait_for

pytestmark = pytest.mark.browser


def begin(server: Server, name: str) -> str:
    body = {"name": name, "item": "", "operator": "M. Okafor", "row_rule": "steady rows"}
    made = server.post("/api/run", body)
    assert made.status_code == 201, made.text
    return str(made.json()["id"])


def test_a_meter_that_falls_silent_calls_on_every_page_and_nothing_is_called_within(
    page: Page, server: Server
) -> None:
    wait_for(lambda: server.recorder.status().verdict.state == "within", "all to be within")
    begin(server, "Silent meter")
    page.open("/")
    page.see("all within limits")
    page.open("/logbook")
    server.shop.flow.fault("silent")
    try:
        page.see("Loop flow meter has stopped at Bytes: silent. Not judged meanwhile: Loop flow", 20)
        assert page.driver.title.startswith("Alarm: Loop flow meter has stopped")
        page.driver.find_element(By.LINK_TEXT, "Bench").click()
        page.see("not all known: Loop flow")
        page.see("The run “Silent meter” is still being logged.")
    finally:
        server.shop.flow.fault("silent", on=False)
    page.see("over at")
    page.see("all within limits")
    page.press("Seen")
    wait_for(lambda: page.gone("[data-testid=crossings]"), "the alarm to be seen")
    assert page.driver.title == "Logging: Silent meter – Tidy Bench"
    page.no_complaints()


def test_a_web_server_that_hangs_is_an_alarm_and_the_strip_stands_still(page: Page, server: Server) -> None:
    begin(server, "Hung")
    page.open("/")
    page.see("Logging since")
    assert server.web is not None
    os.kill(server.web.pid, signal.SIGSTOP)
    try:
        page.see("Nothing has been heard from the bench since")
        page.see("not known: not heard since")
        page.see("“Hung” was being logged; whether it still is cannot be seen here", 20)
        stood = page.find("[data-testid=elapsed]").text
        assert page.find("[data-testid=elapsed]").text == stood
    finally:
        os.kill(server.web.pid, signal.SIGCONT)
    wait_for(lambda: "not heard since" not in page.text(), "the bench to be heard again")
    assert page.find("[data-testid=verdict]").text.startswith("all ")
