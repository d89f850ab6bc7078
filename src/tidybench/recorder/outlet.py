"""One destination: its queue, and the thread that empties it. A slow one is its own trouble."""

import logging
import threading
import time
from collections import deque
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from tidybench.core.batch import Batch
from tidybench.core.forwarding.message_maker import MessageMaker
from tidybench.core.setup.destinations import DestinationPart, ToModbus, ToMqtt, ToUdp
from tidybench.core.values.channel import Channel
from tidybench.links.link import LinkError
from tidybench.links.outlets import Confirming, NotNow, OutletEnd, open_outlet, words_of
from tidybench.recorder.clock import Clock
from tidybench.wire.forwarding import DestinationStatus

logger = logging.getLogger(__name__)

MOST_BYTES, MOST_AGE = 256 * 1024, 10_000_000
"""Bytes that wait at the most, and for how many microseconds; of more the oldest are dropped."""

STORED_BYTES, STORED_AGE = 32 * 1024 * 1024, 86_400_000_000
"""The same for a broker, for which messages are stored while it is away."""

NOT_DONE, AWAY = 0.005, 0.1
"""Seconds until it is tried again where the other end is not done with what it has, or is away."""

TOGETHER = 4096
"""Bytes that are written at once where many wait."""

RETRY = 1.0
"""Seconds between two attempts to open what is away."""

BEHIND = 3000
"""Microseconds after the grid, a tenth of its step at most, at which a steady message is made: whoever polls on the same grid goes first."""

MOST_INBOX = 1000
"""Events whose samples wait to become messages; at so many whoever brings one makes them."""

HURRIED, GATHERS = 1000, 0.01
"""Where the next message comes within so many microseconds, more are gathered for so many seconds: a change of threads at each of them costs those who read."""

LOOKED_AT = 1000
"""Messages whose lateness is remembered."""

State = Literal["off", "opening", "sending", "away", "wrong"]


class Outlet:
    """`take` may be called by any thread, for any sample; the rest says what is told."""

    def __init__(
        self,
        part: DestinationPart,
        maker: MessageMaker,
        clock: Clock,
        simulated: Path | None,
        channels: Sequence[Channel],
    ) -> None:
        """`channels`: those that it sends, in their order."""
        self.part, self.numbers, self.channels = part, maker.numbers, list(channels)
        self._maker, self._clock, self._simulated = maker, clock, simulated
        self._lock = threading.Lock()
        self._there = threading.Event()
        stored = isinstance(part.to, ToMqtt)
        self._most = (STORED_BYTES, STORED_AGE) if stored else (MOST_BYTES, MOST_AGE)
        self._single = isinstance(part.to, ToUdp | ToMqtt | ToModbus)
        self._end: OutletEnd | None = None
        self._at_once = part.every_s == 0
        self._inbox: deque[tuple[Batch, int]] = deque()
        self._queue: deque[tuple[int, bytes]] = deque()
        self._size = 0
        self._stopping = False
        self._state: State = "opening"
        self._why = ""
        self._sent = self._bytes = self._dropped = self._answered = 0
        self._late: deque[int] = deque(maxlen=LOOKED_AT)
        self._thread = threading.Thread(target=self._run, name=f"destination {part.id}", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End, and free what it has open."""
        self._stopping = True
        self._there.set()
        self._thread.join(5)

    def take(self, batch: Batch) -> None:
        """The samples of one event, as they are now: others may be added to them. Its own thread makes messages of them, many at a time: those who
        read have more to do."""
        self._inbox.append((batch, len(batch.words)))
        if self._at_once and not self._there.is_set():
            self._there.set()
        if len(self._inbox) >= MOST_INBOX:
            self._digest()

    def _digest(self, until: int | None = None) -> None:
        """Make messages of what came, or only take up what was measured `until` then."""
        with self._lock:
            while self._inbox:
                batch, count = self._inbox[0]
                if until is not None and count and max(batch.times[:count]) > until:
                    return
                self._inbox.popleft()
                if messages := self._maker.take(batch, count):
                    self._put(max(batch.times[:count]), messages)

    def _put(self, at: int, messages: list[bytes]) -> None:
        for message in messages:
            self._queue.append((at, message))
            self._size += len(message)
        most, oldest = self._most[0], at - self._most[1]
        while self._queue and (self._size > most or self._queue[0][0] < oldest):
            self._size -= len(self._queue.popleft()[1])
            self._dropped += 1

    # ---- its thread

    def _run(self) -> None:
        while not self._stopping:
            try:
                end = open_outlet(self.part.to, self._simulated, self.part.id)
            except LinkError as error:
                self._away(str(error))
                self._pause(RETRY)
                continue
            self._state, self._why = "sending", ""
            self._end = end
            try:
                self._send(end)
            except LinkError as error:
                self._away(str(error))
            except Exception as error:  # a fault of ours must not end it
                logger.exception("the destination %s failed", self.part.id)
                self._away(f"Tidy Bench itself failed here ({error!r})")
            self._end = None
            end.close()
            if not self._stopping:
                self._pause(RETRY)

    def _pause(self, seconds: float) -> None:
        until = self._clock.now() + round(seconds * 1e6)
        while not self._stopping and self._clock.now() < until:
            self._digest()
            threading.Event().wait(0.05)

    def _away(self, why: str) -> None:
        self._state, self._why = "away", why

    def _send(self, end: OutletEnd) -> None:
        every = round(self.part.every_s * 1e6)
        behind = min(BEHIND, every // 10)
        emptied = 0
        due = -(-self._clock.now() // every) * every if every else 0
        while not self._stopping:
            now = self._clock.now()
            if every:
                if now >= due + behind:
                    self._digest(due)
                    with self._lock:
                        made = self._maker.message(due)
                        if made is not None:
                            self._put(due, [made])
                    due += every * max(1, -(-(now - behind - due) // every))
                    now = self._clock.now()
                wait = max(0.0, (due + behind - now) / 1e6)
            else:
                wait = 0.5
            try:
                if self._queue or self._there.wait(min(wait, 0.5)):
                    if self._clock.now() - emptied < HURRIED:
                        time.sleep(min(wait, GATHERS))
                    self._there.clear()
                    if not every:
                        self._digest()
                    self._empty(end)
                    emptied = self._clock.now()
                self._answered += len(end.read(0))
            except NotNow as reason:
                if why := str(reason):
                    self._away(why)
                threading.Event().wait(min(wait, AWAY if why else NOT_DONE))
            else:
                if self._state == "away":
                    self._state, self._why = "sending", ""

    def _empty(self, end: OutletEnd) -> None:
        while not self._stopping:
            with self._lock:
                taken: list[tuple[int, bytes]] = []
                size = 0
                while self._queue and (
                    not taken or (not self._single and size + len(self._queue[0][1]) <= TOGETHER)
                ):
                    taken.append(self._queue.popleft())
                    size += len(taken[-1][1])
                self._size -= size
            if not taken:
                return
            try:
                end.write(b"".join(message for _, message in taken))
            except BlockingIOError:
                self._dropped += len(taken)
                self._why = "Nobody takes it."
                continue
            except NotNow:
                with self._lock:
                    self._queue.extendleft(reversed(taken))
                    self._size += size
                raise
            except LinkError:
                self._dropped += len(taken)
                raise
            self._why = ""
            now = self._clock.now()
            self._late.extend(now - at for at, _ in taken)
            self._sent += len(taken)
            self._bytes += size

    # ---- what is told

    def status(self) -> DestinationStatus:
        """How it stands. Any thread."""
        late = sorted(self._late.copy())
        end = self._end
        open_ones = end.unconfirmed if isinstance(end, Confirming) else 0
        return DestinationStatus(
            id=self.part.id,
            name=self.part.name,
            to=words_of(self.part.to),
            on=True,
            state=self._state,
            why=self._why,
            sent=max(0, self._sent - open_ones),
            bytes=self._bytes,
            waiting=len(self._queue) + open_ones,
            dropped=self._dropped,
            late_ms=round(late[min(len(late) - 1, int(len(late) * 0.99))] / 1000, 2) if late else None,
            answered=self._answered,
        )
