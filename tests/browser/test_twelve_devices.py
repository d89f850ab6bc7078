"""Twelve devices and more that nobody wrote anything for: from their first bytes to a number on the Bench, in two presses."""

import itertools
import math
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.page import Page
from tests.browser.test_teaching import Teacher
from tests.conftest import Server, wait_for
from tidybench.standins.device import Device

pytestmark = pytest.mark.browser


@dataclass(frozen=True)
class Sends:
    """What a device says the n-th time, the numbers that it means, and what a technician answers when asked."""

    name: str
    say: Callable[[int], bytes]
    means: Callable[[int], tuple[float, ...]]
    answers: tuple[str, ...] = ()
    units: tuple[str, ...] = ()
    every: float = 0.12
    clocks: int = 0


BEGUN = time.monotonic()
MODES = (b"IDLE", b"RUN", b"COOL")
"""In the order of the alphabet: COOL, IDLE, RUN."""


def wave(n: int, middle: float, size: float, places: int) -> float:
    return round(middle + size * math.sin(n * 1.9) + size * 0.3 * math.sin(n * 0.7), places)


DEVICES = [
    Sends("letter-and-digits", lambda n: b"T%03d\r" % int(wave(n, 400, 300, 0)), lambda n: (wave(n, 400, 300, 0),)),
    Sends("four-digits", lambda n: b"%04d" % int(wave(n, 4000, 3000, 0)), lambda n: (wave(n, 4000, 3000, 0),), every=0.35),
    Sends("scale", lambda n: b"ST,GS,%+08.1fkg\r\n" % wave(n, 20, 90, 1), lambda n: (wave(n, 20, 90, 1),), units=("kg",)),
    Sends("sign-behind", lambda n: b"%07.2f%s\r\n" % (abs(wave(n, 1, 40, 2)), b"-" if wave(n, 1, 40, 2) < 0 else b"+"), lambda n: (wave(n, 1, 40, 2),)),
    Sends("comma", lambda n: (b"%.1f \xb0C\r\n" % wave(n, 20, 9, 1)).replace(b".", b","), lambda n: (wave(n, 20, 9, 1),), units=("°C",)),
    Sends("thousands", lambda n: f"{wave(n, 1200, 700, 1):,.1f} rpm\r\n".encode(), lambda n: (wave(n, 1200, 700, 1),), units=("rpm",)),
    Sends("two-channels", lambda n: b"CH1: %.2f V  CH2: %.3f A\r\n" % (wave(n, 12, 3, 2), wave(n, 1, 0.4, 3)), lambda n: (wave(n, 12, 3, 2), wave(n, 1, 0.4, 3)), units=("V", "A")),
    Sends("counter-and-columns", lambda n: b"%06d;%.2f;%.1f\r\n" % (n + 417, wave(n, 5, 3, 2), wave(n, 60, 20, 1)), lambda n: (wave(n, 5, 3, 2), wave(n, 60, 20, 1))),
    Sends("clock-in-front", lambda n: b"12:%02d:%02d %.3f\r\n" % (n // 60 % 60, n % 60, wave(n, 7, 2, 3)), lambda n: (wave(n, 7, 2, 3),)),
    Sends("autoranging", lambda n: b"%.4f V\n" % wave(n, 1, 0.9, 4) if abs(wave(n, 1, 0.9, 4)) >= 1 else b"%.1f mV\n" % (1000 * wave(n, 1, 0.9, 4)), lambda n: (wave(n, 1, 0.9, 4),), (r"V",), ("V",)),
    Sends("ambiguous-comma", lambda n: (b"Q %.3f\r\n" % abs(wave(n, 2, 1, 3) + 1)).replace(b".", b","), lambda n: (abs(wave(n, 2, 1, 3) + 1),), (r"one number, \d\.\d+",)),
    Sends("own-clock-and-states", lambda n: b"%d;%.2f;%s;%d\r\n" % ((time.monotonic() - BEGUN) * 1000, wave(n, 5, 0.5, 2), MODES[n // 4 % 3], n // 3 % 2), lambda n: (wave(n, 5, 0.5, 2), float((1, 2, 0)[n // 4 % 3]), float(n // 3 % 2)), ("a state: .*",), clocks=1),
    Sends("hexadecimal", lambda n: b"N=%04X\r\n" % int(wave(n, 1100, 700, 0)), lambda n: (wave(n, 1100, 700, 0),)),
]  # fmt: skip


class Talker(Device):
    """Sends what it was made to send, on its own."""

    sends: ClassVar[Sends]
    bodies: ClassVar[dict[bytes, tuple[float, ...]]]

    def factory(self) -> None:
        self._count = itertools.count()

    def talk(self) -> bytes:
        n = next(self._count)
        said = self.sends.say(n)
        self.bodies[said] = self.sends.means(n)
        return said


def talker(sends: Sends) -> type[Talker]:
    keys = {"sends": sends, "bodies": {}, "name": sends.name, "title": sends.name, "every": sends.every}
    return type("Made", (Talker,), keys)


def test_two_presses_from_first_bytes_to_a_number(page: Page, server: Server) -> None:
    devices = [server.shop.plug_in(talker(sends)) for sends in DEVICES]
    teachers = [Teacher(page, server, device) for device in devices]
    wait_for(lambda: all(len(device.sent) > 12 for device in devices), "some messages of each", 30)
    for device, teacher in zip(devices, teachers, strict=True):
        began = time.monotonic()
        _taught(page, server, device, teacher)
        print(
            f"{device.name}: {time.monotonic() - began:.1f} s from opening its page to numbers that are compared"
        )
    page.open("/")
    page.find("[data-testid=lane]")
    # The time axis stands exactly below the curves, also where they scroll.
    places = """
        const box = (element) => { const { left, width } = element.getBoundingClientRect(); return [left, width]; };
        const lanes = document.querySelector("[data-testid=lane]").closest("section").firstElementChild;
        return [lanes.scrollHeight > lanes.clientHeight, box(document.querySelector("[data-testid=lane] [role=img]")),
          box(document.querySelector("[title^='Times of']"))];
    """
    wait_for(lambda: page.driver.execute_script(places)[0], "more lanes than there is room")
    _, curves, axis = page.driver.execute_script(places)
    assert axis == pytest.approx(curves, abs=0.5)
    page.no_complaints()


def _taught(page: Page, server: Server, device: Talker, teacher: Teacher) -> None:
    sends = device.sends
    asked = server.post(f"/api/instruments/{teacher.key}/proposals", {"changes": {}}).json()
    if asked["framings"]:
        teacher.open("Messages")
        page.press("Use this framing")
        teacher.save()
        before = len(device.sent)
        wait_for(lambda: len(device.sent) > before + 12, f"messages of {sends.name} cut so", 30)
    teacher.open("Readings")
    for answer in sends.answers:
        _answer(page, answer)
    page.press("Use this pattern")
    teacher.save()
    wait_for(teacher.passing, f"samples of {sends.name}", 30)
    mine = [one for one in server.recorder.status().channels if one.instrument == teacher.key]
    assert len(mine) == len(sends.means(0)) + sends.clocks, sends.name
    assert [one.clock for one in mine].count(True) == sends.clocks
    assert [one.unit for one in mine if not one.clock] == [*sends.units] or not sends.units
    _same_numbers(server, teacher.key, device)


def _answer(page: Page, words: str) -> None:
    """Press the answer that reads so."""

    def fitting() -> list[WebElement]:
        buttons = page.driver.find_elements(By.CSS_SELECTOR, "[data-testid='questions'] button")
        return [button for button in buttons if re.fullmatch(words, button.text)]

    wait_for(fitting, words)
    fitting()[0].click()


def _same_numbers(server: Server, key: str, device: Talker) -> None:
    """What a preview of the last messages gives is what the device meant."""
    text = server.get(f"/api/instruments/{key}").json()["text"]
    assert text
    rows = server.post(f"/api/instruments/{key}/preview", {"changes": {}}).json()["rows"]
    channels = server.get(f"/api/instruments/{key}").json()["setup"]["channel"]
    channels = [channel for channel in channels if channel["clock"] is None]
    meant = {said.strip(b"\r\n"): numbers for said, numbers in device.bodies.items()}
    looked_at = 0
    for row in rows[:20]:
        numbers = meant.get(row["message"].encode("latin-1"))
        if numbers is None:
            continue
        looked_at += 1
        read = [(c["states"], row["fields"][c["field"]]) for c in channels]
        values = [states.index(text) if states else float(text) for states, text in read]
        assert values == pytest.approx(numbers), row
    assert looked_at >= 5
