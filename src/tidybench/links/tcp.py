"""A raw TCP connection, opened by us."""

import select
import socket
import time

from tidybench.core.setup import TcpPart
from tidybench.links.link import READ_SIZE, WRITE_PATIENCE, LinkError
from tidybench.links.socket_end import SocketEnd

CONNECT_PATIENCE = 4.0
"""Seconds to wait for a connection."""


class TcpLink(SocketEnd):
    """A client's end."""

    def __init__(self, settings: TcpPart) -> None:
        self._name = f"{settings.host}:{settings.tcp_port}"
        try:
            end = socket.create_connection((settings.host, settings.tcp_port), CONNECT_PATIENCE)
        except socket.gaierror as error:
            raise LinkError("missing", f"There is no computer or device called {settings.host}.") from error
        except TimeoutError as error:
            raise LinkError(
                "missing", f"{self._name} does not answer. Check its address, the cable and that it is on."
            ) from error
        except OSError as error:
            refused = isinstance(error, ConnectionRefusedError)
            why = (
                f"{settings.host} is there, but nothing listens on its TCP port {settings.tcp_port}, or another "
                "program has the only connection it allows."
                if refused
                else f"{self._name} cannot be reached: {error.strerror}."
            )
            raise LinkError("refused" if refused else "missing", why) from error
        end.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        end.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        super().__init__(end)

    def shared(self) -> "TcpLink | None":
        return self

    def take(self, most: int = READ_SIZE) -> bytes:
        try:
            data = self._socket.recv(most)
        except BlockingIOError:
            return b""
        except OSError as error:
            raise self._gone() from error
        if not data:
            raise self._gone()
        return data

    def write(self, data: bytes) -> None:
        until = time.monotonic() + WRITE_PATIENCE
        while data := self.send(data):
            left = until - time.monotonic()
            if left <= 0:
                raise self.stuck()
            select.select((), (self._socket,), (), left)

    def send(self, data: bytes) -> bytes:
        try:
            return data[self._socket.send(data) :]
        except BlockingIOError:
            return data
        except OSError as error:
            raise self._gone() from error

    def stuck(self) -> LinkError:
        return self._gone()

    def _gone(self) -> LinkError:
        return LinkError("lost", f"The connection to {self._name} is lost. It is taken up again by itself.")
