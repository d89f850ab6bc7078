"""Messages that say themselves how long they are."""

from dataclasses import dataclass
from typing import Literal

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut


@dataclass(slots=True, frozen=True)
class Count:
    """Where a message says how long it is: `size` bytes at offset `at`, as a binary number or as
    decimal or hexadecimal digits; the whole message has so many bytes and `plus` more."""

    at: int
    size: int
    written: Literal["high first", "low first", "decimal", "hex"] = "high first"
    plus: int = 0

    def total(self, message: bytes) -> int:
        """Bytes of the message that begins here: 0 where too few came to tell, -1 where that is no count."""
        field = message[self.at : self.at + self.size]
        if len(field) < self.size:
            return 0
        if self.written in ("high first", "low first"):
            value = int.from_bytes(field, "big" if self.written == "high first" else "little")
        else:
            digits = field.strip(b" ")
            allowed = b"0123456789" if self.written == "decimal" else b"0123456789abcdefABCDEF"
            if not digits or digits.strip(allowed):
                return -1
            value = int(digits, 10 if self.written == "decimal" else 16)
        total = value + self.plus
        return total if total >= self.at + self.size else -1


class CountedFramer(Buffered):
    """A message begins with `start` (part of it; b"" for none) and has as many bytes as it says.

    Where what should be a count is none, or says more than `longest`, one byte is stray and the next
    start is looked for; so noise costs no more than the message it fell into.
    """

    def __init__(self, count: Count, start: bytes = b"", byte_time: float = 0.0, longest: int = 4096) -> None:
        super().__init__(byte_time, longest)
        self._count, self._start = count, start

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        buffer.add(data, at)
        head = self._count.at + self._count.size
        while len(buffer):
            if self._start:
                begin = buffer.find(self._start)
                if begin < 0:
                    begin = len(buffer) - buffer.half(self._start)
                cut.stray += begin
                buffer.drop(begin)
            total = self._count.total(buffer[:head])
            if total < 0 or total > self._longest:
                cut.overlong += total > self._longest
                cut.stray += 1
                buffer.drop(1)
                continue
            if not total or len(buffer) < total:
                break
            self._take(cut, total)
        return cut
