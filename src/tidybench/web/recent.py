"""The last hour of samples as the web server needs it for statistics: fetched from the recorder as far as it is new."""

import asyncio
import time
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.core.values.statistics import Gathering
from tidybench.web.hub import Hub
from tidybench.wire.status import GetHistory

OVERLAP = 3_000_000
"""Microseconds that are asked for again: the recorder's pieces are about a second long."""

LET_GO = 120.0
"""Seconds without a question after which the memory is given back."""

HOUR = 3_600_000_000

Records = np.ndarray[Any, np.dtype[np.void]]


class Sample(NamedTuple):
    """One sample: time in microseconds, value (NaN where nothing was measured), quality."""

    time: int
    value: float
    quality: int


class _Channel:
    """The samples of one channel, in the order in which they came."""

    def __init__(self) -> None:
        self.times, self.values = np.empty(256, np.int64), np.empty(256)
        self.qualities = np.empty(256, np.uint8)
        self.start = self.end = 0

    def add(self, times: Records, values: Records, qualities: Records) -> None:
        """Append, and let go what is older than an hour."""
        count = len(times)
        old = int(times[-1]) - HOUR
        self.start += int(np.searchsorted(self.times[self.start : self.end], old))
        if self.end + count > len(self.times):
            kept = slice(self.start, self.end)
            size = max(256, 2 * (self.end - self.start + count))
            for name in ("times", "values", "qualities"):
                before = getattr(self, name)
                made = np.empty(size, before.dtype)
                made[: self.end - self.start] = before[kept]
                setattr(self, name, made)
            self.start, self.end = 0, self.end - self.start
        at = slice(self.end, self.end + count)
        self.times[at], self.values[at], self.qualities[at] = times, values, qualities
        self.end += count
        mine = self.times[self.start : self.end]
        if (mine[max(1, len(mine) - count) :] < mine[max(0, len(mine) - count - 1) : -1]).any():
            # The computer's clock was put back.
            order = np.argsort(mine, kind="stable")
            for held in (self.times, self.values, self.qualities):
                held[self.start : self.end] = held[self.start : self.end][order]


class Recent:
    """Used within one event loop; what takes long is done in a thread."""

    def __init__(self, hub: Hub) -> None:
        self._hub = hub
        self._lock = asyncio.Lock()
        self._clear()

    def _clear(self) -> None:
        self._channels: dict[int, _Channel] = {}
        self._session = ""
        self._sequence = 0
        self._asked_at = time.monotonic()

    async def gather(
        self, channels: Mapping[int, Sequence[str]], start: int, end: int
    ) -> tuple[dict[int, Gathering], dict[int, int]]:
        """The samples in memory from `start` to before `end` (microseconds), by channel number, and from when on all samples
        of each are here: each has a time of its own, for each lets its old ones go when new ones come. Raises RecorderAway."""
        async with self._lock:
            await self._follow()
            found = await asyncio.to_thread(self._gather, channels, start, end)
            return found, self._firsts(channels)

    async def at(self, channels: Iterable[int], moment: int) -> tuple[dict[int, Sample], dict[int, int]]:
        """Each channel's newest sample in memory that is not later than `moment` (microseconds), by its number, without those
        that have none so old; and from when on all samples of each are here. Raises RecorderAway."""
        async with self._lock:
            await self._follow(moment)
            numbers = list(channels)
            found = {n: sample for n in numbers if (sample := self._at(n, moment)) is not None}
            return found, self._firsts(numbers)

    def _firsts(self, channels: Iterable[int]) -> dict[int, int]:
        """From when on all of a channel's samples are here. Of a channel that has none: since the oldest of any was taken,
        it had none. Empty where nothing is here."""
        own = {n: int(one.times[one.start]) for n, one in self._channels.items() if one.end > one.start}
        oldest = min(own.values(), default=None)
        return {} if oldest is None else {n: own.get(n, oldest) for n in channels}

    def _at(self, number: int, moment: int) -> Sample | None:
        one = self._channels.get(number)
        if one is None:
            return None
        place = one.start + int(np.searchsorted(one.times[one.start : one.end], moment, side="right")) - 1
        if place < one.start:
            return None
        return Sample(int(one.times[place]), float(one.values[place]), int(one.qualities[place]))

    def rest(self) -> None:
        """Give the memory back where nobody asks any more."""
        if self._channels and not self._lock.locked() and time.monotonic() - self._asked_at > LET_GO:
            self._clear()

    @property
    def _newest(self) -> int:
        return max((int(one.times[one.end - 1]) for one in self._channels.values() if one.end), default=0)

    async def _follow(self, until: int | None = None) -> None:
        """Fetch what is new; not where everything up to `until` is here."""
        status = self._hub.status
        session = status.session if status is not None else ""
        if session != self._session:
            self._clear()
            self._session = session
        if status is not None and status.at < self._newest - OVERLAP:
            self._clear()  # the computer's clock was put back: what came since is not newer
            self._session = session
        newest = self._newest
        if until is not None and until < newest - OVERLAP:
            return
        _, frames = await self._hub.ask(GetHistory(since=max(0, newest - OVERLAP)))
        await asyncio.to_thread(self._take, frames)
        self._asked_at = time.monotonic()

    def _take(self, frames: list[bytes]) -> None:
        for frame in frames:
            records = unpack(frame[: len(frame) // RECORD_SIZE * RECORD_SIZE])
            sequences = sequences_of(records)
            records = records[sequences > self._sequence]
            if not len(records):
                continue
            self._sequence = int(sequences[-1])
            numbers, qualities = channels_of(records), qualities_of(records)
            for number in np.unique(numbers):
                mine = numbers == number
                channel = self._channels.setdefault(int(number), _Channel())
                channel.add(records["time"][mine], records["value"][mine], qualities[mine])

    def _gather(self, channels: Mapping[int, Sequence[str]], start: int, end: int) -> dict[int, Gathering]:
        found: dict[int, Gathering] = {}
        for number, words in channels.items():
            one = self._channels.get(number)
            if one is None:
                continue
            times = one.times[one.start : one.end]
            low, high = (one.start + int(np.searchsorted(times, at)) for at in (start, end))
            if high > low:
                found[number] = Gathering(words)
                found[number].add(
                    one.times[low:high], one.values[low:high], one.qualities[low:high].astype(np.int64)
                )
        return found
