"""What TCP and UDP links have in common."""

import contextlib
import socket
from abc import ABC, abstractmethod

from tidybench.links.link import READ_SIZE, ModemLines
from tidybench.links.waker import Waker


class SocketEnd(ABC):
    """A socket that is waited on, woken and closed."""

    follows: bytes | None = None

    def __init__(self, end: socket.socket) -> None:
        end.setblocking(False)
        self._socket = end
        self._waker = Waker(end.fileno())

    @property
    def descriptor(self) -> int:
        """The socket's."""
        return self._socket.fileno()

    def read(self, timeout: float | None) -> bytes:
        """What has arrived within so many seconds."""
        return self.take() if self._waker.wait(timeout) else b""

    @abstractmethod
    def take(self, most: int = READ_SIZE) -> bytes:
        """What has arrived, without waiting."""

    def waiting(self) -> int:
        """Nothing that anyone must know: bytes are taken as they come."""
        return 0

    def modem_lines(self) -> ModemLines | None:
        """A socket has none."""
        return None

    def wake(self) -> None:
        """Make a `read` that waits return at once."""
        self._waker.wake()

    def close(self) -> None:
        """Give it up; never raises."""
        if self._waker.close():
            with contextlib.suppress(OSError):
                self._socket.close()
