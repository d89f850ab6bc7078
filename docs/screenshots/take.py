"""Takes the pictures of the docs from a running demo: python docs/screenshots/take.py

Needs ./tidy demo running with the same TIDY_DATA, and takes some five minutes: a run is begun, the valve is
moved and an instrument unplugged, so that the pictures show something.
"""

import json
import os
import socket
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "src"))
from tidybench.wire.client import Client
from tidybench.wire.places import Places
from tidybench.wire.status import GetStatus

HERE = Path(__file__).parent
DATA = Path(os.environ.get("TIDY_DATA") or Path.home() / ".local/share/tidybench-demo")
OPTIONS = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
]


def shop(**order: object) -> None:
    """An order to the stand-ins."""
    with socket.socket(socket.AF_UNIX) as line:
        line.connect(str(Places(DATA).stand_ins))
        line.sendall(json.dumps(order).encode() + b"\n")
        line.recv(4096)


class Camera:
    """A browser that takes pictures."""

    def __init__(self) -> None:
        options = webdriver.ChromeOptions()
        for option in (*OPTIONS, f"--user-data-dir={tempfile.mkdtemp()}"):
            options.add_argument(option)
        self.driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        access = json.loads((DATA / "access.json").read_text())
        self.base = f"http://127.0.0.1:{access['port']}"
        self.size(1280, 800)
        self.driver.get(f"{self.base}/?token={access['token']}")
        time.sleep(2)

    def size(self, width: int, height: int) -> None:
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    def take(self, name: str) -> None:
        self.driver.save_screenshot(str(HERE / f"{name}.png"))

    def call(self, method: str, path: str, body: object = None) -> dict[str, Any]:
        """A request to the web server, as the page makes it."""
        script = (
            "const [m, p, b, done] = arguments; fetch(p, {method: m, headers: {'content-type': 'application/json'},"
            "body: b ? JSON.stringify(b) : undefined}).then(async (r) => done(await r.text()))"
        )
        found = self.driver.execute_async_script(script, method, path, body)
        return dict(json.loads(found)) if found and found[0] == "{" else {}

    def press(self, label: str) -> None:
        self.driver.find_elements("xpath", f"//*[self::button or self::a][contains(., '{label}')]")[
            -1
        ].click()
        time.sleep(0.6)

    def keep(self, key: str, value: str) -> None:
        self.driver.execute_script("localStorage.setItem(arguments[0], arguments[1])", key, value)
        self.driver.refresh()
        time.sleep(3)


RULE = {
    "channels": {
        "loop-flow": {"band": 6, "low": 100, "high": 170},
        "head": {},
        "motor-input": {},
        "efficiency": {},
    },
    "steady_s": 3,
    "average_s": 4,
    "give_up_s": 60,
}


def points(camera: Camera) -> None:
    """Take test points at four openings of the valve."""
    driver = camera.driver
    last = {"rule": RULE, "sets": [{"name": "Valve", "unit": "%", "value": 0}], "typed": []}
    camera.keep("tidybench-last-point", json.dumps(last))
    camera.press("points")
    for valve in (30, 45, 60, 75):
        shop(valve=valve / 100)
        camera.press("Take a point")
        time.sleep(1.5)
        for label, text in (("Name", f"valve {valve} %"), ("Valve is", str(valve))):
            field = driver.find_element("xpath", f"//label[normalize-space(.)='{label}']/following::input[1]")
            field.send_keys(text)
        camera.press("Take the point")
        time.sleep(18)
    camera.take("points")
    camera.press("points")
    shop(valve=0.6)


TABLE = """Command\tParameter\tMeaning
VP <opening>\t0 to 100 %, default 40\tSet the opening. Returns OK
VM <mode>\tFAST|SLOW\tSpeed of the drive
"""


def fill(camera: Camera, area: object, text: str) -> None:
    """Put a text into a large field, as if it was typed."""
    camera.driver.execute_script(
        "Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(arguments[0], arguments[1]);"
        "arguments[0].dispatchEvent(new Event('input', {bubbles: true}))",
        area,
        text,
    )


def commands(camera: Camera) -> None:
    """The commands of the valve positioner, and a table from its manual."""
    driver = camera.driver
    driver.get(f"{camera.base}/instruments/valve-positioner?stage=Commands")
    time.sleep(3)
    camera.press("Paste a command table")
    field = driver.find_element("css selector", "textarea[aria-label='Command table to paste']")
    fill(camera, field, TABLE)
    camera.press("Read it")
    time.sleep(1.5)
    driver.execute_script("document.querySelector('[data-testid=commands]').scrollIntoView()")
    time.sleep(0.5)
    camera.take("commands")


def procedure(camera: Camera) -> None:
    """The pump's acceptance at its second opening, in the run that is on already."""
    camera.driver.get(f"{camera.base}/procedures")
    time.sleep(4)
    area = camera.driver.find_element("css selector", "textarea[aria-label='Text of the procedure']")
    text = str(area.get_property("value"))
    fill(camera, area, "\n".join(row for row in text.split("\n") if " run" not in row))
    time.sleep(1.5)
    camera.press("Begin")
    time.sleep(1.5)
    camera.press("Yes")
    time.sleep(17)
    camera.take("procedure")
    camera.press("Stop, then do")
    time.sleep(4)


def reactions(camera: Camera) -> None:
    """What happens by itself in the shop, one of them open."""
    camera.driver.get(f"{camera.base}/procedures/reactions")
    time.sleep(3)
    camera.driver.find_elements("css selector", ".opener")[0].click()
    time.sleep(1)
    camera.take("reactions")


def swept(camera: Camera, item: str) -> str:
    """A run with one sweep of the winding tester in it; gives its key."""
    begun = camera.call(
        "POST", "/api/run", {"name": "Winding", "item": item, "channels": ["winding-tester-state"]}
    )
    camera.call("POST", "/api/instruments/winding-tester/commands/sweep", {"values": {}})
    time.sleep(2)
    camera.call("POST", "/api/run/end", {"run": begun["id"]})
    return str(begun["id"])


def curves(camera: Camera) -> None:
    """A winding before and after its repair, and what its curve says."""
    driver = camera.driver
    text = (HERE.parents[1] / "src/tidybench/setups/library/winding-tester.setup.toml").read_text("utf-8")
    camera.call("POST", "/api/setups", {"text": text})
    time.sleep(4)
    shop(**{"stand-in": "winding-tester", "fault": "shorted turns"})
    before = swept(camera, "MT-7 as received")
    shop(**{"stand-in": "winding-tester", "fault": "shorted turns", "on": False})
    after = swept(camera, "MT-7 repaired")
    time.sleep(4)
    driver.get(f"{camera.base}/curves?show={after}.1,{before}.1")
    time.sleep(2)
    for label in ("−3 dB corner", "Fit second order"):
        camera.press(label)
        time.sleep(2.5)
    driver.execute_script("scrollTo(0, 120)")
    time.sleep(0.5)
    camera.take("curves")
    camera.call("DELETE", "/api/setups/winding-tester")


def handed_on(camera: Camera) -> None:
    """A destination that gets flow and discharge."""
    driver = camera.driver
    path = "/tmp/values.jsonl"
    parts = [
        {"id": "control", "name": "Control system", "to": {"kind": "udp", "host": "127.0.0.1", "udp_port": 5005},
         "channels": ["loop-flow", "discharge"], "pattern": "F=<loop_flow:number 8.2>;P=<discharge>\r\n"},
        {"id": "file", "name": "Beside the run", "to": {"kind": "file", "path": path},
         "channels": ["efficiency", "head"], "every_s": 1.0},
    ]  # fmt: skip
    camera.call("PUT", "/api/forwarding", {"destinations": {"destination": parts}, "was": ""})
    driver.get(f"{camera.base}/instruments/handed-on")
    time.sleep(8)
    camera.take("handed-on")
    was = camera.call("GET", "/api/forwarding")["text"]
    camera.call("PUT", "/api/forwarding", {"destinations": {"destination": []}, "was": was})
    Path(path).unlink(missing_ok=True)


def run(camera: Camera) -> None:
    """The night's leak, asked how fast it grew, and why one of its values is what it is."""
    driver = camera.driver
    driver.find_element("link text", "Seal endurance, night").click()
    time.sleep(4)
    camera.size(1280, 1500)
    layer = driver.find_element("css selector", "[data-testid=cursor]")
    driver.find_element("css selector", "section[aria-label=Questions] button[aria-haspopup=listbox]").click()
    time.sleep(1)
    next(one for one in driver.find_elements("css selector", "[role=option]") if one.text == "Leak").click()
    camera.press("slope")
    ActionChains(driver).move_to_element_with_offset(layer, 150, 0).click().perform()
    time.sleep(1)
    camera.press("why this value")
    time.sleep(2)
    camera.take("run")
    camera.size(1280, 800)


def main() -> None:
    """Take them all."""
    camera = Camera()
    driver = camera.driver
    shop(valve=0.45)
    camera.keep("tidybench-theme", "day")
    if "--begin" in sys.argv:
        camera.press("Begin a run")
        fields = driver.find_elements("css selector", "[role=dialog] input:not([type=radio])")
        for field, text in zip(
            fields, ("Pump 7 acceptance, 2nd pass", "P7-0413, rotor 2", "M. Okafor"), strict=False
        ):
            field.send_keys(Keys.CONTROL + "a")
            field.send_keys(text)
        camera.press("Ends")
        for words in ("After a time", "On a level or limit"):
            driver.find_element("xpath", f"//label[.//div[@class='box']][contains(., '{words}')]").click()
            time.sleep(0.3)
        for label, text in (("Ends after", "20"), ("Level, mm/s", "6"), ("for", "10")):
            field = driver.find_element("xpath", f"//label[normalize-space(.)='{label}']/following::input[1]")
            field.send_keys(Keys.CONTROL + "a")
            field.send_keys(text)
        camera.press("Begin logging")
    time.sleep(70)
    shop(valve=0.6)
    driver.find_element("tag name", "body").send_keys("m")
    time.sleep(0.6)
    driver.switch_to.active_element.send_keys("valve to 60 %" + Keys.ENTER)
    time.sleep(70)
    camera.take("bench-logging")
    points(camera)
    driver.get(f"{camera.base}/?view=readouts")
    time.sleep(3)
    camera.take("readouts")
    runs = {one["name"]: one["id"] for one in camera.call("GET", "/api/runs?limit=200")["runs"]}
    compared = f"{runs['Pump 7 acceptance']},{runs['Pump 7 acceptance, repeated']}"
    driver.get(f"{camera.base}/logbook/compare?runs={compared}")
    time.sleep(5)
    camera.take("compare")
    driver.get(camera.base)
    time.sleep(3)
    shop(**{"stand-in": "power-analyser", "fault": "unplugged"})
    time.sleep(12)
    camera.keep("tidybench-theme", "night")
    camera.take("bench-night-fault")
    camera.keep("tidybench-theme", "day")
    shop(**{"stand-in": "sump-sonde", "fault": "wrong checksum"})
    shop(**{"stand-in": "loop-flow-meter", "fault": "late"})
    time.sleep(8)
    camera.press("Instruments")
    time.sleep(1)
    camera.take("instruments")
    camera.press("Health")
    time.sleep(3)
    camera.take("health")
    for name, fault in (
        ("power-analyser", "unplugged"),
        ("sump-sonde", "wrong checksum"),
        ("loop-flow-meter", "late"),
    ):
        shop(**{"stand-in": name, "fault": fault, "on": False})
    time.sleep(65)
    driver.get(f"{camera.base}/instruments/loop-flow-meter?stage=Messages")
    time.sleep(3)
    driver.find_element("css selector", "[aria-label=Command]").send_keys("ID?" + Keys.ENTER)
    time.sleep(2)
    camera.take("set-up")
    driver.get(f"{camera.base}/instruments/loop-flow-meter?stage=Readings")
    time.sleep(3)
    cells = [driver.find_element("css selector", f"[data-at='{at}']") for at in (3, 7, 10)]
    drag = ActionChains(driver).click_and_hold(cells[0])
    for cell in cells[1:]:
        drag = drag.move_to_element(cell)
    drag.release().perform()
    time.sleep(1)
    camera.take("teaching")
    driver.get(f"{camera.base}/instruments/new?port=simulated/seal-rig")
    time.sleep(2)
    camera.press("Connect")
    time.sleep(4)
    camera.press("Work out the settings")
    camera.press("Listen only")
    time.sleep(22)
    camera.press("Use 2400 7-E-1")
    time.sleep(8)
    driver.get(f"{camera.base}/instruments/seal-rig?stage=Readings")
    time.sleep(4)
    camera.take("proposals")
    camera.press("Use this pattern")
    camera.press("Save")
    camera.press("remove")
    commands(camera)
    reactions(camera)
    handed_on(camera)
    procedure(camera)
    shop(valve=0.6)
    driver.get(camera.base)
    time.sleep(2)
    camera.size(390, 844)
    time.sleep(3)
    camera.take("bench-phone")
    camera.size(1280, 800)
    driver.get(f"{camera.base}/logbook")
    time.sleep(2)
    camera.take("logbook")
    run(camera)
    camera.press("Logbook")
    driver.find_element("link text", "Calibration of Suction").click()
    time.sleep(3)
    camera.press("Calibration report")
    time.sleep(3)
    camera.take("calibration")
    if "--begin" in sys.argv:
        status = Client(Places(DATA).control).ask(GetStatus())[0].status
        if status is not None and status.run is not None:
            camera.call("POST", "/api/run/end", {"run": status.run.id})
        curves(camera)
    driver.quit()


if __name__ == "__main__":
    main()
