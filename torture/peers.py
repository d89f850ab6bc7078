"""Scripted instruments, whose times (`now`) are microseconds since 1970 UTC by the clock that the bench has: two that count what they send, each number once, so that what became of it can be told; and one that only obeys."""

import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import ClassVar

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


class ObeyingPeer(Device):
    """Keeps what it is told. `kept`: the numbers of its commands (`letter`, then a number), in the order they came, each with its time."""

    letter: ClassVar[bytes]

    def __init__(self, folder: Path, loop: Loop) -> None:
        self.kept: list[tuple[int, int]] = []
        self.now: Callable[[], int] = lambda: 0
        super().__init__(folder, loop)

    def obey(self, command: bytes) -> bytes | None:
        """That it has kept it; None where it is no command."""
        if not re.fullmatch(self.letter + rb"[0-9]+", command):
            return None
        self.kept.append((self.now(), int(command[1:])))
        return b"OK\r"


class AskedPeer(ObeyingPeer, CountingPeer):
    """Answers `N?` with the next number, and obeys `K`."""

    name, letter = "asked-peer", b"K"
    title = "Asked peer"
    line = LineFormat(115200)

    def answer(self, query: bytes) -> bytes | None:
        """The next number, or that it has kept one."""
        if query == b"N?":
            return b"AN %09d\r" % self._number()
        return self.obey(query)


class TalkingPeer(CountingPeer):
    """Says the next number on its own."""

    name = "talking-peer"
    title = "Talking peer"
    line = LineFormat(115200)
    every = 0.05

    def talk(self) -> bytes:
        """The next number."""
        number = self._number()
        return b"TN %09d L%02d\r" % (number, level_of(number))


def level_of(number: int) -> int:
    """What the talking peer says beside a number: up from 0 to 20 and down again, within two seconds."""
    step = number // STEP % 40
    return step if step <= 20 else 40 - step


class SwitchPeer(ObeyingPeer):
    """Obeys `S` and says how it stands."""

    name, letter = "switch-peer", b"S"
    title = "Switch peer"
    line = LineFormat(115200)

    def answer(self, query: bytes) -> bytes | None:
        """How it stands, or that it obeyed."""
        if query == b"S?":
            return b"S %d\r" % (self.kept[-1][1] if self.kept else 0)
        return self.obey(query)


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

SWEEP = """procedure Sweep {first}
  for k = {first} to {last} step 1
    send asked-peer.keep with k = k, else go on
    draw "Sweep" with K = k, Number = "asked-n"
always
  send asked-peer.keep with k = 0
"""
"""The same, with a row of a curve for each."""

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
patterns = ["TN <n> L<level>"]

[[channel]]
id = "talking-n"
name = "Told number"
field = "n"

[[channel]]
id = "talking-level"
name = "Told level"
field = "level"
"""

SWITCH = r"""
format = 1

[instrument]
id = "switch-peer"
name = "Switch peer"

[link]
port = "simulated/switch-peer"
baud = 115200

[framing]
terminator = "\r"

[[query]]
id = "s"
send = "S?\r"
every_s = 0.2
patterns = ["S <s>"]

[[channel]]
id = "switch-s"
name = "Switched to"
field = "s"

[[command]]
id = "switch"
name = "Switch"
send = "S<k:int>\r"
patterns = ["OK"]
argument = [{ field = "k", lowest = 0, highest = 9 }]

[safe]
commands = [{ command = "switch", values = { k = 0 } }]
run_ends = true
"""

LOW, HIGH = 5, 15
"""Below and above which the talking peer's level is beyond."""

SWITCHED = {"below": 1, "good": 2, "above": 3}
"""What the switch peer is told where the level stands so."""

REACTIONS = f"""
format = 1

[[reaction]]
id = "level"
name = "Level"
channel = "talking-level"
below = {LOW}
above = {HIGH}
do = [
  {{ when = "below", instrument = "switch-peer", command = "switch", values = {{ k = 1 }} }},
  {{ when = "good", instrument = "switch-peer", command = "switch", values = {{ k = 2 }} }},
  {{ when = "above", instrument = "switch-peer", command = "switch", values = {{ k = 3 }} }},
  {{ when = "above", mark = "level above" }},
]
"""

PEERS: dict[str, type[CountingPeer]] = {"asked-n": AskedPeer, "talking-n": TalkingPeer}
"""By the channel that their numbers are in."""
