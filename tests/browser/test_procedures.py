"""A procedure in a real browser: written, checked, begun, answered, stopped in the middle, and once the recorder is killed in it."""

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, setup_text, wait_for
from tests.recorder.test_acts import HeardPositioner

pytestmark = pytest.mark.browser

TEXT = """procedure Wear test
  ask "Guard closed?"
  for opening = 20, 30 [%]
    set valve-positioner.opening to opening
    wait until "valve-opening" > opening - 1 [%], at most 20 s
  wait 1 h
always
  set valve-positioner.opening to 50 [%]
"""


def write(page: Page, text: str) -> None:
    """Put a text into the editor as if it was typed."""
    area = page.find("textarea[aria-label='Text of the procedure']")
    page.driver.execute_script(
        "Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(arguments[0], arguments[1]);"
        "arguments[0].dispatchEvent(new Event('input', {bubbles: true}))",
        area,
        text,
    )


def test_a_procedure_is_written_stopped_and_outlives_its_recorder(page: Page, server: Server) -> None:
    valve = server.shop.plug_in(HeardPositioner)
    assert server.post("/api/setups", {"text": setup_text("valve-positioner")}).status_code < 300
    wait_for(lambda: server.recorder.all_passing(), "the instruments")
    page.open("/procedures")
    write(page, TEXT.replace("30 [%]", "130 [%]"))
    page.see("Line 4, column 37: Opening is 130 %: the highest it can be is 100 %.")
    begin = page.driver.find_element(By.XPATH, "//button[normalize-space(.)='Begin']")
    assert not begin.is_enabled()
    write(page, TEXT)
    page.see("VP 030.0")
    page.accessible()
    page.press("Keep")
    page.see("export")  # it is kept
    page.press("cards")
    page.see("whatever happens")
    page.press("Begin")
    page.see("Guard closed?")
    assert valve.heard == []
    page.open("/")
    page.see("asks: Guard closed?")
    page.press("Answer")
    page.press("Yes")
    page.see("1 h to pass")
    page.accessible()
    assert valve.heard == [b"VP 020.0", b"VP 030.0"]
    page.press("Stop, then do")
    page.see("It was stopped")
    wait_for(lambda: valve.heard[-1] == b"VP 050.0", "its end")
    assert len(valve.heard) == 3
    page.press("All procedures")
    page.press("Begin")
    page.press("Yes")
    page.see("1 h to pass")
    server.recorder.kill()
    server.recorder.start(carry_on=True)
    page.see("the recorder was restarted", 60)
    assert valve.heard[3:] == [b"VP 020.0", b"VP 030.0", b"VP 050.0"]
    page.open("/procedures")
    page.press("All procedures")
    page.see("Wear test")
