"""The recorder's short memory: the last hour of samples, the newest lines of the tape."""

import json
import re
import threading
import time
from collections import deque
from collections.abc import Collection, Sequence

import numpy as np

from tidybench.core.samples import channels_of, sequences_of, unpack
from tidybench.core.tape.lines import parse_tape_line
from tidybench.core.tape.shown import words_of
from tidybench.wire.tape import GetTape

HOUR = 3_600_000_000
CHUNK = 1_000_000

UNSEEN = frozenset({"start", "quiet", "tick", "zero"})
"""Kinds of events that mean nothing to a person."""

TRAFFIC = frozenset({"in", "out", "open", "lost", "gave-up", "quiet", "missed", "tick", "identity", "zero"})
"""Kinds of events that happen on links."""

_HEAD = re.compile(r'\{"n":(\d+),"t":(-?\d+),"l":("(?:[^"\\]|\\.)*"),"k":"([^"]+)"')


class SampleRing:
    """Packed samples of the last hour, in chunks of about a second. The writer adds; any thread may ask."""

    def __init__(self, span: int = HOUR, most_bytes: int = 96 * 1024 * 1024) -> None:
        self._span, self._most = span, most_bytes
        self._chunks: deque[tuple[int, bytes]] = deque()
        self._size = 0
        self._open = bytearray()
        self._open_since = self._gone = 0
        self._turning = threading.Lock()  # held for a copy of references, never over more

    def add(self, packed: bytes, now: int) -> None:
        """Take in samples that were packed just now."""
        with self._turning:
            self._add(packed, now)

    def _add(self, packed: bytes, now: int) -> None:
        if not self._open:
            self._open_since = now
        self._open += packed
        if now - self._open_since >= CHUNK or len(self._open) > 1 << 20:
            self._chunks.append((now, bytes(self._open)))
            self._size += len(self._open)
            self._open = bytearray()
        while self._chunks and (self._chunks[0][0] < now - self._span or self._size > self._most):
            self._gone, data = self._chunks.popleft()
            self._size -= len(data)

    def records(self, at: int, numbers: Collection[int], most: int, after: int = 0) -> "tuple[int, bytes]":
        """The packed samples of these channels from `at` on, at most `most` of them, and from when on they are whole. Only those with a
        higher number than `after`: where the clock was set back, times alone do not tell."""
        records = unpack(b"".join(self.since(at)))
        at = max(at, self._gone)
        mine = np.isin(channels_of(records), np.array(sorted(numbers), np.uint16)) & (records["time"] >= at)
        mine &= sequences_of(records) > after
        found = records[mine]
        if len(found) > most:
            at = int(found["time"][-most])
            found = found[-most:]
        return at, found[found["time"] >= at].tobytes()

    def since(self, at: int) -> list[bytes]:
        """Packed samples from about `at` on, in pieces: whoever joins an hour of them holds everybody up."""
        with self._turning:
            last, chunks = bytes(self._open), list(self._chunks)
        return [*(data for closed, data in chunks if closed >= at), *([last] if last else [])]

    def preload(self, packed: bytes, now: int) -> None:
        """Take in samples of before a restart; older ones than the span are left out."""
        records = unpack(packed)
        recent = records[records["time"] >= now - self._span]
        if len(recent):
            data = recent.tobytes()
            self._chunks.appendleft((int(recent["time"][-1]), data))
            self._size += len(data)


class TapeRing:
    """The newest events as lines of the tape, whether or not a run is on. The writer adds; any thread may ask.

    Lines, not events: a hundred thousand objects would be walked through by every collection of
    the interpreter's garbage, just when a poll is due.
    """

    def __init__(self, most: int = 100_000, most_bytes: int = 128 * 1024 * 1024) -> None:
        self._lines: deque[str] = deque()
        self._most, self._most_bytes = most, most_bytes
        self._size = 0

    def add(self, lines: Sequence[str]) -> None:
        """Take in lines."""
        kept, added = self._lines, lines[-self._most :]
        over = max(0, len(kept) + len(added) - self._most)
        gone = [kept.popleft() for _ in range(min(over, len(kept)))]
        kept.extend(added)
        self._size += sum(map(len, added)) - sum(map(len, gone))
        while self._size > self._most_bytes and kept:
            self._size -= len(kept.popleft())

    def since(self, at: int, after: int = 0) -> list[str]:
        """The lines of what went over links from about `at` on, with a higher number than `after`, the oldest first. What belongs to a run that was on (marks, starting
        states, set-ups) is left out."""
        found: list[str] = []
        for line in reversed(list(self._lines)):
            head = _HEAD.match(line)
            if head is None:
                continue
            if int(head[2]) < at or int(head[1]) <= after:
                break
            if head[4] in TRAFFIC:
                found.append(line)
        return found[::-1]

    def find(self, wanted: GetTape) -> list[str]:
        """The newest lines that pass the filters, the oldest first. The ring is copied in one step, and looking through all of
        it lets others have the interpreter."""
        lines: list[str] = []
        sought = wanted.find.casefold()
        link = json.dumps(wanted.link, ensure_ascii=False) if wanted.link else ""
        heads: dict[tuple[str, str], str] = {}
        for count, line in enumerate(reversed(list(self._lines))):
            if len(lines) == wanted.last:
                break
            if count % 500 == 499:
                time.sleep(0.0005)
            head = _HEAD.match(line)
            if head is None:
                continue
            number, own, kind = int(head[1]), head[3], head[4]
            if wanted.before and number >= wanted.before:
                continue
            if number <= wanted.after:
                break
            if kind in UNSEEN or (link and own not in ('""', link)):
                continue
            direction = kind if kind in ("in", "out") else "events"
            if wanted.direction and direction != wanted.direction:
                continue
            if sought:
                # A slow line brings a word in two pieces: the beginning of the next one counts too.
                text = (words_of(parse_tape_line(line)[2]) or "").casefold()
                ahead = heads.get((own, direction), "")
                heads[own, direction] = (text + ahead)[: len(sought) - 1]
                if sought not in text + ahead:
                    continue
            lines.append(line)
        return lines[::-1]
