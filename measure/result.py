"""What a row of the measurements says."""

from collections.abc import Callable
from dataclasses import dataclass, field


@dataclass(slots=True)
class Result:
    """One row: a value beside its baselines, and whether its target was met."""

    name: str
    value: float
    unit: str
    target: str
    met: bool
    baselines: dict[str, float] = field(default_factory=dict)
    ratios: dict[str, float] = field(default_factory=dict)
    note: str = ""
    stolen: float = 0.0
    """Share of the cores' time that the host gave to others meanwhile."""


Row = Callable[[], Result]


def median(values: list[float]) -> float:
    """The middle one."""
    return sorted(values)[len(values) // 2]


def percentile(values: list[float], share: float) -> float:
    """The value that `share` of all do not exceed."""
    return sorted(values)[min(len(values) - 1, int(len(values) * share))]
