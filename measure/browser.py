"""A headless browser for rows that end on the screen."""

import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

FRONT_END = Path(__file__).resolve().parents[1] / "frontend"
PAGES = Path(__file__).resolve().parents[1] / "src" / "tidybench" / "front_end"


@contextmanager
def browser(page: str) -> Iterator[webdriver.Chrome]:
    """A browser at a page."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        options = webdriver.ChromeOptions()
        for argument in (
            "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
            "--disable-background-networking", "--disable-component-update", "--disable-sync",
            "--disable-dev-shm-usage", "--window-size=1280,900", "--js-flags=--expose-gc",
            f"--user-data-dir={profile}",
        ):  # fmt: skip
            options.add_argument(argument)
        driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
        driver.set_script_timeout(600)
        try:
            driver.get(page)
            yield driver
        finally:
            driver.quit()


def build_page(folder: Path) -> None:
    """The page that draws the Bench's lanes without a bench (frontend/measure)."""
    node = FRONT_END / "node_modules" / ".bin" / "vite"
    command = [str(node), "build", "--config", "vite.measure.config.ts", "--outDir", str(folder)]
    subprocess.run(command, cwd=FRONT_END, check=True, capture_output=True)
