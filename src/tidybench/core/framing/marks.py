"""Messages between a start mark and an end mark."""

from tidybench.core.framing.buffered import Buffered, half_mark
from tidybench.core.framing.framer import Cut


class MarksFramer(Buffered):
    """A message is what stands between `start` and `end`, without them; what stands outside is stray.

    A start mark within a message begins it anew: the end of the one before was lost. A message's
    time is when the last byte of its end mark arrived, dated back as with terminators.
    """

    def __init__(self, start: bytes, end: bytes, byte_time: float = 0.0, longest: int = 4096) -> None:
        if not start or not end:
            raise ValueError("a mark has at least one byte")
        super().__init__(byte_time, longest)
        self._start, self._end = start, end

    def may_end(self, data: bytes) -> bool:
        return self._end[-1:] in data

    def feed(self, data: bytes, at: int) -> Cut:
        cut = Cut()
        buffer = self._rest + data
        position = 0
        while True:
            begin = buffer.find(self._start, position)
            if begin < 0:
                # The mark may be half received: its beginning stays.
                keep = half_mark(buffer, position, self._start)
                cut.stray += len(buffer) - position - keep
                self._rest = buffer[len(buffer) - keep :]
                break
            end = buffer.find(self._end, begin + len(self._start))
            again = buffer.rfind(self._start, begin + 1, end if end >= 0 else len(buffer))
            if again > begin:
                cut.stray += again - position
                position = again
                continue
            cut.stray += begin - position
            if end < 0:
                self._rest = buffer[begin:]
                if len(self._rest) > self._longest + len(self._start) + len(self._end):
                    cut.overlong += 1
                    cut.stray += len(self._rest)
                    self._rest = b""
                break
            body = buffer[begin + len(self._start) : end]
            position = end + len(self._end)
            if len(body) > self._longest:
                cut.overlong += 1
                cut.stray += len(body)
                continue
            after = len(buffer) - position
            time = at - round(after * self._byte_time) if after else at
            cut.bodies.append(body)
            cut.times.append(max(time, self._floor))
        self._floor = max(self._floor, at)
        return cut
