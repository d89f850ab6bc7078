"""A stand-in's port as a pseudo-terminal, linked under its name."""

import contextlib
import os
import pty
import select
import termios
import time
import tty
from pathlib import Path

from tidybench.standins.uart import LineFormat

BAUDS = {
    getattr(termios, name): int(name[1:]) for name in dir(termios) if name[0] == "B" and name[1:].isdigit()
}


class PtyPort:
    """The master side. Parity and data bits are not kept by a pseudo-terminal: the client's are taken
    to be right, its baud rate and stop bits are read."""

    def __init__(self, link: Path, own: LineFormat) -> None:
        self._link, self._own = link, own
        self._master = -1

    @property
    def address(self) -> str:
        """What a client opens."""
        return str(self._link)

    def plug_in(self) -> None:
        """Make the port."""
        self._master, slave = pty.openpty()
        tty.setraw(slave)
        os.set_blocking(self._master, False)
        path = os.ttyname(slave)
        os.close(slave)  # or this process would count among the port's holders
        temporary = self._link.with_suffix(".new")
        temporary.unlink(missing_ok=True)
        temporary.symlink_to(path)
        temporary.replace(self._link)

    def pull(self) -> None:
        """Take it away."""
        self._link.unlink(missing_ok=True)
        if self._master >= 0:
            os.close(self._master)
        self._master = -1

    @property
    def plugged_in(self) -> bool:
        return self._master >= 0

    def client(self) -> LineFormat | None:
        """How the client has set its end."""
        settings = termios.tcgetattr(self._master)
        baud = BAUDS.get(settings[5], 0)
        if not baud:
            return None
        stop = 2.0 if settings[2] & termios.CSTOPB else 1.0
        # One stop bit more or less is no fault: the line rests anyway.
        stop = self._own.stop_bits if {stop, self._own.stop_bits} == {1.0, 2.0} else stop
        return LineFormat(baud, self._own.data_bits, self._own.parity, stop)

    def read(self, seconds: float) -> bytes:
        """What came within `seconds`; b"" for nothing, or nobody there."""
        ready = select.select([self._master], (), (), max(0.0, seconds))[0]
        if not ready:
            return b""
        try:
            return os.read(self._master, 4096)
        except BlockingIOError:
            return b""
        except OSError:  # nobody has the port open
            time.sleep(min(seconds, 0.02))
            return b""

    def write(self, data: bytes) -> int:
        """Write what fits; gives how many bytes were lost. A pseudo-terminal blocks its writer when it is
        full, a wire does not."""
        with contextlib.suppress(BlockingIOError):
            return len(data) - os.write(self._master, data)
        return len(data)
