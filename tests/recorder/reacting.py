"""A made-up sump with its gauge, and a box with a pump's contactor and three lamps, for tests of reactions."""

import time

from tidybench.standins.device import Device

GAUGE = r"""
format = 1

[instrument]
id = "sump-gauge"
name = "Sump gauge"

[link]
port = "simulated/sump-gauge"

[framing]
terminator = "\r"

[[query]]
id = "level"
send = "LV?\r"
every_s = 0.2
patterns = ["LV <level>"]

[[channel]]
id = "sump-level"
name = "Sump level"
field = "level"
unit = "%"
"""

BOX = r"""
format = 1

[instrument]
id = "switch-box"
name = "Switch box"

[link]
port = "simulated/switch-box"

[framing]
terminator = "\r"

[[query]]
id = "state"
send = "S?\r"
every_s = 0.3
patterns = ["S <pump>"]

[[channel]]
id = "pump-on"
name = "Pump"
field = "pump"

[[command]]
id = "pump"
name = "Pump"
send = "P<on:int>\r"
patterns = ["OK"]
argument = [{ field = "on", lowest = 0, highest = 1 }]

[[command]]
id = "lamp"
name = "Lamp"
send = "L<which:int>\r"
patterns = ["OK"]
argument = [{ field = "which", lowest = 0, highest = 2 }]
"""

LAMPS = """
[[reaction]]
id = "lamps"
name = "Lamps"
channel = "sump-level"
below = 20
above = 80
do = [
  { when = "below", instrument = "switch-box", command = "lamp", values = { which = 0 } },
  { when = "good", instrument = "switch-box", command = "lamp", values = { which = 1 } },
  { when = "above", instrument = "switch-box", command = "lamp", values = { which = 2 } },
]
"""
"""Three outputs, of which one is on."""


class SumpGauge(Device):
    """Says the level that it is given. `low_at`: when it has said one below 15."""

    name = "sump-gauge"
    title = "Sump gauge"

    def factory(self) -> None:
        self.level = 40.0
        self.low_at: list[float] = []

    def answer(self, query: bytes) -> bytes | None:
        if query != b"LV?":
            return None
        if self.level < 15:
            self.low_at.append(time.monotonic())
        return b"LV %05.1f\r" % self.level


class SwitchBox(Device):
    """Does as it is told, and remembers it with the time."""

    name = "switch-box"
    title = "Switch box"

    def factory(self) -> None:
        self.pump, self.lamp = 1, -1
        self.heard: list[bytes] = []
        self.heard_at: list[float] = []

    def answer(self, query: bytes) -> bytes | None:
        if query == b"S?":
            return b"S %d\r" % self.pump
        if query[:1] in (b"P", b"L"):
            self.heard.append(query)
            self.heard_at.append(time.monotonic())
            if query[:1] == b"P":
                self.pump = int(query[1:])
            else:
                self.lamp = int(query[1:])
            return b"OK\r"
        return None
