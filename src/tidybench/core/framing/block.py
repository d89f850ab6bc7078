"""Lines in which IEEE 488.2 blocks may stand."""

import re

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut

_BLOCK = re.compile(rb"(?:^|[ ,])#([1-9])")
"""Where a definite-length block may begin: at the start of a reply, or as one of its data."""


class BlockFramer(Buffered):
    """Messages end with a terminator, but the bytes of a definite-length block do not count as one.

    IEEE 488.2, 8.7.9: `#`, a digit that says how many digits follow, these digits, that many bytes.
    A block of indefinite length (`#0`, 8.7.10) ends with the terminator, as any other message: on a
    serial line there is no END message.
    """

    def __init__(self, terminator: bytes, byte_time: float = 0.0, longest: int = 1_048_576) -> None:
        if not terminator:
            raise ValueError("a terminator has at least one byte")
        super().__init__(byte_time, longest)
        self._terminator = terminator
        self._skipping = False
        self._within = 0  # bytes that wait and are known to be inside the message

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._skipping, self._within = not whole, 0

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._skipping, self._within = False, 0

    def state(self) -> dict[str, object]:
        return {**super().state(), "skipping": self._skipping, "within": self._within}

    def restore(self, state: dict[str, object]) -> None:
        super().restore(state)
        self._skipping, self._within = bool(state["skipping"]), int(str(state["within"]))

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        buffer.add(data, at)
        step = len(self._terminator)
        while (end := self._end()) >= 0:
            body = buffer.take(end + step)[:end]
            self._within = 0
            if self._skipping:
                self._skipping = False
                cut.stray += len(body)
            elif body:
                cut.bodies.append(body)
                cut.times.append(buffer.time(len(buffer)))
        if len(buffer) > self._longest:
            cut.overlong += not self._skipping
            cut.stray += len(buffer)
            buffer.clear()
            self._skipping, self._within = True, 0
        return cut

    def _end(self) -> int:
        """Where the message ends that begins at the front; -1 where it does not yet."""
        buffer, position = self._buffer, self._within
        while True:
            end = buffer.find(self._terminator, position)
            known = end if end >= 0 else len(buffer)
            block = None if self._skipping else buffer.search(_BLOCK, max(0, position - 1), known)
            if block is None:
                if end < 0:
                    # What may yet turn out to be the head of a block is looked at again.
                    self._within = max(position, len(buffer) - 12)
                return end
            after, digits = block[0], int(block[1])
            head = buffer[after : after + digits]
            if len(head) < digits and (end < 0 or end >= after):
                self._within = position
                return -1
            if not head.isdigit() or len(head) < digits or int(head) > self._longest:
                position = after
                continue
            position = after + digits + int(head)
            self._within = position
            if position > len(buffer):
                return -1
