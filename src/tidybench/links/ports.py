"""The serial ports of this computer, and how set-ups name them."""

import os
import threading
from dataclasses import dataclass, replace
from pathlib import Path

from serial.tools import list_ports
from serial.tools.list_ports_common import ListPortInfo

from tidybench.core.setup import RFC2217
from tidybench.links.holders import Holder, holders_of

SIMULATED = "simulated/"
"""A port name with this beginning is a stand-in: a pseudo-terminal, or a network address, in the stand-ins' folder."""

USB = "usb/"
"""A port name with this beginning is a USB adapter, wherever it is plugged in: usb/VID:PID/SERIAL, or
usb/VID:PID@PLACE for one without a serial number."""

BY_ID = Path("/dev/serial/by-id")
"""Where Linux's device manager gives adapters names that survive replugging."""


@dataclass(slots=True, frozen=True)
class Port:
    """A port as it is right now. `name` is what set-ups should use: it survives replugging where
    anything does. `device` is what the system calls it today."""

    name: str
    device: str
    description: str
    maker: str = ""
    product: str = ""
    usb_ids: str = ""
    serial_number: str = ""
    place: str = ""
    holder: str = ""
    forbidden: bool = False


def device_of(name: str, simulated: Path | None) -> str:
    """The device path or network address of a port name; a path that does not exist where there is none."""
    if name.startswith(SIMULATED):
        found = (simulated or Path("/nonexistent")) / name.removeprefix(SIMULATED)
        if found.is_file() and not found.is_symlink():
            return found.read_text("utf-8").strip()
        return str(found)
    if name.startswith(USB):
        for port in list_ports.comports():
            if name in (usb_name(port), _by_place(port)):
                return str(port.device)
        return f"/nonexistent/{name}"
    return name


def real_device(name: str, simulated: Path | None) -> str:
    """The device a port name means, whatever links lead to it."""
    return os.path.realpath(device_of(name, simulated))


def usb_name(port: ListPortInfo) -> str:
    """The name of a USB adapter that does not depend on the order of plugging; "" for other ports."""
    if port.vid is None or port.pid is None:
        return ""
    ids = f"{USB}{port.vid:04x}:{port.pid:04x}"
    if port.serial_number:
        return f"{ids}/{port.serial_number}"
    return _by_place(port)


def _by_place(port: ListPortInfo) -> str:
    """The name of a USB adapter by where it is plugged in."""
    if port.vid is None or port.pid is None or not port.location:
        return ""
    return f"{USB}{port.vid:04x}:{port.pid:04x}@{port.location}"


def stable_name(port: ListPortInfo, twins: int = 1) -> str:
    """The best name for a port: by-id, else by its USB ids, else the device path. Adapters that are
    all alike (`twins`: so many with these ids and serial number) are told apart by their place."""
    if BY_ID.is_dir():
        for link in sorted(BY_ID.iterdir()):
            if os.path.realpath(link) == os.path.realpath(port.device):
                return str(link)
    name = usb_name(port)
    if name and twins > 1:
        name = _by_place(port) or name
    return name or str(port.device)


def ports(simulated: Path | None) -> list[Port]:
    """All serial ports, stand-ins included, without saying who holds them."""
    real = sorted(list_ports.comports())
    names = [usb_name(p) for p in real]
    found = [_described(p, names.count(usb_name(p))) for p in real]
    if simulated is not None and simulated.is_dir():
        for entry in sorted(simulated.iterdir()):
            if entry.is_symlink() and os.path.exists(entry):
                found.append(Port(SIMULATED + entry.name, os.path.realpath(entry), "simulated"))
            elif entry.is_file() and not entry.is_symlink() and entry.suffix == "":
                device = entry.read_text("utf-8").strip()
                if device.startswith(RFC2217):
                    found.append(Port(SIMULATED + entry.name, device, "simulated, on the network"))
    return found


def _described(port: ListPortInfo, twins: int) -> Port:
    def known(text: str | None) -> str:
        return "" if text in (None, "n/a") else str(text)

    ids = f"{port.vid:04x}:{port.pid:04x}" if port.vid is not None and port.pid is not None else ""
    return Port(
        name=stable_name(port, twins),
        device=str(port.device),
        description=known(port.description) or "serial port",
        maker=known(port.manufacturer),
        product=known(port.product),
        usb_ids=ids,
        serial_number=known(port.serial_number),
        place=known(port.location),
        forbidden=os.path.exists(port.device) and not os.access(port.device, os.R_OK | os.W_OK),
    )


def with_holders(found: list[Port], own: int | None = None) -> list[Port]:
    """The same ports, each with the other programs that have it open."""
    held = holders_of([p.device for p in found if not p.device.startswith(RFC2217)], own)

    def named(port: Port) -> str:
        who: list[Holder] = held.get(os.path.realpath(port.device), [])
        return " and ".join(map(str, who))

    return [replace(port, holder=named(port)) for port in found]


class PortWatch(threading.Thread):
    """Looks at the ports again and again, so that new and vanished ones are known at once."""

    LOOK_EVERY = 0.5
    HOLDERS_EVERY = 6  # looks

    def __init__(self, simulated: Path | None) -> None:
        super().__init__(name="ports", daemon=True)
        self._simulated = simulated
        self._stopping = threading.Event()
        self.now: list[Port] = []
        self._real: dict[str, str] = {}  # what names that were asked for mean
        self._asked: set[str] = set()

    def real(self, name: str) -> str:
        """The device a name means, as it was seen last. From memory but for the first time. Any thread."""
        known = self._real.get(name)
        if known is None:
            self._asked.add(name)
            known = real_device(name, self._simulated)
        return known

    def run(self) -> None:
        count = 0
        held: dict[str, str] = {}
        while not self._stopping.is_set():
            try:
                found = ports(self._simulated)
            except OSError:
                # A port that vanished while it was looked at: the next look has it right.
                self._stopping.wait(self.LOOK_EVERY)
                continue
            if count % self.HOLDERS_EVERY == 0 or {p.name for p in found} != {p.name for p in self.now}:
                held = {p.name: p.holder for p in with_holders(found)}
            names = [*self._asked, *(p.name for p in found), *(p.device for p in found)]
            self._real = {name: real_device(name, self._simulated) for name in names}
            self.now = [replace(p, holder=held.get(p.name, "")) for p in found]
            count += 1
            self._stopping.wait(self.LOOK_EVERY)

    def stop(self) -> None:
        """End."""
        self._stopping.set()
