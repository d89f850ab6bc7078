"""A run that ends by its plan, is sealed, and repeated, in a real browser."""

from pathlib import Path

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, wait_for

pytestmark = pytest.mark.browser


def tick(page: Page, words: str) -> None:
    xpath = f"//label[.//input[@type='checkbox']][contains(., '{words}')]"
    wait_for(lambda: page.driver.find_elements(By.XPATH, xpath), words)
    page.driver.find_element(By.XPATH, xpath).click()


def test_a_planned_run_ends_is_sealed_and_repeated(page: Page, server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    page.open()
    page.press("Begin a run")
    page.type_into("Name", "Pump 7 acceptance")
    page.type_into("Test item", "P7-0413")
    page.press("Rows of the CSV")
    page.type_into("Every", "1")
    tick(page, "mean")
    page.press("Ends")
    tick(page, "After rows")
    page.type_into("Rows", "300")
    tick(page, "When settled")
    page.press("More")
    page.type_into("Order number", "A-17")
    page.accessible()
    page.press("Begin logging")
    page.see("or settled (not yet Loop flow)")
    page.accessible()
    # Otherwise, and sooner.
    page.find("[data-testid=ends]").click()
    page.type_into("All stay within their band for", "1")
    page.type_into("Loop flow within", "1000")
    page.press("Apply")
    page.see("“Pump 7 acceptance” has ended")
    page.see("ended by its plan: settled for 1 s: Loop flow")
    page.press("Look at the run")
    page.see("Sealed")
    page.press("check the seal")
    page.see("nothing has changed since")
    page.accessible()
    [run] = server.get("/api/runs").json()["runs"]
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
    [csv] = [one for one in folder.glob("*.csv") if one.name.startswith("pump")]
    lines = csv.read_text("utf-8").splitlines()
    assert len(lines) > 1
    assert "Loop flow mean [L/min]" in lines[0]
    data = bytearray(csv.read_bytes())
    data[-5] ^= 1
    csv.write_bytes(data)
    page.press("check the seal")
    page.see(f"{csv.name} has changed. What differs was written")
    # The next one begins with the same plan.
    page.press("Repeat with a new test item")
    page.see("every 1 s: latest, mean")
    page.see("after 300 rows, or when settled for 1 s (Loop flow)")
    assert page.field("Test item").get_attribute("value") == ""
    page.no_complaints()
