"""Every stand-in made into channels by pointing, in a real browser; nothing is typed as TOML."""

import time

import pytest
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tidybench.standins.device import Device
from tidybench.standins.instruments import (
    BearingMonitor,
    ClearanceGauge,
    LoopFlowMeter,
    PowerAnalyser,
    PressurePair,
    SealRig,
    ShaftPickup,
    SumpSonde,
    ValvePositioner,
    WindingTester,
)

pytestmark = pytest.mark.browser


def take_off_the_bench(server: Server, key: str) -> None:
    """Its stand-in is taught anew; where the test is tried again it is gone already."""
    assert server.client().delete(f"/api/setups/{key}").status_code in (200, 204, 404)


class Teacher:
    """The set-up page of one instrument, as a technician works through it."""

    def __init__(self, page: Page, server: Server, device: Device) -> None:
        self.page, self.server, self.device = page, server, device
        self.key = f"new-{device.name}"
        link = {
            "kind": "serial",
            "port": f"simulated/{device.name}",
            "baud": device.line.baud,
            "data_bits": device.line.data_bits,
            "parity": device.line.parity,
        }
        # A database that was made just now has its tables a moment later.
        wait_for(lambda: server.get("/api/setups").status_code == 200, "the records")
        made = server.post("/api/instruments", {"name": f"New {device.name}", "link": link})
        assert made.status_code == 201, made.text
        self.version = 1

    def open(self, stage: str) -> None:
        self.page.open(f"/instruments/{self.key}?stage={stage}")
        self.page.find(f"[data-testid='stage-{stage}']")

    def turn_to(self, stage: str) -> None:
        """Another stage of the page that is open; what stood in the one before is gone then."""
        self.page.press(stage)
        self.page.find(f"[data-testid='stage-{stage}'] [aria-expanded=true]")

    def save(self) -> None:
        self.version += 1
        self.page.press("Save")
        self.page.see(f"Version {self.version} is in force")

    def ask(self, query: str, end: str, **more: str) -> None:
        """A query typed on the Messages card."""
        self.open("Messages")
        self.page.choose("It talks", "when asked")
        self.page.choose("its end", end)
        self.page.press("Add a query")
        self.page.type_into("Query", query)
        for label, value in more.items():
            self.page.type_into(label.replace("_", " "), value)

    def take_the_proposal(self) -> None:
        self.open("Readings")
        self.page.press("Use this pattern")
        wait_for(lambda: "understood)" in self.page.text() and "(0 of" not in self.page.text(), "the preview")
        self.save()

    def drag(self, start: int, end: int) -> None:
        cells = [self.page.find(f"[data-at='{at}']") for at in (start, (start + end) // 2, end)]
        actions = ActionChains(self.page.driver).click_and_hold(cells[0])
        for cell in cells[1:]:
            actions = actions.move_to_element(cell)
        actions.release().perform()

    def hears(self) -> bool:
        found = [i for i in self.server.recorder.status().instruments if i.id == self.key]
        return bool(found) and found[0].stages[1].figures != ""

    def passing(self) -> bool:
        found = next(i for i in self.server.recorder.status().instruments if i.id == self.key)
        return [s.state for s in found.stages][-1] == "passing"

    def read(self) -> None:
        """Wait until what was saved is read into samples; what stops it is said."""
        try:
            wait_for(self.passing, "samples")
        except AssertionError as error:
            found = next(i for i in self.server.recorder.status().instruments if i.id == self.key)
            path = [f"{s.name} {s.state}: {s.sentence} {s.figures}" for s in found.stages]
            text = self.server.get(f"/api/instruments/{self.key}").json()["text"]
            raise AssertionError("\n".join([str(error), *path, text])) from None


@pytest.mark.parametrize(
    ("kind", "channels"),
    [
        (ShaftPickup, ["Speed", "Torque"]),
        (SumpSonde, ["Level", "Water", "Turb"]),
        (SealRig, ["Device time", "P", "L"]),
    ],
)
def test_talkers_are_read_as_proposed(
    page: Page, server: Server, kind: type[Device], channels: list[str]
) -> None:
    device = server.shop.plug_in(kind)
    teacher = Teacher(page, server, device)
    if kind is ShaftPickup:
        wait_for(teacher.hears, "the first bytes")
        device.fault("restarted")  # at power-up it names its columns
    # That a field is a device's time takes more of them, where some came late.
    wait_for(lambda: len(device.sent) > (20 if kind is SealRig else 8), "some messages")
    teacher.take_the_proposal()
    teacher.read()
    status = server.recorder.status()
    assert sorted(c.name for c in status.channels if c.instrument == teacher.key) == sorted(channels)
    page.no_complaints()


def test_marked_messages_are_cut_as_proposed(page: Page, server: Server) -> None:
    device = server.shop.plug_in(BearingMonitor)
    teacher = Teacher(page, server, device)
    wait_for(lambda: len(device.sent) > 15, "some messages")
    teacher.open("Messages")
    page.press("Use this framing")
    teacher.save()
    teacher.take_the_proposal()
    teacher.read()
    found = next(i for i in server.recorder.status().instruments if i.id == teacher.key)
    assert "checksums right" in next(s.sentence for s in found.stages if s.name == "Messages")
    page.no_complaints()


def test_a_gauge_with_a_key_and_no_decimal_point(page: Page, server: Server) -> None:
    device = server.shop.plug_in(ClearanceGauge)
    teacher = Teacher(page, server, device)
    for _ in range(6):
        before = len(device.sent)
        device.press_key()
        wait_for(lambda n=before: len(device.sent) > n, "a reading")
    teacher.open("Messages")
    teacher.page.choose("It talks", "on its key")
    teacher.save()
    teacher.take_the_proposal()
    # Where its point is only a person knows.
    box = page.find("[data-testid='stage-Readings'] textarea")
    text = box.get_attribute("value") or ""
    assert text == "<v1 6>"
    box.clear()
    box.send_keys("<v1 6.3 [mm]>")
    wait_for(lambda: "0.3" in page.find("[data-testid=preview]").text, "millimetres in the preview")
    teacher.save()

    def pressed() -> bool:
        device.press_key()
        time.sleep(0.5)
        return teacher.passing()

    wait_for(pressed, "a sample")
    page.no_complaints()


@pytest.mark.parametrize(
    ("kind", "query", "end"),
    [(ValvePositioner, "VP?\\r", "CR"), (PowerAnalyser, "MEAS:POW?\\n", "LF")],
)
def test_instruments_that_are_asked(
    page: Page, server: Server, kind: type[Device], query: str, end: str
) -> None:
    if kind is PowerAnalyser:
        device: Device = server.shop.power
        take_off_the_bench(server, "power-analyser")
    else:
        device = server.shop.plug_in(kind)
    teacher = Teacher(page, server, device)
    teacher.ask(query, end)
    teacher.save()
    wait_for(lambda: len(device.sent) > 3, "some answers")
    teacher.take_the_proposal()
    teacher.read()
    page.no_complaints()


def test_a_sweep_is_read_to_its_last_line(page: Page, server: Server) -> None:
    device = server.shop.plug_in(WindingTester)
    teacher = Teacher(page, server, device)
    teacher.ask("SW 20 2000 10\\n", "CR LF")
    page.press("more …")
    teacher.page.choose("The answer is whole", "at a last line")
    teacher.save()
    wait_for(lambda: len(device.sent) > 1, "two sweeps", 25)
    teacher.take_the_proposal()
    teacher.read()
    page.no_complaints()


def test_a_register_map_is_pasted(page: Page, server: Server) -> None:
    server.shop.plug_in(PressurePair)
    device = server.shop.devices[-1]
    teacher = Teacher(page, server, device)
    teacher.open("Messages")
    teacher.page.choose("It talks", "when asked")
    teacher.page.choose("A message", "is a Modbus RTU frame")
    page.press("Give it a register map")
    teacher.turn_to("Readings")
    page.type_into("Bus address", "12")
    page.press("Paste a map")
    page.find("[aria-label='Register map to paste']").send_keys("pressure, 0, float32\ncoarse, 2, int16")
    page.press("Add these")
    teacher.turn_to("Channels")
    page.press("pressure")
    teacher.save()
    teacher.read()
    value = server.shop.loop.discharge()
    teacher.turn_to("Readings")
    wait_for(
        lambda: f"{value:.0f}." in page.find("[data-testid=preview]").text, "the pressure in the preview"
    )
    page.no_complaints()


def test_a_message_is_taught_by_dragging_and_mended_with_one_press(page: Page, server: Server) -> None:
    take_off_the_bench(server, "loop-flow-meter")
    device = server.shop.flow
    teacher = Teacher(page, server, device)
    teacher.ask("FL?\\r", "CR LF")
    teacher.save()
    teacher.open("Readings")
    page.find("[data-at='10']")
    teacher.drag(3, 10)
    page.type_into("called", "flow")
    page.type_into("in", "L/min")
    page.press("Apply")
    box = "[data-testid='stage-Readings'] textarea"
    wait_for(lambda: page.find(box).get_attribute("value") == "FL=<flow [L/min]> L/min OK", "the pattern")
    teacher.drag(18, 19)
    teacher.page.choose("“OK” is", "a word")
    page.type_into("called", "state")
    page.press("Apply")
    wait_for(
        lambda: page.find(box).get_attribute("value") == "FL=<flow [L/min]> L/min <state:word>", "the pattern"
    )
    page.accessible()
    device.fault("dashes")
    page.press("is “no reading” (flow)")
    wait_for(lambda: "none(--------)" in (page.find(box).get_attribute("value") or ""), "the token")
    device.fault("dashes", False)
    teacher.turn_to("Channels")
    page.press("flow")
    page.accessible()
    teacher.save()
    teacher.read()
    [channel] = [c for c in server.recorder.status().channels if c.instrument == teacher.key]
    assert (channel.name, channel.unit) == ("Flow", "L/min")
    page.no_complaints()


def test_all_ten_are_here() -> None:
    from tidybench.standins.instruments import ALL, LoopBackPlug

    taught = {
        ShaftPickup, SumpSonde, SealRig, BearingMonitor, ClearanceGauge, ValvePositioner, PowerAnalyser, WindingTester,
        PressurePair, LoopFlowMeter,
    }  # fmt: skip
    assert taught == set(ALL) - {LoopBackPlug}
