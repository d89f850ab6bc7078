"""Where reading a message stopped."""

from dataclasses import dataclass

from tidybench.core.reading.element import shown_byte


@dataclass(slots=True, frozen=True)
class Stop:
    """Where and why a message was not understood. `column` counts characters of the message from 1;
    `cell`: what stood where a number was expected, where that has an end of its own."""

    column: int
    expected: str
    found: str
    cell: str = ""

    def __str__(self) -> str:
        return f"stops at character {self.column}: {self.expected} was expected, {self.found} came"

    @classmethod
    def at(cls, message: bytes, position: int, expected: str) -> "Stop":
        """At an index of the message."""
        return cls(position + 1, expected, shown_byte(message[position : position + 1]))
