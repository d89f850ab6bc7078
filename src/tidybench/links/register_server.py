"""Registers that others read over the network."""

import contextlib
import os
import selectors
import socket
import struct
import threading
import time

from tidybench.core.forwarding.register_image import answer
from tidybench.core.setup.destinations import ToModbus
from tidybench.links.listening import listening

MOST_CLIENTS = 32
"""Connections at a time; of more the one that was silent longest is closed."""

HEADER = 7
MOST_FRAME = 254
"""Bytes behind the length: unit and PDU (MODBUS Messaging on TCP/IP 1.0b, 3.1.3)."""


class RegisterServer:
    """Modbus TCP. `write` has the registers as they are from now on; a thread of its own answers."""

    def __init__(self, part: ToModbus) -> None:
        self._server = listening(part.listen_on, part.tcp_port)
        self._image = b""
        self._clients: dict[socket.socket, bytes] = {}
        self._woken, self._wake = os.pipe()
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._server, selectors.EVENT_READ)
        self._selector.register(self._woken, selectors.EVENT_READ)
        self._thread = threading.Thread(target=self._serve, name="registers", daemon=True)
        self._thread.start()

    def write(self, data: bytes) -> None:
        """These are the registers."""
        self._image = data

    def read(self, timeout: float | None) -> bytes:
        """What others ask is answered elsewhere."""
        return b""

    def close(self) -> None:
        """Give it up."""
        os.write(self._wake, b"x")
        self._thread.join(5)
        for one in (*self._clients, self._server):
            one.close()
        self._selector.close()
        os.close(self._woken)
        os.close(self._wake)

    # ---- its thread

    def _serve(self) -> None:
        while True:
            for key, _ in self._selector.select():
                if key.fileobj == self._woken:
                    return
                if key.fileobj is self._server:
                    self._accept()
                elif isinstance(key.fileobj, socket.socket) and key.fileobj in self._clients:
                    self._hear(key.fileobj)

    def _accept(self) -> None:
        try:
            client, _ = self._server.accept()
        except OSError:  # it has gone again, or no more files may be open: not asked again at once
            time.sleep(0.05)
            return
        while len(self._clients) >= MOST_CLIENTS:
            self._leave(next(iter(self._clients)))
        client.setblocking(False)
        with contextlib.suppress(OSError):
            client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._clients[client] = b""
        self._selector.register(client, selectors.EVENT_READ)

    def _leave(self, client: socket.socket) -> None:
        self._selector.unregister(client)
        del self._clients[client]
        client.close()

    def _hear(self, client: socket.socket) -> None:
        try:
            came = client.recv(4096)
        except BlockingIOError:
            return
        except OSError:
            came = b""
        if not came:
            self._leave(client)
            return
        data = self._clients.pop(client) + came
        self._clients[client] = b""  # the last in order: it was heard just now
        while len(data) >= HEADER:
            transaction, protocol, length = struct.unpack(">HHH", data[:6])
            if protocol or not 2 <= length <= MOST_FRAME:
                self._leave(client)  # no Modbus: where the next request begins is not known
                return
            if len(data) < 6 + length:
                break
            pdu = answer(self._image, data[HEADER : 6 + length])
            try:
                client.sendall(struct.pack(">HHHB", transaction, 0, len(pdu) + 1, data[6]) + pdu)
            except OSError:  # it asks and does not read
                self._leave(client)
                return
            data = data[6 + length :]
        self._clients[client] = data
