"""How long bytes are held back before they go onto the tape.

A slow line delivers every byte by itself. Bytes that cannot end a message are held for a moment and go onto the tape in
one piece with what follows; and a link whose wire is full is left alone for a moment now and then, for a wake-up for
every few bytes of many links would take more than the reading itself.
"""

HOLD = 40_000
"""Microseconds that bytes are held back at the most."""

HOLD_SIZE = 2048
"""Bytes that are held back at the most."""

LOOK_OVER = 50_000
"""Microseconds over which it is judged whether the wire is full."""

FULL = 0.75
"""Share of the wire's capacity from which on it counts as full."""

MUCH = 1024
"""Bytes in one read from which on nothing is waited for: there is more."""


class Gathering:
    """The bytes of one link that are held back. `byte_time`: microseconds a byte takes on the wire, 0 where it must not
    be left to fill (something is asked) or has no known capacity."""

    __slots__ = ("_byte_time", "_looked_at", "_seen", "at", "full", "held", "since")

    def __init__(self, byte_time: float) -> None:
        self._byte_time = byte_time
        self.restart(0)

    def restart(self, now: int) -> None:
        """The link was opened: nothing is held."""
        self.held = b""
        self.since = self.at = 0
        self.full = False
        self._looked_at, self._seen = now, 0

    @property
    def deadline(self) -> int | None:
        """When what is held must go on."""
        return self.since + HOLD if self.held else None

    def hold(self, data: bytes, at: int) -> bool:
        """Hold bytes that were read at `at` and end no message; whether that is enough now."""
        if not self.held:
            self.since = at
        self.held += data
        self.at = at
        return at - self.since >= HOLD or len(self.held) >= HOLD_SIZE

    def take(self) -> bytes:
        """What is held, to go on; its time is `at`."""
        held, self.held = self.held, b""
        return held

    def look(self, size: int, at: int) -> None:
        """So many bytes were read at `at`: is the wire full?"""
        if self._byte_time:
            self._seen += size
            if at - self._looked_at >= LOOK_OVER:
                self.full = self._seen * self._byte_time >= FULL * (at - self._looked_at)
                self._looked_at, self._seen = at, 0

    def may_rest(self, size: int) -> bool:
        """Whether the link may be left alone for a moment after a read of `size` bytes."""
        return self.full and size < MUCH
