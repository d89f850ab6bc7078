"""Messages between a start mark and an end mark."""

from typing import Any

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut


class MarksFramer(Buffered):
    """A message is what stands between `start` and `end`, without them; what stands outside is stray.

    A start mark within a message starts it again: the end of the one before was lost. A message's
    time is when the last byte of its end mark arrived, dated back as with terminators. `behind`: bytes that
    follow the end mark and prove the message whole; it comes with its end mark and them then.
    """

    def __init__(
        self, start: bytes, end: bytes, byte_time: float = 0.0, longest: int = 4096, behind: int = 0
    ) -> None:
        if not start or not end:
            raise ValueError("a mark has at least one byte")
        super().__init__(byte_time, longest)
        self._start, self._end, self._behind = start, end, behind
        self._single = (
            0  # up to here no second start mark stands in the message at the front; 0: none has begun
        )

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._single = 0

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._single = 0

    def restore(self, state: dict[str, Any]) -> None:
        super().restore(state)
        self._single = 0

    def may_end(self, data: bytes) -> bool:
        return bool(self._behind) or self._end[-1:] in data

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        buffer.add(data, at)
        start, longest = len(self._start), self._longest
        while True:
            if not self._single:
                begin = buffer.find(self._start)
                if begin < 0:
                    # The mark may be half received: its beginning stays.
                    begin = len(buffer) - buffer.half(self._start)
                    cut.stray += begin
                    buffer.drop(begin)
                    return cut
                cut.stray += begin
                buffer.drop(begin)
                self._single = 1
            end = buffer.find(self._end, start)
            again = buffer.find_last(self._start, self._single, end if end >= 0 else len(buffer))
            if again > 0:
                cut.stray += again
                buffer.drop(again)
                self._single = 1
                continue
            if end < 0:
                self._single = max(1, len(buffer) - start + 1)
                if len(buffer) > longest + start + len(self._end):
                    cut.overlong += 1
                    cut.stray += len(buffer)
                    buffer.clear()
                    self._single = 0
                return cut
            last = end + len(self._end) + self._behind
            if len(buffer) < last:
                self._single = max(1, end - start + 1)
                return cut
            self._single = 0
            body = buffer.take(last)[start : last if self._behind else end]
            if len(body) > longest:
                cut.overlong += 1
                cut.stray += len(body)
                continue
            cut.bodies.append(body)
            cut.times.append(buffer.time(len(buffer)))
