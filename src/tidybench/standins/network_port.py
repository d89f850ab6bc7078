"""A stand-in's port on the network (RFC 2217), on loopback: here all settings and modem lines are known."""

import contextlib
import select
import socket
from pathlib import Path

import serial
import serial.rfc2217

from tidybench.standins.uart import LineFormat, Parity

PARITIES: dict[str, Parity] = {
    serial.PARITY_NONE: "none",
    serial.PARITY_EVEN: "even",
    serial.PARITY_ODD: "odd",
    serial.PARITY_MARK: "mark",
    serial.PARITY_SPACE: "space",
}


class _Settings:
    """What the protocol sets and asks of a serial port."""

    def __init__(self) -> None:
        self.baudrate = 9600
        self.bytesize = 8
        self.parity = serial.PARITY_NONE
        self.stopbits: float = 1
        self.rtscts = self.xonxoff = self.dsrdtr = self.break_condition = False
        self.dtr = self.rts = True
        self.cts = self.dsr = self.cd = True
        self.ri = False

    def reset_input_buffer(self) -> None:
        """Nothing is kept."""

    def reset_output_buffer(self) -> None:
        """Nothing is kept."""


class _Sender:
    def __init__(self, connection: socket.socket) -> None:
        self._connection = connection

    def write(self, data: bytes) -> None:
        with contextlib.suppress(OSError):
            self._connection.sendall(data)


class NetworkPort:
    """A device server with one port; its address stands in a file under the stand-in's name."""

    def __init__(self, link: Path, own: LineFormat) -> None:
        self._link, self._own = link, own
        self._listener: socket.socket | None = None
        self._connection: socket.socket | None = None
        self._settings = _Settings()
        self._manager: serial.rfc2217.PortManager | None = None

    @property
    def address(self) -> str:
        """What a client opens."""
        assert self._listener is not None
        return f"rfc2217://127.0.0.1:{self._listener.getsockname()[1]}"

    def plug_in(self) -> None:
        """Listen."""
        self._listener = socket.create_server(("127.0.0.1", 0))
        self._listener.setblocking(False)
        temporary = self._link.with_suffix(".new")
        temporary.write_text(self.address + "\n", "utf-8")
        temporary.replace(self._link)

    def pull(self) -> None:
        """Take it away."""
        self._link.unlink(missing_ok=True)
        self._drop()
        if self._listener is not None:
            self._listener.close()
            self._listener = None

    def _drop(self) -> None:
        if self._connection is not None:
            self._connection.close()
        self._connection = self._manager = None

    @property
    def plugged_in(self) -> bool:
        return self._listener is not None

    def client(self) -> LineFormat | None:
        """How the client has set its end; None for nobody there."""
        if self._connection is None:
            return None
        s = self._settings
        return LineFormat(s.baudrate, s.bytesize, PARITIES[s.parity], s.stopbits)

    def read(self, seconds: float) -> bytes:
        """What came within `seconds`, the protocol's own bytes taken out."""
        assert self._listener is not None
        watched = [self._listener if self._connection is None else self._connection]
        if not select.select(watched, (), (), max(0.0, seconds))[0]:
            return b""
        if self._connection is None or self._manager is None:
            with contextlib.suppress(BlockingIOError):
                self._connection, _ = self._listener.accept()
                self._connection.settimeout(0.5)
                self._settings = _Settings()
                self._manager = serial.rfc2217.PortManager(
                    self._settings,  # type: ignore[arg-type]
                    _Sender(self._connection),  # type: ignore[arg-type]
                )
            return b""
        try:
            data = self._connection.recv(4096)
        except OSError:
            data = b""
        if not data:
            self._drop()
            return b""
        return b"".join(self._manager.filter(data))

    def write(self, data: bytes) -> int:
        """Write; gives how many bytes were lost."""
        if self._connection is None or self._manager is None:
            return 0  # a wire into the air loses nothing that anyone waits for
        try:
            self._connection.sendall(b"".join(self._manager.escape(data)))
        except OSError:
            self._drop()
        return 0
