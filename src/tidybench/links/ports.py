"""The serial ports of this computer, and how set-ups name them."""

import os
from dataclasses import dataclass
from pathlib import Path

from serial.tools import list_ports

SIMULATED = "simulated/"
"""A port name with this beginning is a stand-in: a pseudo-terminal in the stand-ins' folder."""


@dataclass(slots=True, frozen=True)
class Port:
    """A port as it is right now."""

    name: str
    device: str
    description: str


def device_of(name: str, simulated: Path | None) -> str:
    """The device path of a port name."""
    if name.startswith(SIMULATED):
        if simulated is None:
            return f"/nonexistent/{name}"
        return str(simulated / name.removeprefix(SIMULATED))
    return name


def ports(simulated: Path | None) -> list[Port]:
    """All serial ports, stand-ins included."""
    found = [Port(p.device, p.device, p.description) for p in sorted(list_ports.comports())]
    if simulated is not None and simulated.is_dir():
        for link in sorted(simulated.iterdir()):
            if link.is_symlink() and os.path.exists(link):
                found.append(Port(SIMULATED + link.name, os.path.realpath(link), "simulated"))
    return found
