"""Ends that are only written to: where values are handed on."""

import contextlib
import os
import socket
from pathlib import Path
from typing import Protocol

from tidybench.core.setup import SerialPart, TcpPart
from tidybench.core.setup.destinations import ToFile, ToTcp, ToUdp
from tidybench.links.link import LinkError
from tidybench.links.opening import open_serial
from tidybench.links.tcp import TcpLink

To = SerialPart | ToTcp | ToUdp | ToFile


class OutletEnd(Protocol):
    """An open end. One thread owns it."""

    def write(self, data: bytes) -> None:
        """Write all of it. Raises LinkError."""

    def read(self, timeout: float | None) -> bytes:
        """What came back. Raises LinkError."""

    def close(self) -> None:
        """Give it up; never raises."""


class UdpOutlet:
    """Datagrams to one host. A datagram that nobody takes is lost, as UDP is."""

    def __init__(self, part: ToUdp) -> None:
        try:
            self._target = (socket.gethostbyname(part.host), part.udp_port)
        except OSError as error:
            raise LinkError("missing", f"There is no computer or device called {part.host}.") from error
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setblocking(False)

    def write(self, data: bytes) -> None:
        """One datagram."""
        try:
            self._socket.sendto(data, self._target)
        except BlockingIOError:
            pass
        except OSError as error:
            raise LinkError("lost", f"Nothing can be sent to {self._target[0]}: {error.strerror}.") from error

    def read(self, timeout: float | None) -> bytes:
        """What came back."""
        try:
            return self._socket.recv(65_535)
        except OSError:
            return b""

    def close(self) -> None:
        """Give it up."""
        self._socket.close()


class FileOutlet:
    """A file that grows."""

    def __init__(self, part: ToFile) -> None:
        self._path = Path(part.path).expanduser()
        try:
            self._fd = os.open(self._path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o644)
        except OSError as error:
            raise LinkError("missing", f"{self._path} cannot be written: {error.strerror}.") from error

    def write(self, data: bytes) -> None:
        """All of it, or nothing."""
        size = os.fstat(self._fd).st_size
        try:
            while data:
                data = data[os.write(self._fd, data) :]
        except OSError as error:
            with contextlib.suppress(OSError):
                os.ftruncate(self._fd, size)
            raise LinkError("lost", f"{self._path} cannot be written: {error.strerror}.") from error

    def read(self, timeout: float | None) -> bytes:
        """A file says nothing."""
        return b""

    def close(self) -> None:
        """Give it up."""
        with contextlib.suppress(OSError):
            os.close(self._fd)


def open_outlet(to: To, simulated: Path | None) -> OutletEnd:
    """Open where a destination is. Raises LinkError with a sentence."""
    if isinstance(to, SerialPart):
        return open_serial(to, simulated)
    if isinstance(to, ToTcp):
        return TcpLink(TcpPart(kind="tcp", host=to.host, tcp_port=to.tcp_port))
    return UdpOutlet(to) if isinstance(to, ToUdp) else FileOutlet(to)


def words_of(to: To) -> str:
    """Where it is, as it is told."""
    if isinstance(to, SerialPart):
        return f"{to.port}, {to.short}"
    if isinstance(to, ToTcp):
        return f"{to.host}, TCP port {to.tcp_port}"
    return f"{to.host}, UDP port {to.udp_port}" if isinstance(to, ToUdp) else to.path
