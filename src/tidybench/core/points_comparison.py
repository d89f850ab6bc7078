"""The test points of two runs side by side: which belong together, how far they are apart, and with what uncertainty."""

from collections.abc import Callable, Sequence
from math import hypot
from typing import Literal

from tidybench.core.values.exact import Exact
from tidybench.core.values.point import Point, PointMean

Finding = Literal["", "apart", "within its uncertainty"]
"""Whether a difference is larger than its expanded uncertainty; empty where that is not known."""


class PointDifference(Exact):
    """A channel at a point of two runs: both means, the second less the first, and the expanded uncertainty (k = 2) of each. None where it is not
    known, or the units differ."""

    id: str
    name: str
    unit: str
    decimals: int
    first: float | None = None
    first_expanded: float | None = None
    second: float | None = None
    second_expanded: float | None = None
    difference: float | None = None
    expanded: float | None = None
    finding: Finding = ""


class PointPair(Exact):
    """Two points that belong together, by their numbers; None where only one of the runs has it. `name`: what it is called."""

    name: str
    first: int | None = None
    second: int | None = None
    channels: list[PointDifference] = []


def compare_points(first: Sequence[Point], second: Sequence[Point]) -> list[PointPair]:
    """The points of two runs, newest versions: those of the first in order, then those that only the second has. Two belong together by
    their names, else by the same set values; of a calibration within one stage. Points that were given up or taken out have no means."""
    left = list(second)
    found: dict[int, Point] = {}
    for key in (_name, _sets):
        for one in first:
            if one.number in found or key(one) is None:
                continue
            same = next((other for other in left if key(other) == key(one)), None)
            if same is not None:
                left.remove(same)
                found[one.number] = same
    pairs = [_pair(one, found.get(one.number)) for one in first]
    return pairs + [_pair(None, other) for other in left]


def _name(point: Point) -> object:
    return (point.stage, point.name) if point.name else None


def _sets(point: Point) -> object:
    return (point.stage, tuple((s.name, s.unit, s.value) for s in point.sets)) if point.sets else None


def _pair(first: Point | None, second: Point | None) -> PointPair:
    shown = first or second
    assert shown is not None
    sets = ", ".join(f"{one.name} {one.value:g}{' ' + one.unit if one.unit else ''}" for one in shown.sets)
    means = [_counting(point) for point in (first, second)]
    ids = dict.fromkeys([*means[0], *means[1]])
    return PointPair(
        name=shown.name or sets or f"point {shown.number}",
        first=first.number if first is not None else None,
        second=second.number if second is not None else None,
        channels=[_difference(means[0].get(key), means[1].get(key)) for key in ids],
    )


def _counting(point: Point | None) -> dict[str, PointMean]:
    if point is None or point.void or point.gave_up:
        return {}
    return {mean.id: mean for mean in point.means}


def _difference(first: PointMean | None, second: PointMean | None) -> PointDifference:
    shown = first or second
    assert shown is not None
    same = first is not None and second is not None and first.unit == second.unit
    difference = expanded = None
    if same and first is not None and second is not None:
        difference = _of(lambda a, b: b - a, first.mean, second.mean)
        expanded = _of(hypot, first.expanded, second.expanded)
    finding: Finding = ""
    if difference is not None and expanded is not None:
        finding = "apart" if abs(difference) > expanded else "within its uncertainty"
    return PointDifference(
        id=shown.id,
        name=shown.name,
        unit=shown.unit,
        decimals=shown.decimals,
        first=first.mean if first is not None else None,
        first_expanded=first.expanded if first is not None else None,
        second=second.mean if second is not None else None,
        second_expanded=second.expanded if second is not None else None,
        difference=difference,
        expanded=expanded,
        finding=finding,
    )


def _of(how: Callable[[float, float], float], one: float | None, other: float | None) -> float | None:
    return how(one, other) if one is not None and other is not None else None
