"""Messages of a fixed length."""

from typing import Any

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut


class FixedFramer(Buffered):
    """A message is exactly `length` bytes, found again after noise by its first bytes or by silence.

    `start`: the bytes every message begins with (they are part of it); b"" where there are none.
    `silence`: microseconds of quiet after which a message starts again; what was incomplete is stray.
    Without a start, nothing counts after opening in the middle of talk until there was such a quiet.
    """

    def __init__(
        self, length: int, start: bytes = b"", silence: int = 20_000, byte_time: float = 0.0
    ) -> None:
        if length < max(1, len(start)):
            raise ValueError("a message is at least as long as its beginning")
        super().__init__(byte_time, length)
        self._start, self._silence = start, silence
        self._last = 0  # when the newest byte came
        self._lost = False  # in the middle of something, until it is quiet

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._last, self._lost = at, not (whole or self._start)

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._lost = False

    def deadline(self) -> int | None:
        return self._last + self._silence if len(self._buffer) else None

    def passed(self, at: int) -> Cut:
        cut = Cut()
        if len(self._buffer) and at >= self._last + self._silence:
            cut.stray = len(self._buffer)
            self._buffer.clear()
        return cut

    def state(self) -> dict[str, Any]:
        return {**super().state(), "last": self._last, "lost": self._lost}

    def restore(self, state: dict[str, Any]) -> None:
        super().restore(state)
        self._last, self._lost = state["last"], state["lost"]

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        first = self._buffer.begun(len(data), at)
        if first - self._last >= self._silence:
            cut.stray, self._lost = len(buffer), False
            buffer.clear()
        self._last = at
        if self._lost:
            cut.stray += len(data)
            buffer.read(at)
            return cut
        buffer.add(data, at)
        while True:
            if self._start:
                begin = buffer.find(self._start)
                if begin < 0:
                    begin = len(buffer) - buffer.half(self._start)
                cut.stray += begin
                buffer.drop(begin)
            if len(buffer) < self._longest:
                return cut
            self._take(cut, self._longest)
