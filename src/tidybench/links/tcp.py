"""A raw TCP connection, opened by us."""

import contextlib
import select
import socket
import time

from tidybench.core.setup import TcpPart
from tidybench.links.link import LinkError, ModemLines
from tidybench.links.serial_port import READ_SIZE, WRITE_PATIENCE
from tidybench.links.waker import Waker

CONNECT_PATIENCE = 4.0
"""Seconds to wait for a connection."""


class TcpLink:
    """A client's end."""

    def __init__(self, settings: TcpPart) -> None:
        self._name = f"{settings.host}:{settings.tcp_port}"
        try:
            self._socket = socket.create_connection((settings.host, settings.tcp_port), CONNECT_PATIENCE)
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
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        self._socket.setblocking(False)
        self._waker = Waker(self._socket.fileno())

    def read(self, timeout: float | None) -> bytes:
        if not self._waker.wait(timeout):
            return b""
        try:
            data = self._socket.recv(READ_SIZE)
        except BlockingIOError:
            return b""
        except OSError as error:
            raise self._gone() from error
        if not data:
            raise self._gone()
        return data

    def write(self, data: bytes) -> None:
        until = time.monotonic() + WRITE_PATIENCE
        while data:
            try:
                data = data[self._socket.send(data) :]
            except BlockingIOError:
                left = until - time.monotonic()
                if left <= 0:
                    raise self._gone() from None
                select.select((), (self._socket,), (), left)
            except OSError as error:
                raise self._gone() from error

    def waiting(self) -> int:
        return 0  # bytes are taken as they come; TCP itself holds the sender back

    def modem_lines(self) -> ModemLines | None:
        return None

    def wake(self) -> None:
        self._waker.wake()

    def close(self) -> None:
        if self._waker.close():
            with contextlib.suppress(OSError):
                self._socket.close()

    def _gone(self) -> LinkError:
        return LinkError("lost", f"The connection to {self._name} is lost. It is taken up again by itself.")
