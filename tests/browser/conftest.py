"""A browser for the tests of a file, a fresh window of it for each; no run is on when it begins."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium import webdriver

from tests.browser.page import Page, chromium
from tests.conftest import Server


@pytest.fixture(scope="module")
def driver(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    made = chromium(tmp_path_factory.mktemp("browser") / "profile")
    yield made
    made.quit()


@pytest.fixture
def page(driver: webdriver.Chrome, tmp_path: Path, server: Server) -> Page:
    server.end_any_run()
    return Page(driver, tmp_path / "downloads", server)
