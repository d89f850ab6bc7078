"""Messages that are followed by silence."""

from typing import Any

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut


class SilenceFramer(Buffered):
    """A message is what comes without a pause of `silence` microseconds. Its time is its last byte's.

    What was being said when the link was opened counts only if it was quiet for long enough before.
    """

    def __init__(self, silence: int, byte_time: float = 0.0, longest: int = 4096) -> None:
        if silence <= 0:
            raise ValueError("silence takes time")
        super().__init__(byte_time, longest)
        self._silence = silence
        self._last = 0
        self._skipping = False

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._last, self._skipping = at, not whole

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._last, self._skipping = at, False

    def deadline(self) -> int | None:
        return self._last + self._silence if len(self._buffer) or self._skipping else None

    def passed(self, at: int) -> Cut:
        cut = Cut()
        if at >= self._last + self._silence:
            self._end(cut)
        return cut

    def state(self) -> dict[str, Any]:
        return {**super().state(), "last": self._last, "skipping": self._skipping}

    def restore(self, state: dict[str, Any]) -> None:
        super().restore(state)
        self._last, self._skipping = state["last"], state["skipping"]

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        first = self._buffer.begun(len(data), at)
        if first - self._last >= self._silence:
            self._end(cut)
        if self._skipping:
            cut.stray += len(data)
            buffer.read(at)
        else:
            buffer.add(data, at)
            if len(buffer) > self._longest:
                cut.overlong += 1
                cut.stray += len(buffer)
                buffer.clear()
                self._skipping = True
        self._last = at
        return cut

    def _end(self, cut: Cut) -> None:
        if len(self._buffer):
            self._take(cut, len(self._buffer))
        self._skipping = False
