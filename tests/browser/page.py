"""A headless browser, used as a person uses it."""

import contextlib
import json
import shutil
import time
from collections.abc import Callable
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.conftest import ROOT, Server, wait_for


def chromium(profile: Path) -> webdriver.Chrome:
    """A browser with nothing in it."""
    options = webdriver.ChromeOptions()
    for argument in (
        "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
        "--disable-dev-shm-usage", "--window-size=1280,900", f"--user-data-dir={profile}",
    ):  # fmt: skip
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))


class Page:
    """A fresh window of the browser, used as a person uses it: it remembers nothing of the windows before."""

    def __init__(self, driver: webdriver.Chrome, downloads: Path, server: Server) -> None:
        self.driver, self.downloads, self.server = driver, downloads, server
        before = driver.current_window_handle
        driver.switch_to.new_window("window")
        fresh = driver.current_window_handle
        driver.switch_to.window(before)
        driver.close()
        driver.switch_to.window(fresh)
        driver.set_window_size(1280, 900)
        driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": server.base, "storageTypes": "all"})
        driver.execute_cdp_cmd(
            "Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(downloads)}
        )
        driver.get_log("browser")  # what the test before has left

    def open(self, path: str = "/") -> None:
        self.driver.get(f"{self.server.base}{path}{'&' if '?' in path else '?'}token={self.server.token}")

    def see(self, text: str, seconds: float = 40) -> None:
        wait_for(lambda: text in self.text(), f"“{text}” on the page", seconds)

    def text(self) -> str:
        with contextlib.suppress(Exception):
            return self.driver.find_element(By.TAG_NAME, "body").text
        return ""

    def find(self, css: str) -> WebElement:
        wait_for(lambda: self.driver.find_elements(By.CSS_SELECTOR, css), css)
        return self.driver.find_element(By.CSS_SELECTOR, css)

    def press(self, label: str) -> None:
        xpath = f"//*[self::button or self::a][contains(normalize-space(.), '{label}')]"
        wait_for(lambda: self.driver.find_elements(By.XPATH, xpath), f"the button “{label}”")
        self.driver.find_elements(By.XPATH, xpath)[-1].click()

    def tick(self, label: str) -> None:
        xpath = f"//label[.//input[@type='checkbox']][contains(., '{label}')]"
        wait_for(lambda: self.driver.find_elements(By.XPATH, xpath), f"the tick “{label}”")
        self.driver.find_element(By.XPATH, xpath).click()

    def field(self, label: str) -> WebElement:
        xpath = f"//label[contains(., '{label}')]/following::input[1]"
        wait_for(lambda: self.driver.find_elements(By.XPATH, xpath), f"the field “{label}”")
        return self.driver.find_element(By.XPATH, xpath)

    def key(self, key: str) -> None:
        self.driver.find_element(By.TAG_NAME, "body").send_keys(key)

    def key_until(self, key: str, condition: Callable[[], bool]) -> None:
        """Press a key until it acts: one that follows another too fast is taken for a barcode scanner's."""
        until = time.monotonic() + 40
        while not condition():
            assert time.monotonic() < until, f"the key {key} does nothing"
            self.key(key)
            with contextlib.suppress(AssertionError):
                wait_for(condition, key, 1.0)

    def digits(self, channel: str) -> str:
        return self.find(f"[data-testid='readout-{channel}'] .digits").text

    def no_complaints(self) -> None:
        complaints = [e["message"] for e in self.driver.get_log("browser") if "favicon" not in e["message"]]
        assert not complaints, complaints

    def accessible(self) -> None:
        self.driver.execute_script((ROOT / "frontend/node_modules/axe-core/axe.min.js").read_text("utf-8"))
        found = self.driver.execute_async_script(
            "const done = arguments[0]; axe.run().then(r => done(JSON.stringify("
            "r.violations.map(v => [v.id, v.nodes.map(n => n.html).slice(0, 3)]))))"
        )
        assert not json.loads(found), found

    def type_into(self, label: str, text: str) -> None:
        """Replace what stands in a field that is known by its label or aria-label."""
        xpath = f"//input[@aria-label='{label}'] | //label[normalize-space(.)='{label}']/following::input[1]"
        wait_for(lambda: self.driver.find_elements(By.XPATH, xpath), f"the field “{label}”")
        box = self.driver.find_element(By.XPATH, xpath)
        box.send_keys(Keys.CONTROL + "a")
        box.send_keys(text)

    def choose(self, label: str, option: str, which: int = 0) -> None:
        """Choose an option of a choice, both by their words; `which`: of several that are called the same."""

        def choices() -> list[WebElement]:
            found = self.driver.find_elements(By.CSS_SELECTOR, "button[aria-haspopup=listbox]")
            return [one for one in found if one.accessible_name.endswith(label)]

        wait_for(choices, f"the choice “{label}”")
        xpath = f"//*[@role='option'][normalize-space(.)='{option}']"

        def chosen() -> bool:
            with contextlib.suppress(StaleElementReferenceException):  # the page may move beneath a click
                found = self.driver.find_elements(By.XPATH, xpath)
                if found:
                    found[0].click()
                    return True
                if self.gone("[role=option]") and (now := choices()):
                    now[which].click()
            return False

        wait_for(chosen, f"the option “{option}”")
        wait_for(lambda: self.gone("[role=option]"), "the choice closed")

    def gone(self, css: str) -> bool:
        return not self.driver.find_elements(By.CSS_SELECTOR, css)
