"""A channel that a plan looks at."""

from dataclasses import dataclass

ANSWER = 0.5
"""Seconds that an answer is waited for, where nothing else is known."""


@dataclass(slots=True, frozen=True)
class Watched:
    """`patience`: microseconds without a sample that are a gap."""

    number: int
    name: str
    unit: str
    patience: int
