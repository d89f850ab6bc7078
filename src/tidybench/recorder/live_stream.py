"""What is published: samples as they come, the tape and the status now and then. Whoever does not keep up skips."""

import zmq

from tidybench.runs.entry import Entry
from tidybench.wire.protocol import TOPIC_SAMPLES, TOPIC_STATUS, TOPIC_TAPE
from tidybench.wire.status import Status

TAPE_EVERY = 40_000
"""Microseconds between two pieces of the tape."""

STATUS_EVERY = 250_000

AWAITED_EVERY = 50_000
"""The least between two of them where a curve has just ended."""

MAX_LINES = 40
"""Lines of the tape in one piece; how many more there were is told."""


class LiveStream:
    """The publishing socket. The writer's alone."""

    def __init__(self, context: "zmq.Context[zmq.Socket[bytes]]", endpoint: str) -> None:
        self._socket = context.socket(zmq.PUB)
        self._socket.setsockopt(zmq.SNDHWM, 2000)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.bind(endpoint)
        self._tape_at = self._status_at = 0
        self._lines: list[str] = []
        self._count = 0

    def samples(self, packed: bytes) -> None:
        """Samples that have just been logged."""
        self._send(TOPIC_SAMPLES, packed)

    def tape(self, entries: list[Entry], now: int) -> None:
        """What has just happened; it is told a little later, the newest of it."""
        if entries:
            self._lines += [entry.line for entry in entries[-MAX_LINES:]]
            self._count += len(entries)
        if self._lines and now - self._tape_at >= TAPE_EVERY:
            self._tape_at = now
            lines = self._lines[-MAX_LINES:]
            left_out = str(self._count - len(lines)).encode()
            self._send(TOPIC_TAPE, left_out, "\n".join(lines).encode())
            self._lines, self._count = [], 0

    def status_is_due(self, now: int, awaited: bool = False) -> bool:
        """Whether it is time to tell how everything stands; `awaited`: something that is waited for has happened."""
        return now - self._status_at >= (AWAITED_EVERY if awaited else STATUS_EVERY)

    def status(self, status: Status) -> None:
        """How everything stands."""
        self._status_at = status.at
        self._send(TOPIC_STATUS, status.model_dump_json().encode())

    def status_at(self, now: int) -> None:
        """It could not be told at `now`; the next time is due as usual."""
        self._status_at = now

    def _send(self, topic: bytes, *frames: bytes) -> None:
        try:
            self._socket.send_multipart([topic, *frames], zmq.NOBLOCK)
        except zmq.Again:
            pass  # nobody keeps up: the live stream may skip
