"""A channel's correction: the calibration points that stand last among its steps. Made from pairs, and taken back."""

import itertools
from collections.abc import Sequence
from functools import partial
from math import isfinite
from typing import Literal

from pydantic import ValidationError

from tidybench.core.channels.scaling import Scale, coefficients_of, fitted
from tidybench.core.setup import ChannelPart
from tidybench.core.setup.scaling import PointsStep
from tidybench.core.values.figure import figure

Fit = Literal["between points", "straight line", "offset", "polynomial"]

BEYOND = 0.5
"""Of the points' span, on both sides: as far as a polynomial is taken back."""

ALIKE = 1e-9
"""Of the largest reference: references that lie no farther apart are one."""

NAN = float("nan")


class CorrectionError(ValueError):
    """Why there can be no such correction, or it cannot be taken back; a sentence."""


def correction_of(channel: ChannelPart) -> PointsStep | None:
    """The correction in force: calibration points as the last step. None where there is none."""
    last = channel.scaling[-1] if channel.scaling else None
    return last if isinstance(last, PointsStep) else None


def basis_of(channel: ChannelPart) -> tuple[object, ...]:
    """What a channel's correction stands upon: where it is another, points of before make a wrong one. Name, limits and the like are no part of it."""
    steps = channel.scaling[:-1] if correction_of(channel) is not None else channel.scaling
    return (
        channel.field,
        channel.query,
        channel.combine,
        channel.unit,
        channel.scale,
        channel.offset,
        tuple(steps),
    )


def correction(pairs: Sequence[tuple[float, float]], fit: Fit, degree: int = 2) -> PointsStep:
    """A correction made of pairs (shown before any correction, true). For straight lines between points, pairs of the same true value
    are averaged first. Its figures have 12 digits. Raises CorrectionError."""
    if not pairs:
        raise CorrectionError("There is no point yet that a correction could be made of.")
    true = [one for _, one in pairs]
    if fit != "offset" and len(pairs) > 1 and max(true) - min(true) <= ALIKE * max(map(abs, true)):
        raise CorrectionError(
            f"All points have the same reference ({figure(true[0])}). Take points at other values too, or choose an offset."
        )
    chosen = _averaged(pairs) if fit == "between points" else pairs
    points = [(float(f"{shown:.12g}"), float(f"{true:.12g}")) for shown, true in chosen]
    try:
        step = PointsStep(kind="points", points=points, fit=fit, degree=degree)
    except ValidationError as error:
        why = str(error.errors()[0]["msg"]).removeprefix("Value error, ").removeprefix("points: ")
        raise CorrectionError(f"{why[0].upper()}{why[1:]}.") from None
    inverse(step)  # refuses one that gives two readings the same value
    return step


def _averaged(pairs: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    by_true: dict[float, list[float]] = {}
    for shown, true in pairs:
        by_true.setdefault(true, []).append(shown)
    return [(sum(shown) / len(shown), true) for true, shown in sorted(by_true.items())]


def inverse(step: PointsStep) -> Scale:
    """From a corrected value back to the one before; NaN where that is too far outside the points. Raises CorrectionError where two
    values before would give the same one after."""
    if step.fit == "offset":
        offset = fitted(step)(0.0)
        return lambda y: y - offset
    if step.fit == "straight line":
        slope, base = coefficients_of(step)
        _must_rise_or_fall(slope != 0)
        return lambda y: (y - base) / slope
    if step.fit == "between points":
        return _inverse_between(step)
    return _inverse_polynomial(step)


def _must_rise_or_fall(does: bool, where: str = "") -> None:
    if not does:
        raise CorrectionError(
            f"The correction turns round{where}: two readings would become the same value. Choose a simpler one, or take out the "
            "point that does not fit."
        )


def _inverse_between(step: PointsStep) -> Scale:
    points = sorted(step.points)
    steps = [second[1] - first[1] for first, second in itertools.pairwise(points)]
    for (first, second), rise in zip(itertools.pairwise(points), steps, strict=True):
        _must_rise_or_fall(rise * steps[0] > 0, f" between {figure(first[0])} and {figure(second[0])}")
    swapped = [(true, shown) for shown, true in points]
    return fitted(PointsStep(kind="points", points=swapped))


def _inverse_polynomial(step: PointsStep) -> Scale:
    import numpy as np  # seldom needed, and slow to come

    shown = [x for x, _ in step.points]
    wide = max(shown) - min(shown)
    low, high = min(shown) - BEYOND * wide, max(shown) + BEYOND * wide
    turns = np.roots(np.polyder(np.array(coefficients_of(step))))
    real = turns[abs(turns.imag) <= 1e-9 * np.maximum(1.0, abs(turns))].real
    inside = [one for one in real if min(shown) <= one <= max(shown)]
    _must_rise_or_fall(not inside, f" at {figure(float(inside[0]))}" if inside else "")
    # Outside its points it is taken back as far as it goes the same way.
    low = max([low, *(float(one) for one in real if one < min(shown))])
    high = min([high, *(float(one) for one in real if one > max(shown))])
    scale = fitted(step)
    ends = sorted((scale(low), scale(high)))

    def back(y: float) -> float:
        if not ends[0] <= y <= ends[1]:
            return NAN
        left, right = (low, high) if scale(low) <= scale(high) else (high, low)
        while (middle := (left + right) / 2) not in (left, right):
            left, right = (middle, right) if scale(middle) <= y else (left, middle)
        return middle

    return back


def uncorrected(channel: ChannelPart, zero: float) -> Scale:
    """From a channel's value back to the one before its correction and its zero. Raises CorrectionError."""
    step = correction_of(channel)
    back = inverse(step) if step is not None else None
    return partial(_before, zero, back)


def _before(zero: float, back: Scale | None, value: float) -> float:
    before = value + zero
    found = before if back is None else back(before)
    return found if isfinite(found) else NAN
