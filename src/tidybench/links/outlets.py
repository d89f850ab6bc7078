"""Ends that are only written to: where values are handed on."""

import contextlib
import os
import socket
import termios
import tty
import zlib
from pathlib import Path
from typing import Protocol, runtime_checkable

from tidybench.core.setup import SerialPart, TcpPart
from tidybench.core.setup.destinations import ToFile, ToModbus, ToMqtt, ToPty, ToTcp, ToTcpClients, ToUdp
from tidybench.links.link import LinkError
from tidybench.links.listening import listening
from tidybench.links.opening import open_serial
from tidybench.links.register_server import RegisterServer
from tidybench.links.tcp import TcpLink

To = SerialPart | ToTcp | ToTcpClients | ToUdp | ToPty | ToFile | ToMqtt | ToModbus

MOST_CLIENTS = 32
"""Connections that are kept at a time."""


class NotNow(Exception):
    """What was to be written is kept for later. The message says why the other end is away; "" where it is only not done with what it has."""


class OutletEnd(Protocol):
    """An open end. One thread owns it."""

    def write(self, data: bytes) -> None:
        """Write all of it. Raises LinkError, BlockingIOError where nobody takes it just now: it is dropped; and NotNow where it is to be kept."""

    def read(self, timeout: float | None) -> bytes:
        """What came back. Raises LinkError, and NotNow while the other end is away."""

    def close(self) -> None:
        """Give it up; never raises."""


@runtime_checkable
class Confirming(Protocol):
    """An end whose other side confirms what it has."""

    @property
    def unconfirmed(self) -> int:
        """Messages that it has not confirmed yet."""


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


class TcpServerOutlet:
    """Whoever connects gets all that comes from then on; one that is too slow is cut off, and may connect again."""

    def __init__(self, part: ToTcpClients) -> None:
        self._server = listening(part.listen_on, part.tcp_port)
        self._clients: list[socket.socket] = []

    def _accept(self) -> None:
        with contextlib.suppress(BlockingIOError):
            while len(self._clients) < MOST_CLIENTS:
                client, _ = self._server.accept()
                client.setblocking(False)
                client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                self._clients.append(client)

    def write(self, data: bytes) -> None:
        """To everybody who is there."""
        self._accept()
        if not self._clients:
            raise BlockingIOError
        for client in self._clients[:]:
            try:
                whole = client.send(data) == len(data)
            except OSError:
                whole = False
            if not whole:  # half a message must not be followed by the next one
                self._clients.remove(client)
                client.close()

    def read(self, timeout: float | None) -> bytes:
        """What any of them says."""
        self._accept()
        found = b""
        for client in self._clients[:]:
            try:
                data = client.recv(65_536)
            except BlockingIOError:
                continue
            except OSError:
                data = b""
            if not data:
                self._clients.remove(client)
                client.close()
            found += data
        return found

    def close(self) -> None:
        """Give all of them up."""
        for one in (*self._clients, self._server):
            one.close()


class PtyOutlet:
    """A pseudo-terminal of our own. Where nobody reads what is in it is thrown away, so that whoever opens it gets what is new."""

    def __init__(self, part: ToPty) -> None:
        self._path = Path(part.path).expanduser()
        self._master, self._slave = os.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        try:
            if self._path.is_symlink():
                self._path.unlink()
            self._path.symlink_to(os.ttyname(self._slave))
        except OSError as error:
            self.close()
            raise LinkError("missing", f"The link {self._path} cannot be made: {error.strerror}.") from error

    def write(self, data: bytes) -> None:
        """Whole, or not at all."""
        if os.write(self._master, data) < len(data):
            termios.tcflush(self._slave, termios.TCIFLUSH)
            raise BlockingIOError

    def read(self, timeout: float | None) -> bytes:
        """What came back."""
        try:
            return os.read(self._master, 65_536)
        except OSError:
            return b""

    def close(self) -> None:
        """Give it up, and its link."""
        with contextlib.suppress(OSError):
            if self._path.is_symlink() and os.readlink(self._path) == os.ttyname(self._slave):
                self._path.unlink()
        for one in (self._master, self._slave):
            with contextlib.suppress(OSError):
                os.close(one)


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


def open_outlet(to: To, simulated: Path | None, name: str) -> OutletEnd:
    """Open where the destination of this name is. Raises LinkError with a sentence."""
    host = str(getattr(to, "host", None) or getattr(to, "listen_on", ""))
    try:
        host.encode("idna")
    except UnicodeError as error:
        raise LinkError("missing", f"There is no computer or device called {host}.") from error
    if isinstance(to, SerialPart):
        return open_serial(to, simulated)
    if isinstance(to, ToTcp):
        return TcpLink(TcpPart(kind="tcp", host=to.host, tcp_port=to.tcp_port))
    if isinstance(to, ToTcpClients):
        return TcpServerOutlet(to)
    if isinstance(to, ToPty):
        return PtyOutlet(to)
    if isinstance(to, ToModbus):
        return RegisterServer(to)
    if isinstance(to, ToMqtt):
        from tidybench.links.mqtt import (
            MqttOutlet,
        )  # only where there is a broker: every start would wait for its import

        # Another bench of this computer, or another destination of this one, is another client: a broker cuts off the elder of two alike.
        return MqttOutlet(to, f"{name}-{zlib.crc32(str(simulated).encode()):08x}")
    return UdpOutlet(to) if isinstance(to, ToUdp) else FileOutlet(to)


def words_of(to: To) -> str:
    """Where it is, as it is told."""
    if isinstance(to, SerialPart):
        return f"{to.port}, {to.short}"
    if isinstance(to, ToTcp):
        return f"{to.host}, TCP port {to.tcp_port}"
    if isinstance(to, ToTcpClients):
        return f"who connects to {to.listen_on}, TCP port {to.tcp_port}"
    if isinstance(to, ToModbus):
        return f"who asks {to.listen_on}, TCP port {to.tcp_port}, for registers"
    if isinstance(to, ToMqtt):
        return f"broker {to.host}, TCP port {to.tcp_port}{' with TLS' if to.tls else ''}, topic {to.topic}"
    return f"{to.host}, UDP port {to.udp_port}" if isinstance(to, ToUdp) else to.path
