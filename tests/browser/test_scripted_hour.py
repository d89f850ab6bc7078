"""Every number on Bench and run page against the CSV, worked out again from its text: an hour with gaps, thinned, joined."""

import csv
import io
import math
import os
import random
import re
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import ClassVar
from urllib.parse import parse_qs, urlsplit

import numpy as np
import pytest
from selenium import webdriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.page import Page
from tests.conftest import Cluster, Server, fresh_database, wait_for
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.tape.events import Event, Note, Opened, Received, Start
from tidybench.core.values.row_rule import RowRule
from tidybench.recorder.state import RecorderState
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog
from tidybench.runs.run_channel import run_channel
from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat
from tidybench.wire.bench import BenchName, bench_name
from tidybench.wire.setups import SetupText

pytestmark = pytest.mark.browser

HOUR_S = 3600
NUMBERS = {"quick-a": 1, "quick-b": 2, "slow-c": 3}
GAPS = ((20 * 60, 23 * 60), (41 * 60, 41 * 60 + 9))
"""Seconds of the hour in which the quick one said nothing."""
ABROAD = range(1800, 1860)
"""Seconds of the hour in which it sent a word that is no number."""


NAMES = ("Quick a", "Quick b", "Slow c")
PATIENCE_S = {"Quick a": 1.5, "Quick b": 1.5, "Slow c": 12.0}


class Quick(Device):
    """Two numbers, five times a second; they wander, so that means, spread and slope are not alike anywhere."""

    name: ClassVar[str] = "quick"
    line: ClassVar[LineFormat] = LineFormat(115200)
    every: ClassVar[float] = 0.2

    def factory(self) -> None:
        self.values = Wander(7)

    def talk(self) -> bytes:
        return self.values.message()


class Slow(Device):
    """One number every four seconds."""

    name: ClassVar[str] = "slow"
    line: ClassVar[LineFormat] = LineFormat(115200)
    every: ClassVar[float] = 4.0

    def factory(self) -> None:
        self.values = Wander(8)

    def talk(self) -> bytes:
        return b"C=%.1f\n" % (300 + self.values.next())


class Wander:
    """Numbers of which each depends on the one before."""

    def __init__(self, seed: int) -> None:
        self.dice = random.Random(seed)
        self.at = 0.0

    def next(self) -> float:
        self.at += self.dice.gauss(0, 0.4) - self.at * 0.002
        return self.at

    def message(self) -> bytes:
        wander = self.next()
        spike = 40.0 if self.dice.random() < 0.0005 else 0.0
        return b"A=%.3f B=%.2f\n" % (50 + wander + spike, 5 - wander / 7)


def _setup(name: str, folder: Path, pattern: str, channels: dict[str, str]) -> SetupText:
    text = (
        f'[instrument]\nid = "{name}"\nname = "{name.title()}"\ntalks = "on its own"\n[link]\nport = "{folder / name}"\n'
        f'baud = 115200\n[framing]\nterminator = "\\n"\n[listen]\nevery_s = {0.2 if name == "quick" else 4.0}\n'
        f"patterns = ['{pattern}']\n"
    )
    for field, unit in channels.items():
        text += (
            f'[[channel]]\nid = "{name}-{field}"\nname = "{name.title()} {field}"\nfield = "{field}"\n'
            f'unit = "{unit}"\ndecimals = {3 if field == "a" else 2}\n'
        )
    return SetupText(id=name, text=text)


class ScriptedHour(Server):
    """A bench whose recorder was killed a moment ago, an hour into a run, and that carries on."""

    carries_on: ClassVar[bool] = True

    def prepare(self) -> None:
        setups = [
            _setup("quick", self.places.simulated, "A=<a> B=<b>", {"a": "V", "b": "bar"}),
            _setup("slow", self.places.simulated, "C=<c>", {"c": "K"}),
        ]
        now = time.time_ns() // 1000
        log = _hour(bench_name(self.places.data), self.places.runs, setups, now - HOUR_S * 1_000_000)
        state = RecorderState(setups=setups, numbers=NUMBERS, run=str(log.folder))
        self.places.recorder_state.write_text(state.model_dump_json())


def _hour(bench: BenchName, runs: Path, setups: list[SetupText], begun: int) -> RunLog:
    """An hour as a recorder that is killed leaves it."""
    parts = [load(one.text) for one in setups]
    log = RunLog.begin(
        runs, bench=bench.name, bench_key=bench.key, name="Scripted hour", item="", operator="", row_rule=RowRule(kind="each reading"), at=begun,
        channels=[run_channel(one, channel, NUMBERS) for one in parts for channel in one.channel],
        setups={one.id: one.text for one in setups},
    )  # fmt: skip
    readers = {plan.key: LinkReader(plan) for plan in plan_links(parts, NUMBERS)}
    quick, slow = readers
    sequence = log.state.counts.sequence

    def entry(link: str, event: Event, reads: bool = True) -> Entry:
        nonlocal sequence
        sequence += 1
        made = Entry(sequence, link, event, readers[link].feed(event) if reads and link else None)
        made.seal()
        return made

    opening = [entry("", Note(begun, "begin", "Scripted hour"))]
    for key, reader in readers.items():
        opening += [entry(key, Start(begun, reader.state()), reads=False), entry(key, Opened(begun, {}))]
    log.write(opening, begun)
    dice, values, calm = random.Random(3), Wander(1), Wander(2)
    for second in range(HOUR_S):
        entries = []
        for fifth in range(5):
            if any(first <= second < last for first, last in GAPS):
                continue
            at = begun + second * 1_000_000 + fifth * 200_000 + dice.randint(0, 9000)
            message = values.message()
            entries.append(entry(quick, Received(at, b"A=OVER B=OVER\n" if second in ABROAD else message)))
        if second % 4 == 0:
            at = begun + second * 1_000_000 + 990_000
            entries.append(entry(slow, Received(at, b"C=%.1f\n" % (300 + calm.next()))))
        log.write(entries, begun + (second + 1) * 1_000_000)
        if second % 20 == 19:
            log.sync(begun + (second + 1) * 1_000_000)
    log.sync(begun + HOUR_S * 1_000_000)
    log.abandon()
    return log


@pytest.fixture
def bench(cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    monkeypatch.setenv("TIDY_DATA", os.environ.get("TIDY_DATA", ""))  # it is put back afterwards
    with fresh_database(cluster) as url:
        made = ScriptedHour(tmp_path / "bench" / "data", url)
        try:
            for device in (Quick, Slow):
                made.shop.plug_in(device)
            yield made
        finally:
            made.close()


class Csv:
    """The CSV as text: each channel's cells with their times in microseconds. Nothing of Tidy Bench reads it here."""

    def __init__(self, text: str) -> None:
        table = list(csv.reader(io.StringIO(text)))
        heads = table[0]
        at = heads.index("time")
        times = [round(datetime.fromisoformat(row[at]).timestamp() * 1e6) for row in table[1:]]
        flags = [row[heads.index("flags")] for row in table[1:]]
        self.cells: dict[str, list[tuple[int, float]]] = {}
        self.lost = {
            name: [t for t, words in zip(times, flags, strict=True) if f"{name}=" in words] for name in NAMES
        }
        for place, head in enumerate(heads):
            name = re.sub(r" \[.*\]$", "", head)
            cells = [(t, row[place]) for t, row in zip(times, table[1:], strict=True) if row[place]]
            if place > at and all(re.fullmatch(r"[-+.\deE]+", cell) for _, cell in cells):
                self.cells[name] = [(t, float(cell)) for t, cell in cells]

    def figures(self, name: str, start: int, end: int) -> dict[str, float]:
        found = [(t, value) for t, value in self.cells[name] if start <= t <= end]
        times, values = np.array([t for t, _ in found], float), np.array([value for _, value in found])
        hours = (times - times[0]) / 3.6e9
        return {
            "Mean": math.fsum(values) / len(values),
            "Lowest": min(values),
            "Highest": max(values),
            "Std deviation": float(np.std(values, ddof=1)),
            "Slope per hour": float(np.polyfit(hours, values, 1)[0]),
            "measured": len(values),
        }

    def at(self, name: str, moment: int) -> float | None:
        """What was measured last up to a time; None where it is too old, or where a reason for having none came since."""
        before = [cell for cell in self.cells[name] if cell[0] <= moment]
        if not before or moment - before[-1][0] > PATIENCE_S[name] * 1e6:
            return None
        lost = any(before[-1][0] < t <= moment for t in self.lost[name])
        return None if lost else before[-1][1]


def _number(text: str) -> float:
    return float(text.replace("−", "-").replace("\u2009", "").replace("\u202f", "").replace(" ", ""))


def _half(text: str) -> float:
    """Half of the last digit of a figure."""
    return 0.5 * 10.0 ** -len(text.partition(".")[2]) * 1.0001


def _asked(page: Page, path: str) -> dict[str, int]:
    """What the page asked the server for last, from the browser's own list."""
    addresses = page.driver.execute_script(
        "return performance.getEntriesByType('resource').map((one) => one.name)"
    )
    query = parse_qs(urlsplit([one for one in addresses if urlsplit(one).path.endswith(path)][-1]).query)
    return {name: int(values[0]) for name, values in query.items() if values[0].isdigit()}


def _rows(page: Page, table: str) -> dict[str, list[str]]:
    script = """
    return [...document.querySelectorAll(arguments[0] + " tbody tr")]
      .map((row) => [...row.children].map((cell) => cell.textContent));
    """
    return {
        re.sub(r"( \[.*\]|, .*)$", "", row[0]): row[1:] for row in page.driver.execute_script(script, table)
    }


def _statistics(page: Page, table: Csv) -> int:
    """Compare the whole panel of the Bench with the CSV; gives how many numbers that were."""
    wait_for(lambda: "being worked out" not in page.text(), "the statistics")
    time.sleep(4)  # it is asked for once more, when all samples of its end are here
    asked = _asked(page, "/api/statistics")
    compared = 0
    for name, cells in _rows(page, "[aria-label=Statistics] table").items():
        if name not in NAMES:
            continue
        mean, lowest, highest, deviation, slope, samples, measured, _ = cells
        expected = table.figures(name, asked["start"], asked["end"])
        shown = {
            "Mean": mean,
            "Lowest": lowest,
            "Highest": highest,
            "Std deviation": deviation,
            "Slope per hour": slope,
        }
        for head, text in shown.items():
            assert abs(_number(text) - expected[head]) <= _half(text), (name, head, text, expected)
            compared += 1
        assert measured.endswith("%")
        share = expected["measured"] / _number(samples.replace(",", ""))
        assert abs(_number(measured[:-1]) / 100 - share) < 0.001, (name, samples, measured, expected)
        compared += 2
    return compared


def _cursor(page: Page, table: Csv, share: float) -> list[str]:
    """Press at a place of the curves, compare each readout with the CSV, and take the cursor away; gives what was shown."""
    layer = page.find("[data-testid=cursor]")
    width = layer.size["width"]
    height = layer.size["height"]
    ActionChains(page.driver).move_to_element_with_offset(
        layer, round(width * (share - 0.5)), -height // 2 + 50
    ).click().perform()
    time.sleep(0.7)
    at = _asked(page, "/samples/at")["moment"]
    shown = []
    for name in NAMES:
        text = page.digits(name)
        shown.append(text)
        value = table.at(name, at)
        if value is None:
            assert text == "–", (name, share, text, at)
        else:
            assert text != "–", (name, share, value, at)
            assert abs(_number(text) - value) <= _half(text), (name, share, text, value)
    layer.send_keys(Keys.ESCAPE)
    return shown


def test_every_number_of_an_hour_is_that_of_the_csv(
    driver: webdriver.Chrome, tmp_path: Path, bench: Server
) -> None:
    wait_for(bench.recorder.all_passing, "the instruments", 40)
    run = bench.recorder.status().run
    assert run is not None
    assert run.name == "Scripted hour"
    _compare(Page(driver, tmp_path / "downloads", bench), bench, run.id)


def _frozen(page: Page, server: Server, run: str) -> Csv:
    """Freeze the view; gives the CSV, which has all that is shown then."""
    page.key_until("f", lambda: "frozen" in page.text())
    begun = time.time_ns() // 1000

    def table() -> Csv:
        return Csv(server.get(f"/api/runs/{run}/csv").text)

    wait_for(lambda: table().cells["Quick a"][-1][0] > begun, "rows of after that")
    return table()


def _compare(page: Page, bench: Server, run: str) -> None:
    wait_for(lambda: len(bench.shop.devices[-2].sent) > 60, "some readings after the interruption", 40)
    page.open("/")
    page.see("Scripted hour")
    page.choose("Time shown", "1 h")
    page.press("statistics")
    # The records take in a run that was carried on piece by piece.
    wait_for(lambda: (bench.get(f"/api/runs/{run}").json()["samples"] or 0) > 30_000, "the records", 60)
    table = _frozen(page, bench, run)
    assert _statistics(page, table) >= 21
    shown = [_cursor(page, table, share) for share in (0.02, 0.2, 0.36, 0.45, 0.51, 0.68, 0.8, 0.995)]
    assert any(text == "–" for row in shown for text in row)  # a gap was met
    page.key_until("]", lambda: "frozen" not in page.text())
    page.choose("Time shown", "5 min")
    table = _frozen(page, bench, run)
    assert _statistics(page, table) >= 21
    for share in (0.1, 0.5, 0.9, 0.97):
        _cursor(page, table, share)

    assert bench.post("/api/run/end", {"run": run}).status_code == 204
    wait_for(lambda: bench.get(f"/api/runs/{run}").json().get("complete"), "the records", 40)
    page.open(f"/logbook/{run}")
    page.see("mean of the run")
    table = Csv(bench.get(f"/api/runs/{run}/csv").text)
    for name, cells in _rows(page, "[aria-label=Numbers]").items():
        if name not in NAMES:
            continue
        expected = table.figures(name, 0, 2**62)
        for head, text in zip(
            ("Mean", "Lowest", "Highest", "Std deviation", "Slope per hour"), cells, strict=False
        ):
            assert abs(_number(text) - expected[head]) <= _half(text), (name, head, text, expected)
        assert _number(page.digits(name)) == pytest.approx(expected["Mean"], abs=_half(page.digits(name)))
        assert _number(cells[5].partition(" of ")[0].replace(",", "")) == expected["measured"]
    for share in (0.05, 0.36, 0.51, 0.7, 0.95):
        _cursor(page, table, share)
    assert page.driver.find_elements(By.CSS_SELECTOR, "[data-testid=cursor]")
    page.no_complaints()
