"""UDP: datagrams in and out."""

import errno
import logging
import socket

from tidybench.core.setup import UdpPart
from tidybench.links.link import READ_SIZE, LinkError
from tidybench.links.socket_end import SocketEnd

logger = logging.getLogger(__name__)

DATAGRAM = 65_535


class UdpLink(SocketEnd):
    """Listens on a port. Where a host is named it sends there, and takes datagrams from there alone; else it sends to whoever
    sent last. `strangers`: datagrams of others that were dropped."""

    def __init__(self, settings: UdpPart) -> None:
        self._name = f"UDP port {settings.listen_port}"
        self._target: tuple[str, int] | None = None
        self.strangers = 0
        try:
            if settings.host is not None and settings.udp_port is not None:
                self._target = (socket.gethostbyname(settings.host), settings.udp_port)
            self._fixed = self._target is not None
            end = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            end.bind((settings.listen_on, settings.listen_port))
        except socket.gaierror as error:
            raise LinkError("missing", f"There is no computer or device called {settings.host}.") from error
        except OSError as error:
            if error.errno == errno.EADDRINUSE:
                raise LinkError(
                    "in use", f"Another program listens on {self._name} already. Close it there."
                ) from error
            if error.errno in (errno.EACCES, errno.EPERM):
                raise LinkError(
                    "forbidden", f"You may not listen on {self._name}: ports below 1024 are the system's."
                ) from error
            raise LinkError("settings", f"{self._name} cannot be opened: {error.strerror}.") from error
        super().__init__(end)

    def shared(self) -> "UdpLink | None":
        return self

    def take(self, most: int = READ_SIZE) -> bytes:
        try:
            data, sender = self._socket.recvfrom(DATAGRAM)
        except (BlockingIOError, ConnectionRefusedError):
            return b""  # refused: nobody took our last datagram; the tape shows no reply
        if not self._fixed:
            self._target = sender
        elif self._target is not None and sender[0] != self._target[0]:
            if not self.strangers:
                logger.warning(
                    "%s: datagrams from %s are dropped, it is not the host named", self._name, sender[0]
                )
            self.strangers += 1
            return b""
        return data

    def write(self, data: bytes) -> None:
        if self._target is None:
            return  # nobody has sent yet: there is nobody to send to, and no reply will come
        try:
            self._socket.sendto(data, self._target)
        except OSError as error:
            raise LinkError("lost", f"Nothing can be sent to {self._target[0]}: {error.strerror}.") from error

    def send(self, data: bytes) -> bytes:
        self.write(data)  # a datagram goes whole or not at all
        return b""

    def stuck(self) -> LinkError:
        return LinkError("lost", f"Nothing can be sent from {self._name}.")
