"""A browser for each test; no run is on when it begins."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.page import Page
from tests.conftest import Server


@pytest.fixture
def page(tmp_path: Path, server: Server) -> Iterator[Page]:
    server.end_any_run()
    made = Page(tmp_path, server)
    yield made
    made.driver.quit()
