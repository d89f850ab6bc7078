"""Modbus RTU frames, by function code and length (MODBUS over Serial Line 1.02, 2.5.1)."""

from typing import Any

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut
from tidybench.core.protocols.modbus import MAX_FRAME, READS, reply_length


class ModbusFramer(Buffered):
    """Cuts the reply to the request that was sent. The CRC stays on: whoever reads checks it.

    Bytes before the address that was asked are noise and stray; so is what follows a whole reply.
    """

    def __init__(self, byte_time: float = 0.0) -> None:
        super().__init__(byte_time, MAX_FRAME)
        self._request = b""

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._request = b""

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._request = query

    def state(self) -> dict[str, Any]:
        return {**super().state(), "request": self._request.decode("latin-1")}

    def restore(self, state: dict[str, Any]) -> None:
        super().restore(state)
        self._request = state["request"].encode("latin-1")

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        buffer.add(data, at)
        request = self._request
        while len(buffer):
            head = buffer[: MAX_FRAME + 1]
            if request and not (head[0] == request[0] and self._fits(head[1:2])):
                buffer.drop(1)
                cut.stray += 1
                continue
            if request and request[1] in READS and request.startswith(head[: len(request)]):
                # Our own request: the line echoes. Its beginning must not be taken for a short reply.
                length = len(request)
            else:
                length = reply_length(head)
            if not length or len(buffer) < length:
                break
            self._take(cut, length)
        if len(buffer) > MAX_FRAME:
            cut.overlong += 1
            cut.stray += len(buffer)
            buffer.clear()
        return cut

    def _fits(self, function: bytes) -> bool:
        return not function or function[0] & 0x7F == self._request[1]
