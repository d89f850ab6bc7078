"""How a field becomes a channel's value: steps in order. And what is known of its calibration."""

import itertools
from datetime import date as Day
from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.setup.part import Part
from tidybench.core.units import UnitError, conversion, unit_of
from tidybench.core.values.figure import figure

Finite = Annotated[float, Field(ge=-1e300, le=1e300, allow_inf_nan=False)]
UnitLabel = Annotated[str, Field(max_length=40)]


class SignStep(Part):
    """The sign is inverted."""

    kind: Literal["sign"]


class DecimalsStep(Part):
    """The field stands without its decimal point: the last `places` digits are behind it."""

    kind: Literal["decimals"]
    places: Annotated[int, Field(ge=1, le=15)]


class LinearStep(Part):
    """value x scale + offset."""

    kind: Literal["linear"]
    scale: Finite = 1.0
    offset: Finite = 0.0


class RangeStep(Part):
    """Counts to units: what runs from `low` to `high` is made to run from `becomes_low` to `becomes_high`."""

    kind: Literal["range"]
    low: Finite
    high: Finite
    becomes_low: Finite
    becomes_high: Finite

    @model_validator(mode="after")
    def _wide(self) -> "RangeStep":
        if self.low == self.high:
            raise ValueError(f"range: it begins and ends at {self.low:g}; give it two ends")
        return self


class CurrentLoopStep(Part):
    """A 4-20 mA transmitter: `at_4` and `at_20` are what it means. Below 3.6 mA the loop is broken or the
    transmitter says it has failed: under; above 21 mA: over (NAMUR NE 43)."""

    kind: Literal["current loop"]
    at_4: Finite
    at_20: Finite

    @model_validator(mode="after")
    def _wide(self) -> "CurrentLoopStep":
        if self.at_4 == self.at_20:
            raise ValueError(f"current loop: both ends mean {self.at_4:g}; give it two ends")
        return self


class PointsStep(Part):
    """A calibration of several points, each [shown, true]: straight between neighbours (and on beyond the
    outermost ones); or one curve fitted to all by least squares: an offset, a straight line, a polynomial. As the last step of a
    channel it is its correction, which a calibration by points replaces."""

    kind: Literal["points"]
    points: Annotated[list[tuple[Finite, Finite]], Field(min_length=1, max_length=200)]
    fit: Literal["between points", "straight line", "offset", "polynomial"] = "between points"
    degree: Annotated[int, Field(ge=1, le=6)] = 2

    @model_validator(mode="after")
    def _apart(self) -> "PointsStep":
        shown = sorted(x for x, _ in self.points)
        if self.fit == "between points":
            for first, second in itertools.pairwise(shown):
                if first == second:
                    raise ValueError(f"points: two of them show {first:g}; every shown value may stand once")
        needed, different = self.needed, len(set(shown))
        if different < needed:
            what = f"a polynomial of degree {self.degree}" if self.fit == "polynomial" else f"“{self.fit}”"
            different_words = "different " if different < len(shown) else ""
            raise ValueError(
                f"points: {what} needs at least {needed} {different_words}points, there {'is' if different == 1 else 'are'} {different}"
            )
        return self

    @property
    def needed(self) -> int:
        """How many points of different shown values it takes."""
        return {"offset": 1, "polynomial": self.degree + 1}.get(self.fit, 2)


class ThermocoupleStep(Part):
    """Millivolts to °C; the reference junction is at `reference` °C."""

    kind: Literal["thermocouple"]
    type: Literal["B", "E", "J", "K", "N", "R", "S", "T"]
    reference: Annotated[float, Field(ge=-50, le=100)] = 0.0


class ResistanceStep(Part):
    """Ohms to °C by the Callendar-Van Dusen equation; the coefficients are those of IEC 60751."""

    kind: Literal["resistance thermometer"]
    r0: Annotated[float, Field(gt=0, le=1e6)] = 100.0
    a: Annotated[float, Field(gt=0, lt=0.1)] = 3.9083e-3
    b: Annotated[float, Field(gt=-1e-4, lt=0)] = -5.775e-7
    c: Annotated[float, Field(gt=-1e-9, le=0)] = -4.183e-12


class ThermistorStep(Part):
    """Ohms to °C: Steinhart and Hart's a, b and c, or the resistance at 25 °C and the B value."""

    kind: Literal["thermistor"]
    a: Finite | None = None
    b: Finite | None = None
    c: Finite | None = None
    r25: Annotated[float, Field(gt=0, le=1e9)] | None = None
    beta: Annotated[float, Field(gt=0, le=1e5)] | None = None

    @model_validator(mode="after")
    def _whole(self) -> "ThermistorStep":
        hart = [self.a, self.b, self.c].count(None) == 0
        beta = self.r25 is not None and self.beta is not None
        if hart == beta:
            raise ValueError("thermistor: give a, b and c, or r25 and beta")
        return self


class UnitStep(Part):
    """From one unit to another."""

    kind: Literal["unit"]
    source: UnitLabel
    target: UnitLabel

    @model_validator(mode="after")
    def _possible(self) -> "UnitStep":
        try:
            conversion(unit_of(self.source), unit_of(self.target))
        except UnitError as error:
            raise ValueError(f"unit: {error}") from error
        return self


ScalingStep = Annotated[
    SignStep
    | DecimalsStep
    | LinearStep
    | RangeStep
    | CurrentLoopStep
    | PointsStep
    | ThermocoupleStep
    | ResistanceStep
    | ThermistorStep
    | UnitStep,
    Field(discriminator="kind"),
]


class CalibrationPart(Part):
    """What the certificate says. It changes no value; a run begins with a warning when it is overdue.

    `expanded`: the expanded uncertainty in the channel's unit, `expanded_percent`: in per cent of the reading (both add up),
    with the coverage factor `coverage` (JCGM 100, 6.2); `uncertainty`: the same as a text, where no number says it.
    """

    asset: Annotated[str, Field(max_length=80)] = ""
    serial: Annotated[str, Field(max_length=80)] = ""
    certificate: Annotated[str, Field(max_length=120)] = ""
    date: Day | None = None
    due: Day | None = None
    range: Annotated[str, Field(max_length=80)] = ""
    uncertainty: Annotated[str, Field(max_length=80)] = ""
    expanded: Annotated[float, Field(ge=0, le=1e300, allow_inf_nan=False)] | None = None
    expanded_percent: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] | None = None
    coverage: Annotated[float, Field(ge=1, le=10, allow_inf_nan=False)] = 2.0

    @model_validator(mode="after")
    def _ordered(self) -> "CalibrationPart":
        if self.date is not None and self.due is not None and self.due <= self.date:
            raise ValueError(f"calibration: due on {self.due}, which is not after {self.date}")
        return self

    def facts(self, unit: str) -> dict[str, str]:
        """What is known, as texts; `unit`: the channel's."""
        named = ("asset", "serial", "certificate", "date", "due", "range", "uncertainty")
        found = {key: str(value) for key in named if (value := getattr(self, key))}
        if self.stated:
            found["uncertainty"] = "; ".join(
                part for part in (found.get("uncertainty"), self.words(unit)) if part
            )
        return found

    @property
    def stated(self) -> bool:
        """Whether a number states an uncertainty."""
        return self.expanded is not None or self.expanded_percent is not None

    def words(self, unit: str) -> str:
        """The expanded uncertainty; `unit`: the channel's."""
        parts = [f"{figure(self.expanded)} {unit}".strip()] if self.expanded is not None else []
        if self.expanded_percent is not None:
            parts.append(f"{figure(self.expanded_percent)} % of the reading")
        return f"± {' + '.join(parts)} (k = {figure(self.coverage)})" if parts else ""

    def standard_uncertainty(self, value: float) -> float | None:
        """The standard uncertainty of a value, in its unit; None where no number states one."""
        if not self.stated:
            return None
        return ((self.expanded or 0.0) + (self.expanded_percent or 0.0) / 100 * abs(value)) / self.coverage
