"""A channel that a plan looks at."""

from dataclasses import dataclass


@dataclass(slots=True, frozen=True)
class Watched:
    """`patience`: microseconds without a sample that are a gap."""

    number: int
    name: str
    unit: str
    patience: int
