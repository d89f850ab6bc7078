"""What every link offers."""

from dataclasses import dataclass
from typing import Literal, Protocol

READ_SIZE = 4096
"""Bytes taken in one read, at most: small enough that what follows never keeps the interpreter for long."""

WRITE_PATIENCE = 2.0
"""Seconds a write may stay blocked before the link counts as lost."""

Trouble = Literal["missing", "in use", "forbidden", "lost", "settings", "refused"]


class LinkError(Exception):
    """A link that cannot be opened or was lost; the message is a sentence with what to do."""

    def __init__(self, trouble: Trouble, sentence: str) -> None:
        self.trouble = trouble
        super().__init__(sentence)


class BegunAnew(Exception):
    """What was followed was started again: what is read next follows nothing that was read before."""


@dataclass(slots=True, frozen=True)
class ModemLines:
    """What the other end, or the adapter, says on the modem lines (EIA-232)."""

    cts: bool
    dsr: bool
    dcd: bool
    ri: bool


class Link(Protocol):
    """An open link. One thread owns it; only `wake`, `waiting` and `modem_lines` may be called from others."""

    @property
    def follows(self) -> bytes | None:
        """What stands right before the first byte that will be read, as far as it tells; None where nobody knows."""

    def shared(self) -> "SharedLink | None":
        """This link as one thread can serve it together with others; None where `read` and `write` must wait themselves."""

    def read(self, timeout: float | None) -> bytes:
        """What has arrived; b"" when `timeout` seconds have passed (or nearly), or `wake` was called.

        Raises LinkError when the link is gone, BegunAnew when what follows is another file under the same name.
        """

    def write(self, data: bytes) -> None:
        """Write all of `data`. Raises LinkError when the link is gone or stays blocked."""

    def wake(self) -> None:
        """Make a `read` that waits return at once."""

    def waiting(self) -> int:
        """Bytes that have arrived and were not read yet."""

    def modem_lines(self) -> ModemLines | None:
        """The modem lines as they are; None where this link has none."""

    def close(self) -> None:
        """Give the port up; never raises."""


class SharedLink(Link, Protocol):
    """An open link that is waited on by its descriptor."""

    @property
    def descriptor(self) -> int:
        """Ready to be read when something has arrived, or the link has failed."""

    def take(self, most: int = READ_SIZE) -> bytes:
        """What has arrived, without waiting, at most so many bytes (of datagrams a whole one); called when the descriptor is ready. Raises
        LinkError when the link is gone."""

    def send(self, data: bytes) -> bytes:
        """Write as much of `data` as goes without waiting; gives the rest. Raises LinkError when the link is gone."""

    def stuck(self) -> LinkError:
        """What to say of a link that has taken nothing for `WRITE_PATIENCE`."""
