"""Test points of two runs side by side."""

from typing import Any

import numpy as np
import pytest

from tidybench.core.points_comparison import compare_points
from tidybench.core.values.point import Point, PointMean, Quantity


def point(number: int, name: str = "", valve: float | None = None, **means: Any) -> Point:
    sets = [Quantity(name="Valve", unit="%", value=valve)] if valve is not None else []
    more = {key: means.pop(key) for key in ("void", "gave_up", "stage") if key in means}
    found = [
        PointMean(id=key, name=key.title(), unit="m", decimals=2, mean=mean, expanded=expanded)
        for key, (mean, expanded) in means.items()
    ]
    return Point(number=number, name=name, at=1, sets=sets, means=found, **more)


def test_a_difference_has_both_uncertainties() -> None:
    [pair] = compare_points([point(1, "a", head=(40.0, 0.3))], [point(7, "a", head=(40.45, 0.4))])
    [head] = pair.channels
    assert (pair.first, pair.second) == (1, 7)
    assert head.difference == pytest.approx(0.45)
    assert head.expanded == pytest.approx(np.sqrt(0.3**2 + 0.4**2)) == pytest.approx(0.5)
    assert head.finding == "within its uncertainty"
    [pair] = compare_points([point(1, "a", head=(40.45, 0.3))], [point(7, "a", head=(39.9, 0.4))])
    assert (pair.channels[0].difference, pair.channels[0].finding) == (pytest.approx(-0.55), "apart")


def test_points_belong_together_by_name_then_by_what_was_set() -> None:
    first = [
        point(1, "shut", 0, head=(1, None)),
        point(2, "", 40, head=(2, None)),
        point(3, "", 60, head=(3, None)),
        point(4),
    ]
    second = [
        point(1, "", 60, head=(3.5, None)),
        point(2, "half", 40, head=(2.5, None)),
        point(3, "shut", 5, head=(1.5, None)),
        point(4),
    ]
    pairs = compare_points(first, second)
    assert [(one.name, one.first, one.second) for one in pairs] == [
        ("shut", 1, 3),
        ("Valve 40 %", 2, 2),
        ("Valve 60 %", 3, 1),
        ("point 4", 4, None),
        ("point 4", None, 4),
    ]
    assert [one.channels[0].difference for one in pairs[:3]] == [0.5, 0.5, 0.5]
    assert {one.channels[0].finding for one in pairs[:3]} == {""}  # no certificate, no verdict


def test_what_was_given_up_taken_out_or_has_another_unit_has_no_difference() -> None:
    other = point(1, "c", head=(5, 0.1))
    other.means[0].unit = "bar"
    pairs = compare_points(
        [
            point(1, "a", gave_up="not steady"),
            point(2, "b", void=True, head=(1, 0.1)),
            point(3, "c", head=(4, 0.1)),
            point(4, "d", stage="as found", head=(4, 0.1)),
        ],
        [
            point(5, "a", head=(2, 0.1)),
            point(6, "b", head=(2, 0.1)),
            other,
            point(7, "d", stage="as left", head=(4, 0.1)),
        ],
    )
    assert [[one.difference for one in pair.channels] for pair in pairs] == [[None]] * 5
    assert [(pair.first, pair.second) for pair in pairs] == [(1, 5), (2, 6), (3, 1), (4, None), (None, 7)]
