"""A simulated instrument on a pseudo-terminal."""

import os
import pty
import select
import termios
import threading
import time
import tty
from pathlib import Path

from tidybench.standins.uart import misread

BAUDS = {
    getattr(termios, name): int(name[1:]) for name in dir(termios) if name[0] == "B" and name[1:].isdigit()
}
FAULTS = ("unplugged", "silent", "garbled", "cut short", "doubled", "late", "dashes", "stuck", "flood")


class Device:
    """One stand-in: hears queries, takes its time, answers at its baud rate.

    Subclasses give `name`, `baud`, `query_end`, `answer_time` and `answer`. Bytes are paced as the wire would:
    byte k of a reply is out k+1 character times after it began. When the port is set to another
    baud rate, the device understands nothing, and what it sends of itself arrives garbled.
    A pseudo-terminal blocks its writer when it is full, a wire does not: what does not fit is
    counted in `overrun` and dropped. `sent` keeps what was answered, for tests.
    """

    name = "device"
    baud = 9600
    bits_per_character = 10
    query_end = b"\r"
    answer_time = 0.02
    late_by = 0.8

    def __init__(self, folder: Path) -> None:
        self._link = folder / self.name
        self._stop = threading.Event()
        self._faults: set[str] = set()
        self._thread = threading.Thread(target=self._run, name=f"stand-in {self.name}", daemon=True)
        self._master = -1
        self._heard = b""
        self.overrun = 0
        self.queries = 0
        self.sent: list[bytes] = []
        self._stuck: bytes | None = None

    def answer(self, query: bytes) -> bytes | None:
        """The reply to one query, or None for silence."""
        raise NotImplementedError

    @property
    def port(self) -> str:
        """The path a client opens."""
        return str(self._link)

    @property
    def faults(self) -> frozenset[str]:
        """The faults it shows now."""
        return frozenset(self._faults)

    def fault(self, name: str, on: bool = True) -> None:
        """Show a fault, or stop showing it."""
        if name not in FAULTS:
            raise ValueError(f"no fault “{name}”; known are {', '.join(FAULTS)}")
        (self._faults.add if on else self._faults.discard)(name)

    def start(self) -> None:
        """Plug in and begin to listen."""
        self._plug_in()
        self._thread.start()

    def stop(self) -> None:
        """Pull the plug for good."""
        self._stop.set()
        if self._thread.ident is not None:
            self._thread.join(5)
        self._pull()

    def _plug_in(self) -> None:
        self._master, slave = pty.openpty()
        tty.setraw(slave)
        os.set_blocking(self._master, False)
        path = os.ttyname(slave)
        os.close(slave)  # or this process would count among the port's holders
        temporary = self._link.with_suffix(".new")
        temporary.unlink(missing_ok=True)
        temporary.symlink_to(path)
        temporary.replace(self._link)
        self._heard = b""

    def _pull(self) -> None:
        self._link.unlink(missing_ok=True)
        if self._master >= 0:
            os.close(self._master)
        self._master = -1

    def _client_baud(self) -> int:
        return BAUDS.get(termios.tcgetattr(self._master)[5], 0)

    def _run(self) -> None:
        while not self._stop.is_set():
            if "unplugged" in self._faults:
                if self._master >= 0:
                    self._pull()
                self._stop.wait(0.02)
                continue
            if self._master < 0:
                self._plug_in()
            ready = select.select([self._master], (), (), 0.02)[0]
            try:
                if ready:
                    self._listen(os.read(self._master, 4096))
                else:
                    self.idle()
            except BlockingIOError:
                continue
            except OSError:
                self._stop.wait(0.02)  # nobody has the port open

    def idle(self) -> None:
        """Called when nothing was heard for a moment: a device that talks on its own talks here."""
        if "flood" in self._faults:
            self.send(b"#" * 64)

    def _listen(self, data: bytes) -> None:
        arrived = time.monotonic() + len(data) * self.bits_per_character / self.baud
        if self._client_baud() != self.baud:
            self._heard = b""
            # A device that hears noise may answer with some: enough for a technician to see bytes.
            self.send(self.noise())
            return
        self._heard = (self._heard + data)[-4096:]
        *queries, self._heard = self._heard.split(self.query_end)
        for query in queries:
            self.queries += 1
            reply = self.answer(query)
            if reply is None or "silent" in self._faults:
                continue
            delay = self.answer_time + (self.late_by if "late" in self._faults else 0)
            self._stop.wait(max(0.0, arrived + delay - time.monotonic()))
            self._reply(reply)

    def noise(self) -> bytes:
        """What it sends when it cannot make out what it hears: its error reply, if it has one."""
        return b""

    def _reply(self, reply: bytes) -> None:
        if "stuck" in self._faults:
            self._stuck = reply = self._stuck or reply
        else:
            self._stuck = None
        if "cut short" in self._faults:
            reply = reply[: len(reply) // 2]
        if "doubled" in self._faults:
            reply += reply
        if "garbled" in self._faults:
            reply = bytes(b ^ 0x5A for b in reply)
        self.sent.append(reply)
        self.send(reply)

    def send(self, data: bytes) -> None:
        """Put bytes on the wire, one character time each."""
        if not data:
            return
        client = self._client_baud()
        character = self.bits_per_character / self.baud
        if client and client != self.baud:
            data = misread(data, self.baud, client)
        began = time.monotonic()
        done = 0
        while done < len(data) and not self._stop.is_set() and "unplugged" not in self._faults:
            due = min(int((time.monotonic() - began) / character), len(data))
            if due <= done:
                time.sleep(max(0.0, began + (done + 1) * character - time.monotonic()))
                continue
            try:
                done += os.write(self._master, data[done:due])
            except BlockingIOError:
                self.overrun += due - done
                done = due
