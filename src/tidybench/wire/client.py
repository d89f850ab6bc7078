"""Asking the recorder, from a thread. The web server's asynchronous client is its own."""

import itertools

import zmq

from tidybench.wire.protocol import Answer, Request


class RecorderAway(Exception):
    """The recorder does not answer."""

    def __init__(self) -> None:
        super().__init__(
            "The recorder does not answer. It is started again by itself; what it logged is safe."
        )


class Client:
    """One conversation with the recorder's control socket. Use from one thread only."""

    def __init__(self, endpoint: str, patience: float = 5.0) -> None:
        self._context: zmq.Context[zmq.Socket[bytes]] = zmq.Context.instance()
        self._endpoint, self._patience = endpoint, patience
        self._socket: zmq.Socket[bytes] | None = None
        self._numbers = itertools.count(1)

    def ask(self, request: Request) -> tuple[Answer, list[bytes]]:
        """Send a request and wait for its answer. Raises RecorderAway."""
        if self._socket is None:
            self._socket = self._context.socket(zmq.DEALER)
            self._socket.setsockopt(zmq.LINGER, 0)
            self._socket.connect(self._endpoint)
        number = str(next(self._numbers)).encode()
        self._socket.send_multipart([number, request.model_dump_json().encode()])
        while self._socket.poll(round(self._patience * 1000)):
            got, data, *extra = self._socket.recv_multipart()
            if got == number:
                return Answer.model_validate_json(data), extra
        self.close()
        raise RecorderAway

    def close(self) -> None:
        """Close the socket; the next `ask` opens another."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None
