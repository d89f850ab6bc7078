"""How messages are read: what every reader offers."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol, runtime_checkable

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, Token
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import NumbersPart


@dataclass(slots=True, frozen=True)
class ErrorReply:
    """The instrument's own error reply, in its words."""

    text: str


Read = dict[str, Field] | Stop | ErrorReply


class Form(Protocol):
    """Reads one kind of message into its fields. A field that is a number has a float, others a text."""

    @property
    def numbers(self) -> tuple[str, ...] | None:
        """The fields that channels can be made from; None where any name may come."""

    def read(self, message: bytes) -> Read:
        """The fields of a message, where it stops being understood, or the instrument's own error."""


@runtime_checkable
class Learns(Protocol):
    """A form whose messages also say how the others read."""

    def learn(self, message: bytes) -> bool:
        """Whether this message was such a one."""

    def state(self) -> dict[str, Any]:
        """What was learnt."""

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave."""


def number_element(part: NumbersPart | None, encoding: str) -> Element:
    """The notation of a reader's numbers, as a field of a pattern."""
    if part is None:
        return Element(1, "number")
    tokens: list[Token] = []
    for texts, quality in (
        (part.none, Quality.NO_READING),
        (part.over, Quality.OVER),
        (part.under, Quality.UNDER),
    ):
        tokens += [Token(text.encode(encoding, "replace").strip(), quality) for text in texts]
    return Element(1, "number", tokens=tuple(tokens), comma=part.decimal == ",")


def field_of(value: float) -> Field:
    """A calculated number as a field; no reading where it is none."""
    return (Quality.OK, value) if math.isfinite(value) else (Quality.NO_READING, math.nan)


def shown_cell(cell: bytes) -> str:
    """A cell in a sentence."""
    return f"“{cell.decode('latin-1')[:40]}”" if cell else "nothing"


def missing(names: Sequence[str], message: bytes) -> Stop:
    """A message that ends before all fields came."""
    return Stop(len(message) + 1, f"a value for {' and '.join(names)}", "the end of the message")
