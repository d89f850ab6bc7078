"""Two scripted instruments that count what they send: each number is sent once, and what became of it can be told."""

import re
import time
from pathlib import Path

from tidybench.standins.device import Device
from tidybench.standins.loop import Loop
from tidybench.standins.uart import LineFormat

STEP = 7
"""Between two numbers: what is torn off one is hardly another that was sent."""


class CountingPeer(Device):
    """What both have in common. `told`: each number that was sent whole, with the monotonic time at which its last byte went out; `halves`: those that
    a trouble may have kept from arriving."""

    def __init__(self, folder: Path, loop: Loop) -> None:
        self.count = 100_000_003
        self.told: dict[int, float] = {}
        self.halves: set[int] = set()
        super().__init__(folder, loop)

    def _number(self) -> int:
        self.count += STEP
        self.halves.add(self.count)  # it may be read before it is known to have gone out
        return self.count

    def emit(self, reply: bytes) -> None:
        """Send it, and note whether it was sent whole."""
        if not reply.startswith((b"AN", b"TN")):
            super().emit(reply)
            return
        number, before = int(reply[3:12]), self.overrun
        spoilt = self.faults & {"cut short", "garbled", "echo", "flood"}
        super().emit(reply)
        if not spoilt and not self.faults and self.overrun == before:
            self.told[number] = time.monotonic()


class AskedPeer(CountingPeer):
    """Answers `N?` with the next number, and keeps what it is told. `kept`: the numbers of the commands `K`, in the order they came."""

    name = "asked-peer"
    title = "Asked peer"
    line = LineFormat(115200)

    def __init__(self, folder: Path, loop: Loop) -> None:
        self.kept: list[int] = []
        super().__init__(folder, loop)

    def answer(self, query: bytes) -> bytes | None:
        """The next number, or that it has kept one."""
        if query == b"N?":
            return b"AN %09d\r" % self._number()
        if re.fullmatch(rb"K[0-9]+", query):
            self.kept.append(int(query[1:]))
            return b"OK\r"
        return None


class TalkingPeer(CountingPeer):
    """Says the next number on its own."""

    name = "talking-peer"
    title = "Talking peer"
    line = LineFormat(115200)
    every = 0.05

    def talk(self) -> bytes:
        """The next number."""
        return b"TN %09d\r" % self._number()


ASKED = r"""
format = 1

[instrument]
id = "asked-peer"
name = "Asked peer"

[link]
port = "simulated/asked-peer"
baud = 115200

[framing]
terminator = "\r"

[[query]]
id = "n"
send = "N?\r"
every_s = 0.1
patterns = ["AN <n>"]

[[channel]]
id = "asked-n"
name = "Asked number"
field = "n"

[[command]]
id = "keep"
name = "Keep"
send = "K<k:int>\r"
patterns = ["OK"]
argument = [{ field = "k", lowest = 0, highest = 1000000000 }]
"""

PROCEDURE = """procedure Torture {first}
  for k = {first} to {last} step 1
    send asked-peer.keep with k = k, else go on
always
  send asked-peer.keep with k = 0
"""
"""Commands as fast as they are answered, each with a number of its own; 0 is the safe state."""

TALKING = r"""
format = 1

[instrument]
id = "talking-peer"
name = "Talking peer"
talks = "on its own"

[link]
port = "simulated/talking-peer"
baud = 115200

[framing]
terminator = "\r"

[listen]
every_s = 0.05
patterns = ["TN <n>"]

[[channel]]
id = "talking-n"
name = "Told number"
field = "n"
"""

PEERS: dict[str, type[CountingPeer]] = {"asked-n": AskedPeer, "talking-n": TalkingPeer}
"""By the channel that their numbers are in."""
