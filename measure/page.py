"""Rows `web-32`, `render`, `first-load` and `bundle`: what the whole page costs, server and browser together."""

import os
import shutil
import tempfile
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

from selenium import webdriver
from websockets.sync.client import connect

from measure.bench import setup
from measure.browser import PAGES, browser
from measure.peers import STATIONS, peer
from measure.result import Result, median
from measure.stack import TOKEN, Stack, stack

MANY = 32
MEASURED_S = 20.0
FURTHER = 10
ROUNDS = 9
PATTERN = "T=<t> RH=<rh> P=<p> U=<u>"
UNITS = {"t": "°C", "rh": "%", "p": "hPa", "u": "V"}


def cpu_seconds(pid: int) -> float:
    """Seconds of a processor that a process has taken with all its threads (proc_pid_stat(5), fields 14 and 15)."""
    after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(after_name[11]) + int(after_name[12])) / os.sysconf("SC_CLK_TCK")


def _taken(bench: Stack) -> tuple[float, float]:
    """What recorder and web server take meanwhile, as shares of a core."""
    pids = (bench.recorder.pid, bench.web.pid)
    before, begun = [cpu_seconds(pid) for pid in pids], time.monotonic()
    time.sleep(MEASURED_S)
    span = time.monotonic() - begun
    recorder, web = ((cpu_seconds(pid) - old) / span for pid, old in zip(pids, before, strict=True))
    return recorder, web


class Heard:
    """What a listener was sent."""

    def __init__(self) -> None:
        self.count = 0

    def take(self, line: Iterable[bytes | str]) -> None:
        for message in line:
            self.count += len(message)


@contextmanager
def listener(bench: Stack) -> Iterator[Heard]:
    """One more browser, as the server sees it: it takes whatever it is sent and draws nothing."""
    heard = Heard()
    address = f"ws://127.0.0.1:{bench.port}/api/live"
    with connect(address, additional_headers={"Authorization": f"Bearer {TOKEN}"}, max_size=None) as line:
        # What is not read fills the line, and the server then sends less.
        threading.Thread(target=heard.take, args=(line,), daemon=True).start()
        yield heard


FRAMES = """
const done = arguments[0];
let count = 0;
const begun = performance.now();
const beat = () => {
  count++;
  if (performance.now() - begun > 10000) done(count / 10);
  else requestAnimationFrame(beat);
};
requestAnimationFrame(beat);
"""


def web_32() -> Result:
    """The web server with one browser on the Bench of 32 stations at 10 Hz, beside the recorder; and each one more."""
    with (
        peer(STATIONS, count=MANY) as (paths, _),
        stack(
            [setup(f"s{n}", path, PATTERN, baud=115200, units=UNITS) for n, path in enumerate(paths)]
        ) as bench,
    ):
        with browser(bench.page) as driver:
            time.sleep(8)
            recorder, web = _taken(bench)
            frames = driver.execute_async_script(FRAMES)
        with ExitStack() as listeners:
            # One and eleven of the same kind: a browser also asks for pages and statistics.
            heard = [listeners.enter_context(listener(bench))]
            time.sleep(2)
            before = heard[0].count
            _, alone = _taken(bench)
            one = heard[0].count - before
            heard += [listeners.enter_context(listener(bench)) for _ in range(FURTHER)]
            time.sleep(2)
            before_each = [each.count for each in heard]
            _, crowded = _taken(bench)
            each = [now.count - then for now, then in zip(heard, before_each, strict=True)]
    further = max(0.0, crowded - alone) / FURTHER
    return Result(
        "web-32",
        web * 100,
        "% of a core",
        "no more than the recorder; each further browser a tenth of that",
        web <= recorder and further <= recorder / 10,
        {"recorder": recorder * 100, "each further browser": further * 100},
        {"recorder": web / recorder, "each further browser": web / max(further, 1e-6)},
        f"{frames:.1f} frames a second of the page; a listener alone was sent {one / MEASURED_S / 1000:.0f} kB/s, the least of"
        f" {len(each)} of them {min(each) / one:.2f} of that",
    )


COMMITS = """
window.commits = 0;
window.__REACT_DEVTOOLS_GLOBAL_HOOK__ = {
  isDisabled: false, supportsFiber: true, renderers: new Map(),
  inject() { return 1; }, onCommitFiberRoot() { window.commits++; }, onCommitFiberUnmount() {}, checkDCE() {},
};
"""
"""React tells a hook of this name what it has put on the page, in a production build too."""


def render() -> Result:
    """How often React puts something on the page while four stations are listened to and nothing is done."""
    with (
        peer(STATIONS, count=4) as (paths, _),
        stack(
            [setup(f"s{n}", path, PATTERN, baud=115200, units=UNITS) for n, path in enumerate(paths)]
        ) as bench,
        browser("about:blank") as driver,
    ):
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": COMMITS})
        driver.get(bench.page)
        time.sleep(8)
        before, begun = driver.execute_script("return window.commits"), time.monotonic()
        time.sleep(MEASURED_S)
        after, span = driver.execute_script("return window.commits"), time.monotonic() - begun
    rate = (after - before) / span
    return Result("render", rate, "commits a second", "under 5", before > 0 and rate < 5)


BARE = "<!doctype html><html lang='en'><title>bare</title><p id='bare'>A bare page.</p></html>"

SHOWN = """
const [wanted, done] = arguments;
const look = () => {
  if (document.querySelector(wanted)) requestAnimationFrame(() => requestAnimationFrame((at) => done(at)));
  else setTimeout(look, 2);
};
look();
"""


def first_load() -> Result:
    """From asking for the page, with nothing in the cache, until its readouts are painted; a bare page beside it."""
    with tempfile.TemporaryDirectory() as folder:
        pages = Path(folder) / "pages"
        shutil.copytree(PAGES, pages)
        (pages / "bare.html").write_text(BARE)
        with stack([setup("m", "nowhere", PATTERN)], pages) as bench, browser(bench.page) as driver:
            driver.execute_cdp_cmd("Network.enable", {})
            ours, bare = [], []
            for _ in range(ROUNDS):
                ours.append(_shown(driver, f"http://127.0.0.1:{bench.port}/", "[data-testid^='readout-']"))
                bare.append(_shown(driver, f"http://127.0.0.1:{bench.port}/bare.html", "#bare"))
    ratio = median(ours) / median(bare)
    return Result(
        "first-load",
        median(ours),
        "ms",
        "at most 3 x a bare page",
        ratio <= 3,
        {"bare page": median(bare)},
        {"bare page": ratio},
        f"worst {max(ours):.0f} ms",
    )


def _shown(driver: webdriver.Chrome, address: str, wanted: str) -> float:
    """Milliseconds from the beginning of the navigation until what is wanted has been painted."""
    driver.execute_cdp_cmd("Network.clearBrowserCache", {})
    driver.get(address)
    found: float = driver.execute_async_script(SHOWN, wanted)
    return found


SCRIPTS = """
return performance.getEntriesByType("resource").filter((one) => one.name.endsWith(".js"))
  .map((one) => [one.encodedBodySize, one.decodedBodySize]);
"""


def bundle() -> Result:
    """All the script that a browser fetches to show the Bench, as it comes over the line."""
    with stack([setup("m", "nowhere", PATTERN)]) as bench, browser(bench.page) as driver:
        time.sleep(5)
        sizes = driver.execute_script(SCRIPTS)
    sent, plain = (sum(one[place] for one in sizes) / 1000 for place in (0, 1))
    whole = sum(file.stat().st_size for file in (PAGES / "assets").glob("*.js")) / 1000
    return Result(
        "bundle",
        sent,
        "kB gzipped",
        "first page under 220 kB",
        0 < sent < 220,
        {"its script unpacked": plain},
        {"its script unpacked": sent / plain},
        f"script of all pages, unpacked: {whole:.0f} kB",
    )
