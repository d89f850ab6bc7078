"""The seal rig controller."""

import time
from collections.abc import Callable
from pathlib import Path

from tidybench.standins.device import Device
from tidybench.standins.loop import Loop
from tidybench.standins.uart import LineFormat


class SealRig(Device):
    """Label and value pairs in any order, twice a second, with a decimal comma: its own running time in
    milliseconds, pressure in the seal chamber, leak. On a device server, so that its parity matters."""

    name = "seal-rig"
    title = "Seal rig controller"
    line = LineFormat(2400, 7, "even")
    networked = True
    every = 0.5
    more_faults = ("dashes",)

    _began = 0.0
    _turn = 0

    def __init__(self, folder: Path, loop: Loop, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        super().__init__(folder, loop)

    def factory(self) -> None:
        self._began = self._clock()

    def power_up(self) -> bytes:
        return b"SEAL RIG READY\r\n"

    def talk(self) -> bytes:
        running = round((self._clock() - self._began) * 1000)
        pairs = [
            f"T={running}",
            "P=--,--" if "dashes" in self.faults else f"P={self.loop.seal_pressure():.2f}",
            "L=-,---" if "dashes" in self.faults else f"L={self.loop.leak():.3f}",
        ]
        self._turn += 1
        turned = pairs[self._turn % 3 :] + pairs[: self._turn % 3]
        return (";".join(turned).replace(".", ",") + "\r\n").encode()
