"""What every framer offers."""

from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(slots=True)
class Cut:
    """What one piece of bytes gave: messages without terminator, the time of each one's last byte.

    `stray` counts bytes that belong to no message; `overlong` counts messages given up because
    they passed the longest length; their bytes are on the tape all the same. `prompts`: how often the
    instrument said, after them, that it is ready.
    """

    bodies: list[bytes] = field(default_factory=list)
    times: list[int] = field(default_factory=list)
    stray: int = 0
    overlong: int = 0
    prompts: int = 0


class Framer(Protocol):
    """Cuts bytes into messages."""

    def opened(self, at: int, whole: bool) -> None:
        """The link was opened. `whole`: the first piece can be trusted to begin with a message
        (an instrument that talks only when asked); otherwise the first piece is dropped."""

    def follows(self, before: bytes) -> None:
        """Right after `opened`: these bytes stand before the first ones that will come (a file that is followed)."""

    def asked(self, query: bytes, at: int) -> None:
        """A query was sent; what is half received belongs to no reply and is forgotten."""

    def may_end(self, data: bytes) -> bool:
        """Whether a message could end within these bytes. Where none can, the caller may hold the
        bytes back for a moment and feed them together with the next."""

    def feed(self, data: bytes, at: int) -> Cut:
        """Bytes that were read at `at`."""

    def deadline(self) -> int | None:
        """When `passed` wants to be called if nothing comes before."""

    def passed(self, at: int) -> Cut:
        """A deadline passed in silence."""

    @property
    def pending(self) -> int:
        """How many bytes wait for the rest of their message."""

    def state(self) -> dict[str, Any]:
        """All that a tape must open with so that reading it again goes on from here."""

    def restore(self, state: dict[str, Any]) -> None:
        """Take up a state that `state` gave."""
