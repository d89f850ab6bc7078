"""The steps from a field to a channel's value, as functions."""

import itertools
from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import isfinite

from tidybench.core.channels.curves.resistance import ResistanceThermometer, Thermistor
from tidybench.core.channels.curves.thermocouple import Thermocouple
from tidybench.core.quality import Quality
from tidybench.core.setup.scaling import (
    CurrentLoopStep,
    DecimalsStep,
    LinearStep,
    PointsStep,
    RangeStep,
    ResistanceStep,
    ScalingStep,
    SignStep,
    ThermistorStep,
    ThermocoupleStep,
    UnitStep,
)
from tidybench.core.units import conversion, unit_of

Scale = Callable[[float], float]
"""What a step does. -inf: under range; inf: over range; NaN: it gives no value."""

BROKEN, FAILED = 3.6, 21.0
"""mA below and above which a loop tells of a fault (NAMUR NE 43)."""


@dataclass(slots=True, frozen=True)
class Step:
    """One step as it is shown: its words, and the value after it."""

    words: str
    value: float | None
    quality: Quality


def make_step(step: ScalingStep) -> Scale:
    """The function of one step."""
    if isinstance(step, SignStep):
        return lambda x: -x
    if isinstance(step, DecimalsStep):
        power = 10.0**step.places
        return lambda x: x / power
    if isinstance(step, LinearStep):
        return _linear(step.scale, step.offset)
    if isinstance(step, RangeStep):
        low, base = step.low, step.becomes_low
        slope = (step.becomes_high - base) / (step.high - low)
        return lambda x: (x - low) * slope + base
    if isinstance(step, CurrentLoopStep):
        return _current_loop(step)
    if isinstance(step, PointsStep):
        return fitted(step)
    if isinstance(step, ThermocoupleStep):
        return Thermocouple(step.type, step.reference).celsius
    if isinstance(step, ResistanceStep):
        return ResistanceThermometer(step.r0, step.a, step.b, step.c).celsius
    if isinstance(step, ThermistorStep):
        return _thermistor(step)
    assert isinstance(step, UnitStep)
    return _linear(*conversion(unit_of(step.source), unit_of(step.target)))


def _linear(scale: float, offset: float) -> Scale:
    return lambda x: x * scale + offset


def _current_loop(step: CurrentLoopStep) -> Scale:
    base, slope = step.at_4, (step.at_20 - step.at_4) / 16.0

    def scale(x: float) -> float:
        if x < BROKEN:
            return float("-inf")
        return (x - 4.0) * slope + base if x <= FAILED else float("inf")

    return scale


def _thermistor(step: ThermistorStep) -> Scale:
    if step.r25 is not None and step.beta is not None:
        return Thermistor.of_beta(step.r25, step.beta).celsius
    assert step.a is not None
    assert step.b is not None
    assert step.c is not None
    return Thermistor(step.a, step.b, step.c).celsius


def fitted(step: PointsStep) -> Scale:
    """What a calibration of several points makes of a value."""
    points = sorted(step.points)
    if step.fit == "offset":
        offset = sum(true - shown for shown, true in points) / len(points)
        return lambda x: x + offset
    if step.fit != "between points":
        coefficients = coefficients_of(step)

        def polynomial(x: float) -> float:
            total = 0.0
            for coefficient in coefficients:
                total = total * x + coefficient
            return total

        return polynomial
    pieces = [
        (second[0], first[0], first[1], (second[1] - first[1]) / (second[0] - first[0]))
        for first, second in itertools.pairwise(points)
    ]

    ends = [end for end, _, _, _ in pieces[:-1]]  # beyond the last point its piece goes on

    def between(x: float) -> float:
        _, start, base, slope = pieces[bisect_left(ends, x)]
        return (x - start) * slope + base

    return between


def coefficients_of(step: PointsStep) -> list[float]:
    """Coefficients of a straight line or a polynomial fitted by least squares, the highest power first."""
    import numpy as np  # seldom needed, and slow to come

    x, y = np.array(sorted(step.points)).T
    fit = np.polynomial.Polynomial.fit(x, y, step.degree if step.fit == "polynomial" else 1).convert()
    return [float(c) for c in reversed(fit.coef)]


def residuals(step: PointsStep) -> list[float]:
    """What is left at every point as given: true value - what the fit makes of the shown one."""
    scale = fitted(step)
    return [true - scale(shown) for shown, true in step.points]


def combined(steps: Sequence[ScalingStep]) -> Scale:
    """All steps after each other. What one of them finds out of range stays so."""
    functions = [make_step(step) for step in steps]
    if len(functions) == 1:
        return functions[0]

    def scale(x: float) -> float:
        for function in functions:
            x = function(x)
            if not isfinite(x):
                break
        return x

    return scale


def judged(value: float) -> tuple[Quality, float]:
    """A step's outcome as a quality and a value: out of range is no number."""
    if isfinite(value):
        return Quality.OK, value
    if value != value:
        return Quality.NO_READING, float("nan")
    return (Quality.OVER if value > 0 else Quality.UNDER), float("nan")


def traced(steps: Sequence[ScalingStep], value: float) -> list[Step]:
    """A value before and after every step, as it is shown."""
    found = []
    for step in steps:
        quality, after = judged(make_step(step)(value))
        found.append(Step(words(step), after if quality.measured else None, quality))
        if not quality.measured:
            break
        value = after
    return found


def words(step: ScalingStep) -> str:
    """A step in words."""
    if isinstance(step, SignStep):
        return "sign inverted"
    if isinstance(step, DecimalsStep):
        return f"{step.places} implied decimals"
    if isinstance(step, LinearStep):
        return f"× {step.scale:g} {'+' if step.offset >= 0 else '−'} {abs(step.offset):g}"
    if isinstance(step, RangeStep):
        return f"{step.low:g} to {step.high:g} becomes {step.becomes_low:g} to {step.becomes_high:g}"
    if isinstance(step, CurrentLoopStep):
        return f"4 to 20 mA is {step.at_4:g} to {step.at_20:g}"
    if isinstance(step, PointsStep):
        how = {
            "between points": "straight between them",
            "straight line": "a straight line",
            "offset": "an offset",
            "polynomial": f"polynomial of degree {step.degree}",
        }[step.fit]
        return f"{len(step.points)} point{'' if len(step.points) == 1 else 's'}, {how}"
    if isinstance(step, ThermocoupleStep):
        return f"thermocouple type {step.type}, reference at {step.reference:g} °C"
    if isinstance(step, ResistanceStep):
        return f"resistance thermometer, {step.r0:g} Ω at 0 °C"
    if isinstance(step, ThermistorStep):
        return f"thermistor, {step.r25:g} Ω at 25 °C" if step.r25 is not None else "thermistor"
    return f"{step.source or '1'} to {step.target or '1'}"
