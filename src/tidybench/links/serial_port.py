"""A serial port, opened with pyserial and locked for us alone."""

import contextlib
import errno
import grp
import os
import select
import termios
import threading
import time
from typing import ClassVar

import serial
import serial.rs485

from tidybench.core.setup import SerialPart
from tidybench.links.holders import holders
from tidybench.links.link import READ_SIZE, WRITE_PATIENCE, LinkError, ModemLines
from tidybench.links.quick import QuickEnd
from tidybench.links.waker import Waker

PSEUDO = "/dev/pts/"
"""Where Linux has its pseudo-terminals."""

PARITY = {
    "none": serial.PARITY_NONE,
    "even": serial.PARITY_EVEN,
    "odd": serial.PARITY_ODD,
    "mark": serial.PARITY_MARK,
    "space": serial.PARITY_SPACE,
}


class SerialLink:
    """A serial port on a POSIX system.

    pyserial opens, sets and locks the port (flock, so another Tidy Bench is kept out too); bytes
    are then read and written on its file descriptor in pieces, since its own reads cost a system
    call a byte (`QuickEnd`: pyserial makes it non-blocking).
    """

    _MODEM: ClassVar[tuple[str, ...]] = ("cts", "dsr", "cd", "ri")

    follows: bytes | None = None

    def __init__(self, device: str, name: str, settings: SerialPart) -> None:
        self._name = name
        self._settings = settings
        if not os.path.exists(device):
            raise LinkError(
                "missing",
                f"There is no port {name}. Plug the adapter in; Tidy Bench reconnects automatically.",
            )
        try:
            self._serial = serial.Serial(exclusive=True, timeout=0)
            self._pseudo = os.path.realpath(device).startswith(PSEUDO)
            prepare(self._serial, settings, self._pseudo)
            self._serial.port = device
            self._serial.open()
        except (serial.SerialException, OSError, ValueError, termios.error) as error:
            raise self._trouble(device, error) from error
        self._fd: int = self._serial.fileno()
        self._end = QuickEnd(self._fd, READ_SIZE)
        self._waker = Waker(self._fd)
        self._line_lock = threading.Lock()
        self._turns_round = settings.rs485 is not None and not self._kernel_turns_round()
        if self._turns_round:
            self._direction(sending=False)

    def _trouble(self, device: str, error: Exception) -> LinkError:
        number = getattr(error, "errno", None)
        if isinstance(error, termios.error):
            number = error.args[0]
        if number is None and error.__context__ is not None:
            number = getattr(error.__context__, "errno", None)
        text = str(error)
        if number in (errno.EAGAIN, errno.EBUSY) or "exclusively lock" in text:
            who = " and ".join(map(str, holders(device))) or "another program"
            return LinkError(
                "in use",
                f"The port {self._name} is held by {who}. Close it there; Tidy Bench reconnects automatically.",
            )
        if number in (errno.EACCES, errno.EPERM):
            return LinkError("forbidden", f"You may not open {self._name}. {remedy(device)}")
        if number in (errno.ENOENT, errno.ENXIO, errno.ENODEV, errno.EIO):
            return LinkError(
                "missing",
                f"There is no port {self._name}. Plug the adapter in; Tidy Bench reconnects automatically.",
            )
        return LinkError("settings", f"The port {self._name} does not take these settings: {text}.")

    def configure(self, settings: SerialPart) -> None:
        """Other settings on the open port. Raises LinkError where it does not take them."""
        try:
            prepare(self._serial, settings, self._pseudo)
        except (serial.SerialException, OSError, ValueError, termios.error) as error:
            raise LinkError(
                "settings", f"The port {self._name} does not take {settings.short}: {error}."
            ) from error
        self._settings = settings

    def shared(self) -> "SerialLink | None":
        # One that pauses between bytes, or turns the line round by itself, sleeps while it sends.
        return None if self._turns_round or self._settings.character_gap_ms else self

    @property
    def descriptor(self) -> int:
        return self._fd

    def read(self, timeout: float | None) -> bytes:
        return self.take() if self._waker.wait(timeout) else b""

    def take(self, most: int = READ_SIZE) -> bytes:
        try:
            data = self._end.read(most)
        except BlockingIOError:
            return b""
        except OSError as error:
            raise self._gone() from error
        if not data:
            raise self._gone()
        return data

    def write(self, data: bytes) -> None:
        rs485 = self._settings.rs485 if self._turns_round else None
        if rs485 is not None:
            self._direction(sending=True)
            time.sleep(rs485.before_ms / 1000)
        gap = self._settings.character_gap_ms / 1000
        if gap:
            for byte in data:
                self._write(bytes([byte]))
                time.sleep(gap)
        else:
            self._write(data)
        if rs485 is not None:
            with contextlib.suppress(serial.SerialException, OSError):
                self._serial.flush()
            time.sleep(rs485.after_ms / 1000)
            self._direction(sending=False)

    def _write(self, data: bytes) -> None:
        until = 0.0
        while data := self.send(data):
            now = time.monotonic()
            until = until or now + WRITE_PATIENCE
            if now >= until:
                raise self.stuck()
            select.select((), (self._fd,), (), until - now)

    def send(self, data: bytes) -> bytes:
        try:
            return data[self._end.write(data) :]
        except BlockingIOError:
            return data
        except OSError as error:
            raise self._gone() from error

    def stuck(self) -> LinkError:
        return LinkError(
            "lost",
            f"The port {self._name} takes no bytes. Check the flow control and that the instrument is on.",
        )

    def _kernel_turns_round(self) -> bool:
        """Let the driver turn the line round where it can: it is exact to the bit."""
        part = self._settings.rs485
        assert part is not None
        wanted = serial.rs485.RS485Settings(
            rts_level_for_tx=part.rts_while_sending == "on",
            rts_level_for_rx=part.rts_while_sending != "on",
            delay_before_tx=part.before_ms / 1000,
            delay_before_rx=part.after_ms / 1000,
        )
        try:
            self._serial.rs485_mode = wanted
        except (ValueError, OSError, serial.SerialException):
            with contextlib.suppress(ValueError, OSError, serial.SerialException):
                self._serial.rs485_mode = None
            return False
        return True

    def _direction(self, sending: bool) -> None:
        part = self._settings.rs485
        assert part is not None
        with contextlib.suppress(OSError, serial.SerialException):  # a port without modem lines
            self._serial.rts = (part.rts_while_sending == "on") == sending

    def waiting(self) -> int:
        with self._line_lock:
            try:
                return int(self._serial.in_waiting) if self._serial.is_open else 0
            except (OSError, TypeError, serial.SerialException):
                return 0

    def modem_lines(self) -> ModemLines | None:
        with self._line_lock:
            try:
                if not self._serial.is_open:
                    return None
                return ModemLines(*(bool(getattr(self._serial, name)) for name in self._MODEM))
            except (OSError, TypeError, serial.SerialException):
                return None  # a pseudo-terminal, or a port that is going away

    def wake(self) -> None:
        self._waker.wake()

    def close(self) -> None:
        if not self._waker.close():
            return
        with self._line_lock, contextlib.suppress(OSError, serial.SerialException):
            self._serial.close()  # an unplugged port complains

    def _gone(self) -> LinkError:
        return LinkError(
            "lost",
            f"The port {self._name} has vanished. Plug it in again; Tidy Bench reconnects automatically.",
        )


def prepare(port: serial.SerialBase, settings: SerialPart, pseudo: bool = False) -> None:
    """Put settings into a pyserial port; one that is open takes them at once.

    A pseudo-terminal keeps neither data bits nor parity, and refuses settings in which only they
    change: it is not asked for them.
    """
    wanted = {
        "baudrate": settings.baud,
        "bytesize": settings.data_bits,
        "parity": PARITY[settings.parity],
        "stopbits": settings.stop_bits,
        "rtscts": settings.flow_control == "rts/cts",
        "xonxoff": settings.flow_control == "xon/xoff",
        "dsrdtr": settings.flow_control == "dsr/dtr",
    }
    if pseudo:
        wanted |= {"bytesize": serial.EIGHTBITS, "parity": serial.PARITY_NONE}
    opened = bool(getattr(port, "is_open", False))
    if not opened:
        wanted |= {"dtr": settings.dtr == "on", "rts": settings.rts == "on"}
    for name, value in wanted.items():
        # Every change on an open port costs a round of settings; on the network, a journey.
        if not opened or getattr(port, name) != value:
            setattr(port, name, value)


def remedy(device: str) -> str:
    """The exact remedy for a port that this user may not open."""
    user = os.environ.get("USER", "YOUR-NAME")
    try:
        found = os.stat(device)
    except OSError:
        return "Ask who administers this computer."
    try:
        group = grp.getgrgid(found.st_gid).gr_name
    except KeyError:
        group = ""
    if group and group != "root" and found.st_mode & 0o060 == 0o060:
        return f"Join the group that owns it: sudo usermod -aG {group} {user}, then log in again."
    return (
        f"Only its owner may: sudo chgrp dialout {device} && sudo chmod 660 {device}, "
        f"then sudo usermod -aG dialout {user} and log in again."
    )
