"""The pump: empties the journal into the run folder, the rings and the live stream.

One thread, woken by the first event and then pausing a few milliseconds so that many go in one
flush. It alone writes run folders, and it never waits for a reader of the live stream.
"""

import os
import threading
import traceback
from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Future

import zmq

from tidybench.core.events import Note, tape_line
from tidybench.recorder.bench import Bench, Refused
from tidybench.recorder.ring import for_the_eye
from tidybench.runs.log import Entry, RunEnd
from tidybench.wire.messages import TOPIC_SAMPLES, TOPIC_STATUS, TOPIC_TAPE, TapeUpdate

GATHER, GATHER_MANY = 0.005, 0.02
"""Seconds that events gather before a flush; the longer where many come."""

MANY = 60
TAPE_EVERY = 40_000

STATUS_EVERY = 250_000
SYNC_EVERY = 3_000_000
MOST_LINES = 40


class Pump(threading.Thread):
    """Runs until `stop`."""

    def __init__(self, bench: Bench, context: "zmq.Context[zmq.Socket[bytes]]") -> None:
        super().__init__(name="pump", daemon=True)
        self._bench = bench
        self._socket = context.socket(zmq.PUB)
        self._socket.setsockopt(zmq.SNDHWM, 2000)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.bind(bench.places.live)
        self._stopping = threading.Event()
        self._sync_now = threading.Event()
        self._status_at = 0
        self._synced_at = 0
        self._tape_at = 0
        self._shown: list[Entry] = []
        self._unshown = 0
        self._busy = False
        self._orders: deque[Callable[[], None]] = deque()
        self._syncer = threading.Thread(target=self._sync, name="disk", daemon=True)

    def run(self) -> None:
        self._syncer.start()
        try:
            self._run()
        except BaseException:
            # Going on without logging would be the worst of all: the supervisor starts a recorder that carries on.
            traceback.print_exc()
            os._exit(70)

    def _run(self) -> None:
        bench = self._bench
        while not self._stopping.is_set():
            bench.journal.wait(0.05 if bench.log is not None else 0.25)
            self._stopping.wait(GATHER_MANY if self._busy else GATHER)
            self._flush()
            while self._orders:
                self._orders.popleft()()
        self._sync_now.set()

    def stop(self) -> None:
        """End after the present flush."""
        self._stopping.set()
        self.join(5)

    def _flush(self) -> None:
        """Take what is there and hand it on."""
        bench = self._bench
        with bench.lock:
            entries = bench.journal.take()
            now = bench.clock.now()
            for sequence, link, event, batch in entries:
                for crossing in bench.derivation_at(sequence).feed(link, event, batch):
                    bench.crossed(crossing)
            lines = [tape_line(sequence, link, event) for sequence, link, event, _ in entries]
            packs = [batch.pack(sequence) if batch is not None else b"" for sequence, _, _, batch in entries]
            log = bench.log
            if log is not None:
                log.write(entries, lines, packs, now)
                if log.turned:
                    log.turned = False
                    bench.want_states()
        self._busy = len(entries) > MANY
        packed = b"".join(packs)
        if packed:
            bench.samples.add(packed, now)
            self._publish(TOPIC_SAMPLES, packed)
        if entries:
            bench.tape.add(lines)
            self._shown += entries[-MOST_LINES:]
            self._unshown += len(entries)
        if self._shown and now - self._tape_at >= TAPE_EVERY:
            self._tape_at = now
            self._publish(TOPIC_TAPE, _for_the_eye(self._shown[-MOST_LINES:], self._unshown))
            self._shown, self._unshown = [], 0
        if now - self._status_at >= STATUS_EVERY:
            self._status_at = now
            step = bench.clock.check(may_go_back=bench.log is None)
            if step:
                text = f"the computer's clock moved by {step / 1e6:.3f} s"
                bench.journal.put("", Note(bench.clock.now(), "clock", text))
            self._publish(TOPIC_STATUS, bench.status().model_dump_json().encode())
        if now - self._synced_at >= SYNC_EVERY:
            self._synced_at = now
            self._sync_now.set()

    def _publish(self, topic: bytes, data: bytes) -> None:
        try:
            self._socket.send_multipart([topic, data], zmq.NOBLOCK)
        except zmq.Again:
            pass  # nobody keeps up: the live stream may skip

    def _sync(self) -> None:
        """The disk may take its time: in a thread of its own."""
        while not self._stopping.is_set():
            self._sync_now.wait()
            self._sync_now.clear()
            log = self._bench.log
            if log is not None:
                try:
                    log.sync()
                except (OSError, ValueError):
                    pass  # full or just ended: writing rows says so, in words

    def end_run(self, run: str, reason: str, status: RunEnd = "ended") -> None:
        """End the run in progress, with everything that happened until now. Raises Refused.

        Called by any thread; done by this one, which alone writes run folders and publishes.
        """
        done: Future[None] = Future()

        def order() -> None:
            try:
                self._end_run(run, reason, status)
                done.set_result(None)
            except BaseException as error:
                done.set_exception(error)

        self._orders.append(order)
        self._bench.journal.nudge()
        done.result(30)

    def _end_run(self, run: str, reason: str, status: RunEnd) -> None:
        bench = self._bench
        with bench.lock:
            bench.check_end(run)
            now = bench.clock.now()
            bench.journal.put("", Note(now, "end", reason))
            self._flush()
            log = bench.log
            assert log is not None
            bench.forget_run()
            try:
                log.end(now, reason, status)
            except OSError as error:
                why = f"The run was ended, but its summary could not be written: {error.strerror}."
                raise Refused("disk", why) from error


def _for_the_eye(entries: Sequence[Entry], total: int) -> bytes:
    lines = [
        line for number, link, event, _ in entries if (line := for_the_eye(number, link, event)) is not None
    ]
    return TapeUpdate(lines=lines, left_out=total - len(entries)).model_dump_json().encode()
