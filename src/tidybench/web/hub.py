"""The recorder as the web server sees it: requests, and its live stream handed on to browsers."""

import asyncio
import contextlib
import itertools
import json
import time
from collections.abc import Coroutine
from typing import Any

import numpy as np
import zmq
import zmq.asyncio
from pydantic import ValidationError

from tidybench import __version__
from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.lines import parse_tape_line
from tidybench.core.tape.shown import shown
from tidybench.core.thinning import thin
from tidybench.web.differences import calmed, differences
from tidybench.web.live import LiveMessage, LiveTape
from tidybench.wire.client import RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.protocol import TOPIC_SAMPLES, TOPIC_STATUS, Answer, Hello, Request
from tidybench.wire.status import GetStatus, Status

AWAY_AFTER = 1.5
"""Seconds without a status after which the recorder counts as away."""

SLOWLY = 1.0
"""Seconds between two times that counters and rates are told."""

MANY = 400
"""Samples in one piece of the stream from which on they are thinned out for the page."""


class Listener:
    """One browser's queue. A browser that does not keep up skips, and is told so."""

    def __init__(self) -> None:
        self._queue: asyncio.Queue[bytes | str] = asyncio.Queue(maxsize=256)
        self._skipped = False

    def put(self, item: bytes | str) -> None:
        """Queue something for the browser, or skip it."""
        if self._skipped and self._queue.qsize() < 16:
            self._skipped = False
            self._queue.put_nowait(LiveMessage(kind="skipped").model_dump_json())
        if self._skipped or self._queue.full():
            self._skipped = True
        else:
            self._queue.put_nowait(item)

    async def get(self) -> bytes | str:
        """The next piece."""
        return await self._queue.get()


class Hub:
    """Talks to the recorder; made and used within one event loop."""

    def __init__(self, places: Places) -> None:
        self._places = places
        self._context = zmq.asyncio.Context()
        self._control = self._connect()
        self._numbers = itertools.count(1)
        self._waiting: dict[bytes, asyncio.Future[tuple[Answer, list[bytes]]]] = {}
        self._tasks: set[asyncio.Task[None]] = set()
        self._listeners: set[Listener] = set()
        self._told: dict[str, Any] = {}  # the status as browsers have it
        self._newest: bytes = b""
        self._parsed: Status | None = None
        self._slow_at = 0.0
        self._heard = 0.0
        self.mismatch = ""

    def _connect(self) -> zmq.asyncio.Socket:
        socket = self._context.socket(zmq.DEALER)
        socket.setsockopt(zmq.LINGER, 0)
        # Nothing is queued for a recorder that is away: an order must not be carried out long after
        # the person was told that it failed.
        socket.setsockopt(zmq.IMMEDIATE, 1)
        socket.connect(self._places.control)
        return socket

    async def start(self) -> None:
        """Begin to listen."""
        for work in (self._answers, self._live, self._watch):
            self._start(work())

    async def stop(self) -> None:
        """End."""
        tasks = list(self._tasks)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        self._context.destroy(linger=0)

    @property
    def here(self) -> bool:
        """Whether the recorder is heard."""
        return time.monotonic() - self._heard < AWAY_AFTER

    async def ask(self, request: Request, patience: float = 10.0) -> tuple[Answer, list[bytes]]:
        """Ask the recorder. Raises RecorderAway."""
        if not self.here and not isinstance(request, Hello | GetStatus):
            patience = min(patience, 2.0)
        number = str(next(self._numbers)).encode()
        future: asyncio.Future[tuple[Answer, list[bytes]]] = asyncio.get_running_loop().create_future()
        self._waiting[number] = future
        try:
            async with asyncio.timeout(patience):
                await self._control.send_multipart([number, request.model_dump_json().encode()])
                return await future
        except TimeoutError:
            raise RecorderAway from None
        finally:
            self._waiting.pop(number, None)

    async def _answers(self) -> None:
        while True:
            number, data, *extra = await self._control.recv_multipart()
            future = self._waiting.get(number)
            if future is not None and not future.done():
                try:
                    future.set_result((Answer.model_validate_json(data), extra))
                except ValidationError as error:
                    future.set_exception(error)

    async def _live(self) -> None:
        socket = self._context.socket(zmq.SUB)
        socket.setsockopt(zmq.LINGER, 0)
        socket.setsockopt(zmq.RCVHWM, 2000)
        socket.subscribe(b"")
        socket.connect(self._places.live)
        while True:
            topic, *frames = await socket.recv_multipart()
            try:
                self._heard_of(topic, frames)
            except (ValueError, IndexError, KeyError, TypeError):
                # An older or newer recorder: its run goes on, and the handshake says what to do.
                self._heard = time.monotonic()
                self._start(self._greet())

    def _heard_of(self, topic: bytes, frames: list[bytes]) -> None:
        """One piece of the stream. Raises ValueError, LookupError or TypeError where it is another version's."""
        if topic == TOPIC_SAMPLES:
            data = frames[0]
            self._tell(thinned(data, 25) if len(data) > MANY * RECORD_SIZE else data)
        elif topic == TOPIC_STATUS:
            self._take(frames[0])
        elif self._listeners:
            told = [shown(*parse_tape_line(line)) for line in frames[1].decode().split("\n")]
            tape = LiveTape(lines=[line for line in told if line is not None], left_out=int(frames[0]))
            self._tell(LiveMessage(kind="tape", tape=tape).model_dump_json())

    @property
    def status(self) -> Status | None:
        """How everything stood last; None before it is heard. Checked only where somebody asks."""
        if self._parsed is None and self._newest:
            with contextlib.suppress(ValidationError):
                self._parsed = Status.model_validate_json(self._newest)
        return self._parsed

    def _take(self, packed: bytes) -> None:
        """A status: browsers hear what has changed. Raises ValueError where it is none."""
        was_here, now = self.here, time.monotonic()
        status = json.loads(packed)
        old, fresh = self._told, self._told.get("session") != status["session"]
        self._newest, self._parsed, self._heard = packed, None, now
        if fresh:
            self._start(self._greet())
        if fresh or not was_here:
            self._told = status
            self._tell(self._whole())
            return
        if not self._listeners:
            self._told = status
            return
        if now - self._slow_at < SLOWLY:
            status = calmed(old, status)
        else:
            self._slow_at = now
        self._told = status
        message = {
            "kind": "change",
            "since": old["at"],
            "changes": differences(old, status),
            "why": self.mismatch,
        }
        self._tell(json.dumps(message, ensure_ascii=False, separators=(",", ":")))

    def _whole(self) -> str:
        """The status as browsers have it, whole."""
        message = {"kind": "status", "status": self._told, "why": self.mismatch}
        return json.dumps(message, ensure_ascii=False, separators=(",", ":"))

    def first(self) -> str:
        """What a browser hears first."""
        return self._whole() if self.here and self._told else self.message().model_dump_json()

    def _start(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _greet(self) -> None:
        """Say which version of the local protocol this is, and hear which the recorder has."""
        with contextlib.suppress(RecorderAway):
            answer, _ = await self.ask(Hello(version=__version__))
            self.mismatch = answer.why

    async def _watch(self) -> None:
        was_here = True
        while True:
            await asyncio.sleep(0.3)
            if was_here and not self.here:
                self._tell(self.message().model_dump_json())
            was_here = self.here

    def message(self) -> LiveMessage:
        """How the bench stands."""
        if self.here:
            # Changes that come after it are those of this very status.
            status = Status.model_validate(self._told) if self._told else None
            return LiveMessage(kind="status", status=status, why=self.mismatch)
        return LiveMessage(kind="away", why=str(RecorderAway()), status=self.status)

    def listen(self) -> Listener:
        """A queue for one more browser."""
        listener = Listener()
        self._listeners.add(listener)
        return listener

    def leave(self, listener: Listener) -> None:
        """A browser is gone."""
        self._listeners.discard(listener)

    def _tell(self, item: bytes | str) -> None:
        for listener in self._listeners:
            listener.put(item)


def thinned(packed: bytes, most: int) -> bytes:
    """Packed samples thinned to about 2 `most` a channel."""
    records = unpack(packed)
    numbers = channels_of(records)
    pieces = []
    for number in np.unique(numbers):
        own = records[numbers == number]
        own = own[np.argsort(own["time"], kind="stable")]
        pieces.append(own[thin(own["time"], own["value"], qualities_of(own), most)])
    return np.concatenate(pieces).tobytes() if pieces else b""
