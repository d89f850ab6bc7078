"""Commands in a real browser: a manual's table pasted for an instrument nobody wrote it for, checked, and used by button."""

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat

pytestmark = pytest.mark.browser

TABLE = """Command\tParameter\tMeaning
TS <target>\t20 to 1250 °C, default 400\tTarget. Returns OK
T?\t\tRead temperature, returns T=<temp>
DM n\t0..9\tDamping
EE\t\tErases the programs
The kiln answers within a second.
"""

SETUP = """format = 1
[instrument]
id = "kiln"
name = "Kiln"
[link]
port = "simulated/kiln"
baud = 4800
[framing]
terminator = "\\r"
[[query]]
id = "temp"
send = "T?\\r"
every_s = 0.5
patterns = ["T=<temp>"]
errors = ["?<why:text>"]
[[channel]]
id = "kiln-temp"
name = "Kiln"
field = "temp"
unit = "°C"
"""


class Kiln(Device):
    """A kiln that is told its temperature."""

    name = "kiln"
    title = "Kiln"
    line = LineFormat(4800)

    def factory(self) -> None:
        self.target = 20.0
        self.erased = 0

    def answer(self, query: bytes) -> bytes | None:
        text = query.decode("ascii", "replace")
        if text == "T?":
            return f"T={self.target:.1f}\r".encode()
        if text.startswith("TS "):
            self.target = float(text[3:])
            return b"OK\r"
        if text == "EE":
            self.erased += 1
            return b"OK\r"
        return b"?WHAT\r"


def test_a_pasted_command_table_is_used_by_button(page: Page, server: Server) -> None:
    kiln = server.shop.plug_in(Kiln)
    assert server.post("/api/setups", {"text": SETUP}).status_code < 300
    wait_for(lambda: "kiln-temp" in [one.id for one in server.recorder.status().channels], "the kiln")
    page.open("/instruments/kiln?stage=Commands")
    page.press("Paste a command table")
    field = page.find("textarea[aria-label='Command table to paste']")
    page.driver.execute_script(
        "Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(arguments[0], arguments[1]);"
        "arguments[0].dispatchEvent(new Event('input', {bubbles: true}))",
        field,
        TABLE,
    )
    page.press("Read it")
    page.see("“20 to 1250 °C” is taken as its range: 20 to 1250 °C.")
    page.see("This reads like a sentence")
    page.accessible()
    for name in ("Target", "Damping", "Erases the programs"):
        page.driver.find_element(
            By.XPATH, f"//label[.//div[@class='box']][normalize-space(.)='{name}']"
        ).click()
    page.press("Take the 3 that are ticked")
    page.press("Target")
    page.driver.find_element(By.XPATH, "//label[contains(., 'button on the Bench')]").click()
    page.accessible()
    page.press("Save")
    page.see("is in force")
    page.open("/")
    page.type_into("Target, °C", "850.5")
    page.driver.find_element(By.XPATH, "//section[@aria-label='Commands']//button[.='Target']").click()
    page.see("answered “OK”")
    assert kiln.target == 850.5
    wait_for(lambda: page.digits("Kiln").startswith("850.5"), "the kiln's temperature")
    page.accessible()

    def chosen(command: str) -> None:
        page.driver.find_element(
            By.XPATH, "//*[@data-testid='instrument-kiln']//button[contains(., 'Kiln')]"
        ).click()
        page.see(command)
        page.driver.find_element(By.XPATH, f"//*[@role='menuitem'][contains(., '{command}')]").click()

    chosen("Erases the programs")
    page.press("Send")
    page.see("This cannot be undone.")
    assert kiln.erased == 0
    page.driver.find_element(By.XPATH, "//*[@role='alert']//button[.='Erases the programs']").click()
    wait_for(lambda: kiln.erased == 1, "the programs to be erased")
    page.see("“OK” came")
    page.press("Close")
    chosen("Damping")
    page.type_into("N" if page.driver.find_elements(By.XPATH, "//label[.='N']") else "n", "5")
    page.press("Send")
    page.see("refused with “?WHAT”")
    page.press("Close")
    kiln.fault("unplugged")
    page.see("Port: ")
    button = page.driver.find_element(By.XPATH, "//section[@aria-label='Commands']//button[.='Target']")
    assert not button.is_enabled()
    page.no_complaints()
