"""The buffer that all framers share: bytes that wait for the rest of their message.

What must be fast, however small the pieces and however long the message:

1. adding a piece;
2. finding a mark again and again while a long message comes in pieces: what was searched is never searched again;
3. taking a message off the front, however much stands behind it;
4. dating a message: when its last byte arrived.

The first three take time in proportion to the bytes that come, not to those that wait: a `bytearray` gives its
front away without moving the rest, and `find` remembers how far it has looked.
"""

import re
from typing import Any

from tidybench.core.framing.framer import Cut


class ReceiveBuffer:
    """Bytes in the order they came, and the times of the reads that brought them (microseconds).

    `byte_time`: microseconds a byte takes on the wire, 0 where arrival times are not dated back (TCP, UDP, files).
    """

    __slots__ = ("_begin", "_byte_time", "_data", "_floor", "_read_at", "_searched", "_sought")

    def __init__(self, byte_time: float = 0.0) -> None:
        self._byte_time = byte_time
        self._data = bytearray()
        self._floor = self._read_at = 0
        self._sought, self._begin, self._searched = b"", 0, 0

    def __len__(self) -> int:
        return len(self._data)

    def __getitem__(self, part: slice) -> bytes:
        return bytes(self._data[part])

    def endswith(self, tail: bytes) -> bool:
        """Whether these are the newest bytes."""
        return self._data.endswith(tail)

    @property
    def read_at(self) -> int:
        """When the newest piece was read."""
        return self._read_at

    def read(self, at: int) -> None:
        """A read happened at `at`: what is dated from here on lies between it and the read before."""
        if self._read_at > self._floor:
            self._floor = self._read_at
        self._read_at = at

    def add(self, data: bytes, at: int) -> None:
        """A piece that was read at `at`."""
        self.read(at)
        self._data += data

    def put(self, rest: bytes) -> None:
        """What is left of the newest read, behind nothing."""
        self._data += rest

    def time(self, after: int) -> int:
        """When the byte arrived that has `after` bytes of the newest read behind it: the time of the read, less the
        wire time of those bytes, never before the previous read."""
        time = self.begun(after, self._read_at)
        return time if time > self._floor else self._floor

    def times(self, afters: list[int]) -> list[int]:
        """The same of many bytes."""
        if len(afters) == 1:
            return [self.time(afters[0])]
        read_at, floor, byte_time = self._read_at, self._floor, self._byte_time
        return [time if (time := read_at - round(after * byte_time)) > floor else floor for after in afters]

    def begun(self, size: int, at: int) -> int:
        """When the first of `size` bytes arrived that were read at `at`."""
        return at - round(size * self._byte_time)

    def find(self, mark: bytes, begin: int = 0) -> int:
        """Where `mark` first stands from `begin` on; -1 where it does not."""
        known = mark == self._sought and begin >= self._begin
        start = max(begin, self._searched) if known else begin
        found = self._data.find(mark, start)
        if not known:
            self._sought, self._begin = mark, begin
        self._searched = found if found >= 0 else max(start, len(self._data) - len(mark) + 1)
        return found

    def find_last(self, mark: bytes, begin: int, end: int) -> int:
        """Where `mark` last stands between two places; -1 where it does not."""
        return self._data.rfind(mark, begin, end)

    def search(self, pattern: re.Pattern[bytes], begin: int, end: int) -> tuple[int, bytes] | None:
        """Where `pattern` ends that is first found between two places, and its first group."""
        found = pattern.search(self._data, begin, end)
        return None if found is None else (found.end(), bytes(found[1]))

    def half(self, mark: bytes) -> int:
        """How many bytes at the end may be the beginning of `mark`."""
        for size in range(min(len(mark) - 1, len(self._data)), 0, -1):
            if self._data.endswith(mark[:size]):
                return size
        return 0

    def take(self, count: int) -> bytes:
        """The first `count` bytes, off the front."""
        taken = bytes(self._data[:count])
        self.drop(count)
        return taken

    def drop(self, count: int) -> None:
        """Off the front, and forgotten."""
        del self._data[:count]
        self._begin, self._searched = max(0, self._begin - count), max(0, self._searched - count)

    def clear(self) -> None:
        """Nothing waits any more."""
        self._data.clear()
        self._begin = self._searched = 0

    def opened(self, at: int) -> None:
        """The link was opened: nothing of before counts."""
        self.clear()
        self._floor = self._read_at = at

    def asked(self, at: int) -> None:
        """A query was sent at `at`: what is half received belongs to no reply, and none came before it."""
        self.clear()
        self._floor = max(self._floor, self._read_at, at)

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {"rest": self._data.decode("latin-1"), "floor": max(self._floor, self._read_at)}

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave."""
        self.clear()
        self._data += state["rest"].encode("latin-1")
        self._floor = self._read_at = state["floor"]


class Buffered:
    """What framers that keep a rest of bytes have in common; `longest`: bytes a message may have."""

    def __init__(self, byte_time: float, longest: int) -> None:
        self._longest = longest
        self._buffer = ReceiveBuffer(byte_time)

    def opened(self, at: int, whole: bool) -> None:
        """Nothing of before counts."""
        self._buffer.opened(at)

    def follows(self, before: bytes) -> None:
        """They say nothing."""

    def asked(self, query: bytes, at: int) -> None:
        """What is half received belongs to no reply."""
        self._buffer.asked(at)

    def may_end(self, data: bytes) -> bool:
        """Any byte may be the last of a message that nothing marks."""
        return True

    def deadline(self) -> int | None:
        """None is wanted."""
        return None

    def passed(self, at: int) -> Cut:
        """Silence gives no message."""
        return Cut()

    @property
    def pending(self) -> int:
        """How many bytes wait for the rest of their message."""
        return len(self._buffer)

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return self._buffer.state()

    def restore(self, state: dict[str, Any]) -> None:
        """Take up a state that `state` gave."""
        self._buffer.restore(state)

    def _take(self, cut: Cut, count: int) -> None:
        """The first `count` bytes are a message."""
        cut.bodies.append(self._buffer.take(count))
        cut.times.append(self._buffer.time(len(self._buffer)))
