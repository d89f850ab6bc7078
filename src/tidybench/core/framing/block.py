"""Lines in which IEEE 488.2 blocks may stand."""

import re

from tidybench.core.framing.buffered import Buffered
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
        self._within = 0  # bytes of `_rest` that are known to be inside the message

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
        cut = Cut()
        buffer = self._rest + data
        while True:
            end = self._end(buffer)
            if end < 0:
                break
            body, buffer = buffer[:end], buffer[end + len(self._terminator) :]
            self._within = 0
            if self._skipping:
                self._skipping = False
                cut.stray += len(body)
            elif body:
                self._keep(cut, body, len(buffer), at)
        if len(buffer) > self._longest:
            cut.overlong += not self._skipping
            cut.stray += len(buffer)
            buffer, self._skipping, self._within = b"", True, 0
        self._rest = buffer
        self._floor = max(self._floor, at)
        return cut

    def _end(self, buffer: bytes) -> int:
        """Where the message ends that begins here; -1 where it does not yet."""
        position = self._within
        while True:
            end = buffer.find(self._terminator, position)
            block = (
                None
                if self._skipping
                else _BLOCK.search(buffer, max(0, position - 1), end if end >= 0 else len(buffer))
            )
            if block is None:
                if end < 0:
                    # What may yet turn out to be the head of a block is looked at again.
                    self._within = max(position, len(buffer) - 12)
                return end
            digits = int(block[1])
            head = buffer[block.end() : block.end() + digits]
            if len(head) < digits and (end < 0 or end >= block.end()):
                self._within = position
                return -1
            if not head.isdigit() or len(head) < digits or int(head) > self._longest:
                position = block.end()
                continue
            position = block.end() + digits + int(head)
            self._within = position
            if position > len(buffer):
                return -1
