"""A serial port on the network (RFC 2217), through pyserial."""

import contextlib
import threading
import time

import serial
import serial.rfc2217

from tidybench.core.setup import SerialPart
from tidybench.links.link import READ_SIZE, LinkError, ModemLines
from tidybench.links.serial_port import prepare

STEP = 0.01
"""Seconds after which a waiting read looks whether it was woken, or its time is over."""


class NetworkSerialLink:
    """Bytes arrive through pyserial's own thread; all settings travel to the other end."""

    follows: bytes | None = None

    def __init__(self, address: str, name: str, settings: SerialPart) -> None:
        self._name = name
        self._woken = threading.Event()
        self._lock = threading.Lock()
        self._gap = settings.character_gap_ms / 1000
        try:
            self._serial = serial.rfc2217.Serial(timeout=STEP)
            prepare(self._serial, settings)
            self._serial.port = address
            self._serial.open()
        except serial.SerialException as error:
            text = str(error)
            if "Could not open" in text:
                raise LinkError(
                    "missing",
                    f"Nothing answers at {address}. Check that the device server is on and its address; "
                    "Tidy Bench reconnects automatically.",
                ) from error
            if "parameter change" in text:
                raise LinkError(
                    "settings", f"The device server at {address} does not take {settings.short}."
                ) from error
            raise LinkError(
                "refused",
                f"{address} answers, but not as RFC 2217 says. Another program may have the port there, or it is a raw "
                'TCP port: then use a link of the kind "tcp".',
            ) from error
        except (OSError, ValueError, NotImplementedError) as error:
            raise LinkError("settings", f"The port {name} does not take these settings: {error}.") from error

    def configure(self, settings: SerialPart) -> None:
        """Other settings on the open port. Raises LinkError where it does not take them."""
        try:
            prepare(self._serial, settings)
        except (serial.SerialException, OSError, ValueError) as error:
            raise LinkError(
                "settings", f"The port {self._name} does not take {settings.short}: {error}."
            ) from error

    def shared(self) -> None:
        """Nothing one could wait on together with others."""

    def read(self, timeout: float | None) -> bytes:
        until = None if timeout is None else time.monotonic() + timeout
        while True:
            try:
                # One byte waits, the rest is there already.
                data = bytes(self._serial.read(1))
                if data:
                    more = min(self._serial.in_waiting, READ_SIZE)
                    return data + (bytes(self._serial.read(more)) if more else b"")
            except (serial.SerialException, OSError, TypeError) as error:
                raise self._gone() from error
            if self._woken.is_set():
                self._woken.clear()
                return b""
            if until is not None and time.monotonic() >= until:
                return b""

    def write(self, data: bytes) -> None:
        try:
            if not self._gap:
                self._serial.write(data)
                return
            for byte in data:
                self._serial.write(bytes([byte]))
                time.sleep(self._gap)
        except (serial.SerialException, OSError) as error:
            raise self._gone() from error

    def waiting(self) -> int:
        with contextlib.suppress(serial.SerialException):
            return int(self._serial.in_waiting)
        return 0

    def modem_lines(self) -> ModemLines | None:
        with self._lock:
            try:
                s = self._serial
                return ModemLines(cts=bool(s.cts), dsr=bool(s.dsr), dcd=bool(s.cd), ri=bool(s.ri))
            except (serial.SerialException, OSError, TypeError, AttributeError):
                return None  # the other end has not told them

    def wake(self) -> None:
        self._woken.set()

    def close(self) -> None:
        with self._lock, contextlib.suppress(serial.SerialException, OSError, RuntimeError):
            self._serial.close()

    def _gone(self) -> LinkError:
        return LinkError("lost", f"The connection to {self._name} is lost. It is taken up again by itself.")
