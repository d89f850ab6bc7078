"""A port at which an instrument is played from a tape, at the tape's pace."""

import threading
import time
from pathlib import Path

from tidybench.core.rehearsal.played import Played
from tidybench.standins.pty_port import PtyPort
from tidybench.standins.uart import LineFormat

STEP = 0.02
"""Seconds that are listened at a time."""

SILENCE = 0.06
"""Seconds of silence after which bytes that the tape does not know are dropped."""


class PlayedPort(threading.Thread):
    """One link of a tape on a pseudo-terminal. `lock`: of the tape, which several ports share. `unknown` counts queries that the tape does
    not have."""

    def __init__(self, path: Path, played: Played, link: str, clock: "TapeClock") -> None:
        super().__init__(name=f"played {link}", daemon=True)
        self._port = PtyPort(path, LineFormat(9600))
        self._played, self._link, self._clock = played, link, clock
        self._stopping = threading.Event()
        self._to_say: list[tuple[float, bytes]] = []
        self._heard, self._heard_at = b"", 0.0
        self.answered = self.unknown = 0
        known = played.links[link]
        self._asked = sorted([*known.queries, *known.commands], key=len, reverse=True)

    @property
    def address(self) -> str:
        """What a client opens."""
        return self._port.address

    def run(self) -> None:
        self._port.plug_in()
        since = self._clock.place()
        while not self._stopping.is_set():
            self._hear(self._port.read(self._patience()))
            place = self._clock.place()
            for data in self._clock.alone(self._link, since, place):
                self._port.write(data)
            since = place
            now = time.monotonic()
            while self._to_say and self._to_say[0][0] <= now:
                self._port.write(self._to_say.pop(0)[1])
        self._port.pull()

    def stop(self) -> None:
        """Take the port away."""
        self._stopping.set()
        self.join(2)

    def _patience(self) -> float:
        return min(STEP, max(0.0, self._to_say[0][0] - time.monotonic())) if self._to_say else STEP

    def _hear(self, data: bytes) -> None:
        now = time.monotonic()
        if data:
            self._heard, self._heard_at = self._heard + data, now
        while self._heard:
            asked = next((one for one in self._asked if self._heard.startswith(one)), None)
            if asked is None:
                break
            self._heard = self._heard[len(asked) :]
            self.answered += 1
            for later, answer in self._clock.hear(self._link, asked):
                self._to_say.append((now + later / 1e6, answer))
            self._to_say.sort(key=lambda one: one[0])
        if self._heard and now - self._heard_at > SILENCE:
            self._heard = b""
            self.unknown += 1


class TapeClock:
    """The place of a tape that goes on with the clock, for several ports at once."""

    def __init__(self, played: Played) -> None:
        self._played, self._lock = played, threading.Lock()
        self._at = time.monotonic()

    def place(self) -> int:
        """Where it is now."""
        with self._lock:
            now = time.monotonic()
            self._played.go_on(round((now - self._at) * 1e6))
            self._at = now
            return self._played.place

    def hear(self, link: str, data: bytes) -> tuple[tuple[int, bytes], ...]:
        """See `Played.hear`; () where nothing was said."""
        self.place()
        with self._lock:
            return self._played.hear(link, data) or ()

    def alone(self, link: str, since: int, until: int) -> list[bytes]:
        """See `Played.alone`."""
        with self._lock:
            return self._played.alone(link, since, until) if since < until <= since + 10_000_000 else []
