"""A serial port, opened with pyserial and locked for us alone."""

import contextlib
import errno
import os
import select
import threading
import time
from typing import ClassVar

import serial

from tidybench.core.setup import LinkPart
from tidybench.links.holders import holders
from tidybench.links.link import LinkError

READ_SIZE = 4096
"""Bytes taken in one read: small enough that what follows never keeps the interpreter for long."""

LONG = 0.02
"""Seconds from which on a wait need not be exact in one call."""

WRITE_PATIENCE = 2.0
"""Seconds a write may stay blocked before the link counts as lost."""


class SerialLink:
    """A serial port on a POSIX system.

    pyserial opens, sets and locks the port (flock, so another Tidy Bench is kept out too); bytes
    are then read and written on its file descriptor in pieces, since its own reads cost a system
    call a byte.
    """

    _PARITY: ClassVar[dict[str, str]] = {
        "none": serial.PARITY_NONE,
        "even": serial.PARITY_EVEN,
        "odd": serial.PARITY_ODD,
        "mark": serial.PARITY_MARK,
        "space": serial.PARITY_SPACE,
    }

    def __init__(self, device: str, name: str, settings: LinkPart) -> None:
        self._name = name
        if not os.path.exists(device):
            raise LinkError(
                "missing", f"There is no port {name}. Plug the adapter in; it is taken up by itself."
            )
        try:
            self._serial = serial.Serial(
                device,
                settings.baud,
                bytesize=settings.data_bits,
                parity=self._PARITY[settings.parity],
                stopbits=settings.stop_bits,
                rtscts=settings.flow_control == "rts/cts",
                xonxoff=settings.flow_control == "xon/xoff",
                dsrdtr=settings.flow_control == "dsr/dtr",
                timeout=0,
                exclusive=True,
            )
        except (serial.SerialException, OSError, ValueError) as error:
            raise self._trouble(device, error) from error
        self._fd: int = self._serial.fileno()
        self._wake_in, self._wake_out = os.pipe()
        os.set_blocking(self._wake_in, False)
        os.set_blocking(self._wake_out, False)
        self._lock = threading.Lock()
        self._closed = False
        self._watched = [self._fd, self._wake_in]
        self._poll = select.poll()
        for fd in self._watched:
            self._poll.register(fd, select.POLLIN)

    def _trouble(self, device: str, error: Exception) -> LinkError:
        number = getattr(error, "errno", None)
        if number is None and error.__context__ is not None:
            number = getattr(error.__context__, "errno", None)
        text = str(error)
        if number in (errno.EAGAIN, errno.EBUSY) or "exclusively lock" in text:
            who = " and ".join(map(str, holders(device))) or "another program"
            return LinkError(
                "in use", f"The port {self._name} is held by {who}. Close it there; it is taken up by itself."
            )
        if number in (errno.EACCES, errno.EPERM):
            return LinkError(
                "forbidden",
                f"You may not open {self._name}. Join the group that owns it: "
                f"sudo usermod -aG dialout {os.environ.get('USER', 'YOUR-NAME')}, then log in again.",
            )
        if number in (errno.ENOENT, errno.ENXIO, errno.ENODEV, errno.EIO):
            return LinkError(
                "missing", f"There is no port {self._name}. Plug the adapter in; it is taken up by itself."
            )
        return LinkError("settings", f"The port {self._name} does not take these settings: {text}.")

    def read(self, timeout: float | None) -> bytes:
        if timeout is None or timeout > LONG:
            # Cheaper than select, but it counts in milliseconds: the last two are left to the next call.
            found = self._poll.poll(None if timeout is None else int(timeout * 1000) - 2)
            ready = [fd for fd, _ in found]
        else:
            ready = select.select(self._watched, (), (), timeout)[0]
        if not ready:
            return b""
        if self._fd not in ready:
            self._drain_wake()
            return b""
        try:
            data = os.read(self._fd, READ_SIZE)
        except BlockingIOError:
            return b""
        except OSError as error:
            raise self._gone() from error
        if not data:
            raise self._gone()
        return data

    def write(self, data: bytes) -> None:
        until = 0.0
        while data:
            try:
                data = data[os.write(self._fd, data) :]
            except BlockingIOError:
                now = time.monotonic()
                until = until or now + WRITE_PATIENCE
                if now >= until:
                    raise LinkError(
                        "lost",
                        f"The port {self._name} takes no bytes. Check the flow control and that the instrument is on.",
                    ) from None
                select.select((), (self._fd,), (), until - now)
            except OSError as error:
                raise self._gone() from error

    def wake(self) -> None:
        with self._lock:
            # A closed descriptor's number may be another file's by now.
            if not self._closed:
                with contextlib.suppress(BlockingIOError):  # full: it wakes anyway
                    os.write(self._wake_out, b"!")

    def close(self) -> None:
        with self._lock:
            if self._closed:
                return
            self._closed = True
            os.close(self._wake_in)
            os.close(self._wake_out)
        with contextlib.suppress(OSError, serial.SerialException):  # an unplugged port complains
            self._serial.close()

    def _drain_wake(self) -> None:
        try:
            os.read(self._wake_in, 4096)
        except BlockingIOError:
            pass

    def _gone(self) -> LinkError:
        return LinkError(
            "lost", f"The port {self._name} has vanished. Plug it in again; it is taken up by itself."
        )
