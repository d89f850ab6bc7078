"""A simulated instrument on a line of its own."""

import threading
import time
from pathlib import Path
from typing import ClassVar

from tidybench.standins.loop import Loop
from tidybench.standins.network_port import NetworkPort
from tidybench.standins.pty_port import PtyPort
from tidybench.standins.uart import LineFormat, misread

COMMON = ("unplugged", "restarted", "silent", "garbled", "cut short", "doubled", "stuck", "echo", "flood")
"""Faults that every stand-in can show."""

OFF_FOR = 0.7
"""Seconds a restart takes."""


class Device:
    """One stand-in: hears queries, takes its time, answers at its baud rate; or talks on its own.

    Subclasses give `name`, `line`, and either `query_end` with `answer`, or `every` with `talk`.
    Bytes are paced as the wire would. When the port is set otherwise than the device, it hears noise, and
    what it sends arrives garbled. What the port cannot take is counted in `overrun`. `sent` keeps
    what was sent, for tests.
    """

    name: ClassVar[str] = "device"
    title: ClassVar[str] = "Device"
    line: ClassVar[LineFormat] = LineFormat(9600)
    networked: ClassVar[bool] = False
    more_faults: ClassVar[tuple[str, ...]] = ()
    has_key: ClassVar[bool] = False
    query_end: ClassVar[bytes] = b"\r"
    answer_time: ClassVar[float] = 0.02
    late_by: ClassVar[float] = 0.8
    every: ClassVar[float] = 0.0
    most_kept: ClassVar[int] = 5000

    def __init__(self, folder: Path, loop: Loop) -> None:
        self.loop = loop
        path = folder / self.name
        self._port = NetworkPort(path, self.line) if self.networked else PtyPort(path, self.line)
        self._stop = threading.Event()
        self._faults: set[str] = set()
        self._thread = threading.Thread(target=self._run, name=f"stand-in {self.name}", daemon=True)
        self._heard = b""
        self._off_until = 0.0
        self._next_talk = 0.0
        self._key = threading.Event()
        self._stuck: bytes | None = None
        self.overrun = 0
        self.queries = 0
        self.sent: list[bytes] = []
        self.factory()

    # ---- what a device is

    def factory(self) -> None:
        """Take up the factory settings: at a restart."""

    def power_up(self) -> bytes:
        """What it says when it has been switched on."""
        return b""

    def answer(self, query: bytes) -> bytes | None:
        """The reply to one query, or None for silence."""
        return None

    def talk(self) -> bytes:
        """What it says on its own, every `every` seconds, or upon its key."""
        return b""

    def noise(self) -> bytes:
        """What it sends when it cannot make out what it hears: its error reply, if it has one."""
        return b""

    def split(self, heard: bytes) -> tuple[list[bytes], bytes]:
        """Whole queries in what was heard, and the rest."""
        *queries, rest = heard.split(self.query_end)
        return queries, rest

    def spoil_check(self, reply: bytes) -> bytes:
        """The same message with a wrong checksum."""
        return reply

    # ---- faults and keys

    @classmethod
    def can_show(cls) -> tuple[str, ...]:
        """The faults that make sense for this device."""
        return COMMON + cls.more_faults

    @property
    def port(self) -> str:
        """What a client opens."""
        return self._port.address

    @property
    def faults(self) -> frozenset[str]:
        """The faults it shows now."""
        return frozenset(self._faults)

    def fault(self, name: str, on: bool = True) -> None:
        """Show a fault, or stop showing it. A restart happens once."""
        if name not in self.can_show():
            raise ValueError(f"no fault “{name}”; known are {', '.join(self.can_show())}")
        if name == "restarted":
            if on:
                self._off_until = time.monotonic() + OFF_FOR
            return
        (self._faults.add if on else self._faults.discard)(name)

    def press_key(self) -> None:
        """Its operator presses its key."""
        self._key.set()

    # ---- its life

    def start(self) -> None:
        """Plug in and begin to listen."""
        self._port.plug_in()
        self._next_talk = time.monotonic() + self.every
        self._thread.start()

    def stop(self) -> None:
        """Pull the plug for good."""
        self._stop.set()
        if self._thread.ident is not None:
            self._thread.join(5)
        self._port.pull()

    def _run(self) -> None:
        while not self._stop.is_set():
            if "unplugged" in self._faults:
                if self._port.plugged_in:
                    self._port.pull()
                self._stop.wait(0.02)
                continue
            if not self._port.plugged_in:
                self._port.plug_in()
                self._heard = b""
            if self._off_until:
                self._restart()
            data = self._port.read(self._patience())
            if data:
                self._listen(data)
            self._speak_up()

    def _restart(self) -> None:
        while time.monotonic() < self._off_until and not self._stop.is_set():
            self._port.read(0.02)  # what is sent to a device that is off is lost
        self._off_until = 0.0
        self._heard = b""
        self.factory()
        self._next_talk = time.monotonic() + self.every
        self.send(self.power_up())

    def _patience(self) -> float:
        if "flood" in self._faults:
            return 0.0
        return min(0.02, max(0.0, self._next_talk - time.monotonic())) if self.every else 0.02

    def _speak_up(self) -> None:
        if "flood" in self._faults:
            self.send(self.talk() or b"#" * 64)
            return
        pressed = self._key.is_set() and self.has_key
        now = time.monotonic()
        if pressed or (self.every and now >= self._next_talk):
            self._key.clear()
            # On its grid; after a pause it does not catch up.
            self._next_talk = max(self._next_talk + self.every, now) if self.every else 0.0
            if "silent" not in self._faults:
                self.emit(self.talk())

    def _listen(self, data: bytes) -> None:
        arrived = time.monotonic() + len(data) * self.line.character
        client = self._port.client()
        if "echo" in self._faults:
            self.send(data)
        if client is not None and misread(data, client, self.line, strict=True) != data:
            # A device that hears noise may answer with some: enough for a technician to see bytes.
            self._heard = b""
            self.send(self.noise())
            return
        queries, self._heard = self.split((self._heard + data)[-4096:])
        for query in queries:
            self.queries += 1
            reply = self.answer(query)
            if reply is None or "silent" in self._faults:
                continue
            delay = self.answer_time + (self.late_by if "late" in self._faults else 0)
            self._stop.wait(max(0.0, arrived + delay - time.monotonic()))
            self.emit(reply)

    def emit(self, reply: bytes) -> None:
        """Send a message, spoilt by the faults that are on."""
        if "stuck" in self._faults:
            self._stuck = reply = self._stuck or reply
        else:
            self._stuck = None
        if "wrong checksum" in self._faults:
            reply = self.spoil_check(reply)
        if "cut short" in self._faults:
            reply = reply[: len(reply) // 2]
        if "doubled" in self._faults:
            reply += reply
        if "garbled" in self._faults:
            reply = bytes(b ^ 0xDA for b in reply)
        self.sent.append(reply)
        del self.sent[: -self.most_kept]
        self.send(reply)

    def send(self, data: bytes) -> None:
        """Put bytes on the wire at its pace."""
        if not data:
            return
        client = self._port.client()
        character = self.line.character
        if client is not None and client != self.line:
            data = misread(data, self.line, client)
        # Fast lines go in pieces of two milliseconds: nobody can wait for a hundred microseconds.
        piece = max(1, int(0.002 / character))
        began = time.monotonic()
        done = 0
        while done < len(data) and not self._stop.is_set() and "unplugged" not in self._faults:
            due = min(int((time.monotonic() - began) / character), len(data))
            wanted = min(done + piece, len(data))
            if due < wanted:
                time.sleep(max(0.0, began + wanted * character - time.monotonic()))
                continue
            self.overrun += self._port.write(data[done:due])
            done = due
