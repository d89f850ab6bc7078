"""A transmitter that reads wrong, and a tester that does not: made up for calibrations, on pseudo-terminals."""

import math
from typing import ClassVar

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class Transmitter(Device):
    """Shows 1.02 x the true pressure + 1.5 kPa and a little noise, ten times a second."""

    name = "transmitter"
    title = "Transmitter"
    line = LineFormat(9600)
    every = 0.1
    truth: ClassVar[float] = 0.0

    def factory(self) -> None:
        self._count = 0

    def talk(self) -> bytes:
        self._count += 1
        return b"P %+010.3f\r\n" % shown_at(self.truth + 0.02 * math.sin(self._count * 1.7))


class Tester(Device):
    """The true pressure in bar, five times a second."""

    name = "tester"
    title = "Tester"
    line = LineFormat(9600)
    every = 0.2

    def talk(self) -> bytes:
        return b"P %+010.5f\r\n" % (Transmitter.truth / 100)


def shown_at(truth: float) -> float:
    """What the transmitter shows."""
    return 1.02 * truth + 1.5


def setup_of(device: Device, unit: str, every_s: float) -> str:
    """The set-up of one of them, with one channel by its name."""
    return f"""format = 1
[instrument]
id = "{device.name}-bench"
name = "{device.title}"
talks = "on its own"
[link]
port = "simulated/{device.name}"
baud = 9600
[framing]
terminator = "\\r\\n"
[listen]
every_s = {every_s}
patterns = ["P <P>"]
# what it measures
[[channel]]
id = "{device.name}"
name = "{device.title} pressure"
field = "P"
unit = "{unit}"
decimals = 3
"""
