"""What the framers that keep a rest of bytes have in common."""

from typing import Any

from tidybench.core.framing.framer import Cut


class Buffered:
    """Keeps what waits for the rest of its message, and dates messages back to their last byte."""

    def __init__(self, byte_time: float, longest: int) -> None:
        self._byte_time, self._longest = byte_time, longest
        self._rest = b""
        self._floor = 0

    def opened(self, at: int, whole: bool) -> None:
        """Nothing of before counts."""
        self._rest, self._floor = b"", at

    def asked(self, query: bytes, at: int) -> None:
        """What is half received belongs to no reply."""
        self._rest = b""
        self._floor = max(self._floor, at)

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
        return len(self._rest)

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {"rest": self._rest.decode("latin-1"), "floor": self._floor}

    def restore(self, state: dict[str, Any]) -> None:
        """Take up a state that `state` gave."""
        self._rest, self._floor = state["rest"].encode("latin-1"), state["floor"]

    def _keep(self, cut: Cut, body: bytes, after: int, at: int) -> None:
        """A message with `after` bytes behind it in a piece that was read at `at`."""
        time = at - round(after * self._byte_time) if after else at
        cut.bodies.append(body)
        cut.times.append(max(time, self._floor))


def half_mark(buffer: bytes, position: int, mark: bytes) -> int:
    """How many bytes at the end of `buffer`, from `position` on, may be the beginning of `mark`."""
    for size in range(min(len(mark) - 1, len(buffer) - position), 0, -1):
        if buffer.endswith(mark[:size]):
            return size
    return 0
