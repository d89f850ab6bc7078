"""What a curve says: where its corner lies, how steep it is, where it resonates, which response it fits.

Every answer states its method, the stretch it is made from, and how uncertain it is by the scatter of the rows (a standard uncertainty,
k = 1). Uncertainties of the instrument are not in it.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from tidybench.core.values.curve import CurveColumn

Array = npt.NDArray[np.float64]
Question = Literal["corner", "slope", "resonance", "first order", "second order"]

HALF_POWER = 20 * math.log10(math.sqrt(2))
"""3.0103 dB: half the power."""

FLAT = 0.1
"""Decibels within which the rows at the low end count as the passband, where no stretch is given; three times their scatter where that is more."""

WITHIN = 5
"""Rows that must lie within the width of a resonance for its quality factor to have an uncertainty."""

EXPLAINED = 0.9
"""Share of the variance that a fit must explain."""


class CurveError(ValueError):
    """What was asked has no answer, and why, in a sentence."""


@dataclass(slots=True, frozen=True)
class Result:
    """One figure: `uncertainty` is standard, None where it cannot be told."""

    name: str
    value: float
    unit: str = ""
    uncertainty: float | None = None


@dataclass(slots=True, frozen=True)
class Answer:
    """What was found: `begin` to `end` is the stretch that it is made from, of `points` rows. `xs`, `ys`: a line to be drawn through the curve,
    in its own unit."""

    question: Question
    results: list[Result]
    method: str
    begin: float
    end: float
    points: int
    xs: list[float] = field(default_factory=list)
    ys: list[float] = field(default_factory=list)


def unwrapped(values: Array, unit: str) -> Array:
    """An angle without its jumps by a whole turn; what is missing stays missing."""
    turn = 2 * math.pi if unit.strip().lower() == "rad" else 360.0
    found = np.isfinite(values)
    out = values.copy()
    if found.any():
        out[found] = np.unwrap(values[found], period=turn)
    return out


def difference(x: Array, y: Array, other_x: Array, other_y: Array, logarithmic: bool) -> tuple[Array, Array]:
    """y less the other curve's, at the x of the first that lie within the other's; between the other's rows in a straight line (over log x
    where so drawn). Raises CurveError."""
    x, y = _measured(x, y, logarithmic)
    other_x, other_y = _measured(other_x, other_y, logarithmic)
    if len(x) < 1 or len(other_x) < 2:
        raise CurveError("There are not enough rows for a difference.")
    order = np.argsort(other_x, kind="stable")
    other_x, other_y = other_x[order], other_y[order]
    shared = (x >= other_x[0]) & (x <= other_x[-1])
    if not shared.any():
        raise CurveError("The two curves have no stretch in common: there is no difference.")
    place = np.log10 if logarithmic else np.asarray
    return x[shared], y[shared] - np.interp(place(x[shared]), place(other_x), other_y)


def answer(
    question: Question,
    x: Array,
    y: Array,
    over: CurveColumn,
    quantity: CurveColumn,
    begin: float | None = None,
    end: float | None = None,
) -> Answer:
    """What a curve says. `begin`, `end`: the stretch it is asked of (for a corner: the passband); None for all of it. Raises CurveError."""
    x, y = _measured(x, y, logarithmic=True)
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    if len(x) < 3:
        raise CurveError(
            "There are fewer than three rows above zero that were measured: too few to say anything."
        )
    gain, told = _decibels(y, quantity)
    ask = _ASK[question]
    return ask(x, gain, _Of(over, quantity, told, begin, end))


@dataclass(slots=True, frozen=True)
class _Of:
    over: CurveColumn
    quantity: CurveColumn
    told: str  # how the gain was made
    begin: float | None
    end: float | None

    def stretch(self, x: Array) -> npt.NDArray[np.bool_]:
        low = self.begin if self.begin is not None else -math.inf
        high = self.end if self.end is not None else math.inf
        low, high = min(low, high), max(low, high)
        within: npt.NDArray[np.bool_] = (x >= low) & (x <= high)
        return within

    def own(self, gain: Array) -> list[float]:
        """A gain in dB in the quantity's own unit."""
        found = gain if not self.told else 10 ** (gain / 20)
        return [float(one) for one in found]

    def span(self, x: Array) -> str:
        return f"{x[0]:.5g} to {x[-1]:.5g} {self.over.unit}".strip()


def _measured(x: Array, y: Array, logarithmic: bool) -> tuple[Array, Array]:
    good = np.isfinite(x) & np.isfinite(y)
    if logarithmic:
        good &= x > 0
    return x[good], y[good]


def _decibels(y: Array, quantity: CurveColumn) -> tuple[Array, str]:
    if quantity.unit.strip().lower() == "db":
        return y, ""
    if (y <= 0).any():
        raise CurveError(
            f"{quantity.name} is not in dB and has values that are not above zero: there is no gain to look at."
        )
    gain: Array = 20 * np.log10(y)
    return gain, f"{quantity.name} taken as an amplitude, 20 lg of it in dB. "


def _passband(x: Array, gain: Array, of: _Of) -> tuple[float, float, float, npt.NDArray[np.bool_], str]:
    """Level of the passband, its standard deviation, and of the mean; its rows, and how they were chosen."""
    if of.begin is not None or of.end is not None:
        chosen = of.stretch(x)
        how = "as chosen"
        if not chosen.any():
            raise CurveError("The stretch that is chosen for the passband has no rows.")
    else:
        scatter = float(np.median(np.abs(np.diff(gain[:12], 2)))) / 1.65 if len(gain) > 4 else 0.0
        flat = max(FLAT, 3 * scatter)
        level_there = float(np.median(gain[:3]))
        beyond = np.flatnonzero(np.abs(gain - level_there) > flat)
        beyond = beyond[beyond > 2]
        chosen = np.arange(len(x)) < (beyond[0] if len(beyond) else len(x))
        how = f"the rows at the low end within {flat:.2g} dB"
    count = int(chosen.sum())
    level = float(gain[chosen].mean())
    # About a straight line over lg x: a passband that falls a little is no scatter.
    rest = _residuals(np.log10(x[chosen]), gain[chosen])
    sd = float(math.sqrt(float(rest @ rest) / (count - 2))) if count > 2 else 0.0
    stretch = x[chosen]
    # A passband that falls has no one level: what it falls by is uncertain too.
    fall = float(np.ptp(gain[chosen] - rest)) if count > 2 else 0.0
    words = f"Passband {level:.2f} dB, the mean of {count} rows from {of.span(stretch)} ({how})"
    return level, sd, math.hypot(sd / math.sqrt(count), fall / math.sqrt(12)), chosen, words


def _residuals(x: Array, y: Array) -> Array:
    if len(x) < 3 or np.ptp(x) == 0:
        flat: Array = y - y.mean()
        return flat
    slope, offset = np.polyfit(x, y, 1)
    rest: Array = y - (slope * x + offset)
    return rest


def _corner(x: Array, gain: Array, of: _Of) -> Answer:
    level, sd, of_mean, chosen, words = _passband(x, gain, of)
    target = level - HALF_POWER
    inside = np.flatnonzero(chosen)
    upward = x[-1] / x[inside[-1]] >= x[inside[0]] / x[0]  # towards where there is more of the curve
    steps = range(int(inside[-1]), len(x) - 1) if upward else range(int(inside[0]) - 1, -1, -1)
    place = np.log10(x)
    for n in steps:
        low, high = sorted((gain[n], gain[n + 1]))
        if low <= target <= high and gain[n] != gain[n + 1] and (gain[n] >= target) == upward:
            slope = (gain[n + 1] - gain[n]) / (place[n + 1] - place[n])
            straight = place[n] + (target - gain[n]) / slope
            found = _crossing(place, gain, n, target, float(straight))
            corner = float(10**found)
            # Between rows nobody has measured: how far a curved line differs from a straight one is uncertain too.
            shaky = math.hypot(math.hypot(sd, of_mean) / float(slope), found - float(straight))
            return Answer(
                "corner",
                [
                    Result("−3 dB corner", corner, of.over.unit, float(corner * math.log(10) * shaky)),
                    Result("Passband", level, "dB", of_mean),
                ],
                f"{of.told}{words}. The first crossing of {HALF_POWER:.4f} dB below it {'above' if upward else 'below'} the passband, between the rows at "
                f"{x[n]:.5g} and {x[n + 1]:.5g} {of.over.unit}, by a cubic through their neighbours over lg {of.over.name.lower()}.",
                float(x[inside[0]]), float(x[inside[-1]]), len(inside),
                [float(x[inside[0]]), corner, corner], of.own(np.array([level, level, target])),
            )  # fmt: skip
    raise CurveError(
        f"{words}. {of.quantity.name} never falls {HALF_POWER:.2f} dB below that: there is no corner. Choose the passband, if it lies elsewhere."
    )


def _crossing(place: Array, gain: Array, n: int, target: float, straight: float) -> float:
    """Where the cubic through four rows has a level between the two in the middle; in a straight line where there are not so many."""
    first = min(max(n - 1, 0), len(place) - 4)
    if first < 0 or len(np.unique(place[first : first + 4])) < 4:
        return straight
    around = place[first : first + 4]
    cubic = np.polyfit(around - straight, gain[first : first + 4] - target, 3)
    found = [float(one.real) for one in np.roots(cubic) if abs(one.imag) < 1e-9]
    between = [one for one in found if place[n] <= one + straight <= place[n + 1]]
    return straight + min(between, key=abs) if between else straight


def _slope(x: Array, gain: Array, of: _Of) -> Answer:
    chosen = of.stretch(x)
    count = int(chosen.sum())
    if count < 3:
        raise CurveError(f"The stretch has {count} rows: a slope wants three.")
    place, up = np.log10(x[chosen]), gain[chosen]
    spread = place - place.mean()
    sum_of_squares = float(spread @ spread)
    if sum_of_squares == 0:
        raise CurveError(f"All rows of the stretch have the same {of.over.name.lower()}: there is no slope.")
    slope = float(spread @ (up - up.mean())) / sum_of_squares
    rest = up - up.mean() - slope * spread
    error = math.sqrt(float(rest @ rest) / (count - 2) / sum_of_squares)
    line = up.mean() + slope * (place[[0, -1]] - place.mean())
    return Answer(
        "slope",
        [Result("Slope", slope, "dB per decade", error)],
        f"{of.told}Least squares of the gain over lg {of.over.name.lower()}, {count} rows from {of.span(x[chosen])}; its standard error.",
        float(x[chosen][0]), float(x[chosen][-1]), count,
        [float(one) for one in x[chosen][[0, -1]]], of.own(line),
    )  # fmt: skip


def _resonance(x: Array, gain: Array, of: _Of) -> Answer:
    chosen = of.stretch(x)
    xs, up = x[chosen], gain[chosen]
    if len(xs) < 5:
        raise CurveError(f"The stretch has {len(xs)} rows: a resonance wants five.")
    top = int(np.argmax(up))
    if top in (0, len(up) - 1):
        raise CurveError(
            f"{of.quantity.name} is highest at the end of the stretch: there is no resonance within it."
        )
    place = np.log10(xs)
    at, peak = _vertex(place[top - 1 : top + 2], up[top - 1 : top + 2])
    rest = _residuals(place[: max(3, top // 2)], up[: max(3, top // 2)])
    noise = math.sqrt(float(rest @ rest) / max(1, len(rest) - 2))
    low = _falls(place, up, top, -1, peak - HALF_POWER)
    high = _falls(place, up, top, 1, peak - HALF_POWER)
    frequency = float(10**at)
    results = [Result("Resonance", frequency, of.over.unit, None), Result("Peak", float(peak), "dB", noise)]
    words = f"{of.told}The highest row at {xs[top]:.5g} {of.over.unit} and its neighbours, a parabola over lg {of.over.name.lower()}"
    if low is None or high is None:
        words += f". {of.quantity.name} does not fall by {HALF_POWER:.2f} dB on both sides of it: its width, and with it the quality factor, is not known."
        line = [frequency, frequency]
    else:
        (below, steep), (above, steeper) = low, high
        width = 10**above - 10**below
        quality = frequency / width
        inside = int(((xs >= 10**below) & (xs <= 10**above)).sum())
        shaky = math.hypot(
            10**below * math.log(10) * noise / steep, 10**above * math.log(10) * noise / steeper
        )
        told = float(quality * shaky / width) if inside >= WITHIN else None
        results.insert(1, Result("Quality factor", float(quality), "", told))
        words += f"; quality factor: its frequency over the width of {width:.5g} {of.over.unit} at {HALF_POWER:.4f} dB below the peak."
        if told is None:
            few = "1 row lies" if inside == 1 else f"{inside} rows lie"
            words += f" Only {few} within it: sweep closer, or fit a response of second order."
        line = [float(10**below), float(10**above)]
    return Answer("resonance", results, words, float(xs[0]), float(xs[-1]), len(xs), line, of.own(np.full(2, peak - HALF_POWER)))  # fmt: skip


def _vertex(x: Array, y: Array) -> tuple[float, float]:
    a, b, c = np.polyfit(x - x[1], y, 2)
    if a >= 0:
        return float(x[1]), float(y[1])
    at = -b / (2 * a)
    return float(x[1] + at), float(c - b * b / (4 * a))


def _falls(place: Array, gain: Array, top: int, step: int, level: float) -> tuple[float, float] | None:
    """Where the gain falls below a level, going one way from the top, and how steep it is there."""
    n = top
    while 0 <= n + step < len(gain):
        if gain[n] >= level > gain[n + step]:
            slope = (gain[n + step] - gain[n]) / (place[n + step] - place[n])
            return float(place[n] + (level - gain[n]) / slope), abs(float(slope))
        n += step
    return None


def _first_order(x: Array, gain: Array, of: _Of) -> Answer:
    def model(f: Array, level: float, corner: float) -> Array:
        gain: Array = level - 10 * np.log10(1 + (f / np.exp(corner)) ** 2)
        return gain

    def named(values: Array, errors: Array) -> list[Result]:
        corner = math.exp(values[1])
        return [
            Result("Corner", corner, of.over.unit, float(corner * errors[1])),
            Result("Level", float(values[0]), "dB", float(errors[0])),
        ]

    return _fitted("first order", model, [0.0], named, "K / (1 + j f/fc)", x, gain, of)


def _second_order(x: Array, gain: Array, of: _Of) -> Answer:
    def model(f: Array, level: float, natural: float, quality: float) -> Array:
        ratio = (f / np.exp(natural)) ** 2
        gain: Array = level - 10 * np.log10((1 - ratio) ** 2 + ratio / np.exp(2 * quality))
        return gain

    def named(values: Array, errors: Array) -> list[Result]:
        natural, quality = math.exp(values[1]), math.exp(values[2])
        return [
            Result("Natural frequency", natural, of.over.unit, float(natural * errors[1])),
            Result("Quality factor", quality, "", float(quality * errors[2])),
            Result("Level", float(values[0]), "dB", float(errors[0])),
        ]

    return _fitted("second order", model, [0.0, math.log(0.7), math.log(3.0), math.log(20.0)], named, "K / (1 - (f/f0)² + j f/(f0 Q))", x, gain, of)  # fmt: skip


def _fitted(
    question: Question,
    model: Callable[..., Array],
    shapes: Sequence[float],
    named: Callable[[Array, Array], list[Result]],
    formula: str,
    x: Array,
    gain: Array,
    of: _Of,
) -> Answer:
    from scipy.optimize import curve_fit  # takes its time to come

    chosen = of.stretch(x)
    xs, up = x[chosen], gain[chosen]
    wanted = 2 if question == "first order" else 3
    if len(xs) < wanted + 2:
        raise CurveError(f"The stretch has {len(xs)} rows: this fit wants {wanted + 2}.")
    best: tuple[float, Any, Any] | None = None
    for place in np.log(np.geomspace(xs[0], xs[-1], 7)):
        for shape in shapes:
            begin = [float(up[0]), float(place), shape][:wanted]
            try:
                values, covariance = curve_fit(model, xs, up, begin, maxfev=4000)
            except (RuntimeError, ValueError):
                continue
            rest = up - model(xs, *values)
            left = float(rest @ rest)
            if math.isfinite(left) and (best is None or left < best[0]):
                best = left, values, covariance
    if best is None:
        raise CurveError("The rows fit no such response.")
    left, values, covariance = best
    errors = np.sqrt(np.diag(covariance))
    rms = math.sqrt(left / len(xs))
    whole = float((up - up.mean()) @ (up - up.mean()))
    natural = math.exp(values[1])
    if (
        not np.isfinite(errors).all()
        or (whole > 0 and left > (1 - EXPLAINED) * whole)
        or not xs[0] / 100 < natural < xs[-1] * 100
    ):
        raise CurveError(
            f"The rows fit no such response: what is left over is {rms:.2g} dB. Choose another stretch, or another kind."
        )
    line = np.geomspace(xs[0], xs[-1], 200)
    return Answer(
        question,
        [*named(values, errors), Result("Left over (rms)", rms, "dB")],
        f"{of.told}Least squares of the gain, in dB, of {formula}: {len(xs)} rows from {of.span(xs)}. Uncertainties from the scatter about the fit.",
        float(xs[0]), float(xs[-1]), len(xs),
        [float(one) for one in line], of.own(model(line, *values)),
    )  # fmt: skip


_ASK: dict[Question, Callable[[Array, Array, _Of], Answer]] = {
    "corner": _corner,
    "slope": _slope,
    "resonance": _resonance,
    "first order": _first_order,
    "second order": _second_order,
}
