"""What every link offers."""

from typing import Literal, Protocol

Trouble = Literal["missing", "in use", "forbidden", "lost", "settings"]


class LinkError(Exception):
    """A link that cannot be opened or was lost; the message is a sentence with what to do."""

    def __init__(self, trouble: Trouble, sentence: str) -> None:
        self.trouble = trouble
        super().__init__(sentence)


class Link(Protocol):
    """An open link. One thread owns it; `wake` alone may be called from others."""

    def read(self, timeout: float | None) -> bytes:
        """What has arrived; b"" when `timeout` seconds have passed (or nearly), or `wake` was called.

        Raises LinkError when the link is gone.
        """

    def write(self, data: bytes) -> None:
        """Write all of `data`. Raises LinkError when the link is gone or stays blocked."""

    def wake(self) -> None:
        """Make a `read` that waits return at once."""

    def close(self) -> None:
        """Give the port up; never raises."""
