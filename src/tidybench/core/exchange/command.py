"""A command that goes out between polls."""

from dataclasses import dataclass

from tidybench.core.values.origin import Origin


@dataclass(slots=True, frozen=True)
class Command:
    """What to send out of turn, and when its answer is whole. Times in microseconds.

    `wait`: for the first byte of an answer; 0 where none is expected. `quiet`: silence that ends
    it. `lines`: so many lines end it at once, 0 for silence alone.
    """

    origin: Origin
    data: bytes
    wait: int
    quiet: int = 60_000
    lines: int = 0
    wire_time: int = 0
