"""Units as people write them at a bench, and what may be done with them.

Dimensions and factors are pint's. Ours is the writing (m3/h, °C, 1/min, N·m), and two distinctions pint does
not make: pressures are gauge, absolute or differential (`bar(g)`, `bar(a)`, `bar(d)`; a plain `bar` says
nothing and goes with all), and temperatures are readings or differences. A unit nobody has heard of (NTU, pH)
is a dimension of its own.
"""

import math
import re
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any, Literal

Kind = Literal["", "gauge", "absolute", "differential"]
WORDS: dict[str, Kind] = {"g": "gauge", "a": "absolute", "d": "differential"}
PRESSURE = "[mass] / [length] / [time] ** 2"
TEMPERATURE = "[temperature]"
LONGEST = 40

OURS = {
    "%": "percent",
    "°": "degree",
    "°C": "degC",
    "°F": "degF",
    "Ω": "ohm",
    "1": "dimensionless",
    "cnt": "count",
    "counts": "count",
    "ppm": "ppm",
    "gpm": "gallon/minute",
    "cfm": "foot**3/minute",
    "mmHg": "mmHg",
    "mWS": "mH2O",
    "Nm": "N*m",
    "mNm": "mN*m",
    "kNm": "kN*m",
    "%RH": "percent",
    "U/min": "rpm",
    "rev": "revolution",
    "dB": "",
    "dBm": "",
    "pH": "",
}
"""Written here so, known to pint otherwise. An empty name is a dimension of its own."""


class UnitError(ValueError):
    """Units that do not go together; the message says which and what to do."""


@dataclass(slots=True, frozen=True)
class Unit:
    """A unit: pint's, with the kind of pressure. `label` is how it was written. `delta`: a difference of
    temperatures, not a reading."""

    label: str
    pint: Any
    kind: Kind = ""
    delta: bool = False

    @property
    def dimension(self) -> str:
        """Its dimension in words of pint's."""
        return str(self.pint.dimensionality)

    @property
    def is_number(self) -> bool:
        """Whether it is no unit at all, or a mere ratio (percent, degrees of angle)."""
        return bool(self.pint.dimensionless)

    @property
    def is_temperature(self) -> bool:
        """Whether it is a reading on a scale whose zero is not nothing (°C, °F)."""
        return not self.delta and self.pint in _offset_units()

    def __str__(self) -> str:
        return self.label or "no unit"


_REGISTRY: dict[str, Any] = {}


def registry() -> Any:
    """pint's registry; made when it is first needed, for it takes its time. Any thread."""
    one = _REGISTRY.get("one")
    if one is None:
        import pint

        # Two threads at once make one each, but all get the first that stands here: the units of one registry
        # are strange to another.
        one = _REGISTRY.setdefault("one", pint.UnitRegistry(on_redefinition="ignore"))
    return one


@lru_cache(1)
def _offset_units() -> tuple[Any, ...]:
    return registry().Unit("degC"), registry().Unit("degF")


_HARMLESS = re.compile(r"(?:[^\d*]|(?<![*\d])1(?=/)|(?<!\*)\*(?!\*)|(?<=[A-Za-z)])\*\*-?[1-9](?![\d.*]))+")
"""No numbers but small exponents: a unit is never a sum that takes for ever."""

_OPAQUE: dict[str, str] = {}


@lru_cache(1024)
def unit_of(label: str) -> Unit:
    """The unit written so. Raises UnitError only where it is no unit at all (too long, brackets left open)."""
    text = label.strip()
    if len(text) > LONGEST:
        raise UnitError(f"“{text[:20]}…” is too long for a unit: at most {LONGEST} characters.")
    if not text:
        return Unit("", registry().Unit("dimensionless"))
    kind: Kind = ""
    found = re.fullmatch(r"(.+?)\s*\((g|a|d)\)", text)
    if found:
        text, kind = found[1], WORDS[found[2]]
    made = _known(text)
    unit = Unit(label.strip(), made, kind)
    if kind and unit.dimension != PRESSURE:
        if found and _known_or_none(text) is not None:
            raise UnitError(f"“{label}”: gauge, absolute and differential are told apart for pressures only.")
        return Unit(label.strip(), _opaque(label.strip()))
    return unit


def _known(text: str) -> Any:
    made = _known_or_none(text)
    return made if made is not None else _opaque(text)


def _known_or_none(text: str) -> Any:
    if text in OURS:
        return registry().parse_units(OURS[text]) if OURS[text] else _opaque(text)
    plain = text.replace("·", "*").replace("⋅", "*").replace("µ", "u").replace("μ", "u").replace("^", "**")
    plain = plain.replace("²", "**2").replace("³", "**3")
    powers = re.sub(r"(?<=[A-Za-z])(-?[123])(?![0-9A-Za-z*])", r"**\1", plain)
    for candidate in (plain, powers):
        if not _HARMLESS.fullmatch(candidate):
            continue
        words = [OURS.get(word) or word for word in re.split(r"(\*\*|[*/() ])", candidate)]
        try:
            return registry().Unit("".join(words))
        except Exception:  # whatever pint's parser stumbles over: it is no unit that it knows
            continue
    return None


def _opaque(text: str) -> Any:
    """A dimension of its own, for a unit nobody has heard of."""
    if text not in _OPAQUE:
        if len(_OPAQUE) >= 1000:
            raise UnitError(f"“{text}” is not a unit that is known.")
        # Named by the text alone: two threads at once define the same.
        code = text.encode("utf-8", "surrogatepass").hex()
        registry().define(f"own_unit_{code} = [own_dimension_{code}]")
        _OPAQUE[text] = f"own_unit_{code}"
    return registry().Unit(_OPAQUE[text])


def conversion(source: Unit, target: Unit) -> tuple[float, float]:
    """Scale and offset that make a value in `target` of one in `source`. Raises UnitError."""
    if source.pint.dimensionality != target.pint.dimensionality:
        raise UnitError(f"{source} cannot be converted to {target}: they measure different things.")
    if source.kind and target.kind and source.kind != target.kind:
        raise UnitError(
            f"{source} is {source.kind} pressure and {target} is {target.kind}: between them stands the pressure of "
            "the air, which has to be measured. Add or take it away as a channel of its own."
        )
    if source.is_temperature or target.is_temperature:
        if source.delta or target.delta:
            raise UnitError(f"{source} and {target}: a difference of temperatures is no temperature.")
        quantity = registry().Quantity
        zero = quantity(0.0, source.pint).to(target.pint).magnitude
        hundred = quantity(100.0, source.pint).to(target.pint).magnitude
        return _tidy((hundred - zero) / 100.0), round(float(zero), 9)
    factor = _factor(_difference(source), _difference(target))
    if source.dimension == "1 / [time]" and _turns(source) != _turns(target):
        # To pint a turn is 2 pi; at a bench 3000 rpm are 3000 1/min, and 50 Hz.
        factor = factor / math.tau if _turns(source) else factor * math.tau
    return _tidy(factor), 0.0


def stretch(source: Unit, target: Unit) -> float:
    """The factor between differences of two units: K to °F is 1.8. Raises UnitError."""
    if source.pint.dimensionality != target.pint.dimensionality:
        raise UnitError(f"{source} cannot be converted to {target}: they measure different things.")
    return _tidy(_factor(_degrees(source), _degrees(target)))


def _degrees(unit: Unit) -> Any:
    return _difference(replace(unit, delta=True)) if unit.is_temperature else _difference(unit)


def _turns(unit: Unit) -> bool:
    """Whether it counts angles: turns, radians, degrees."""
    names = str(unit.pint)
    return any(word in names for word in ("revolution", "turn", "radian", "degree", "rpm"))


@lru_cache(4096)
def _factor(source: Any, target: Any) -> float:
    return float(registry().Quantity(1.0, source).to(target).magnitude)


def _tidy(value: float) -> float:
    """Exact where it can be: 0.001 and not 0.0009999999999999998."""
    for number, turned in ((value, False), (1 / value, True)):
        near = Fraction(number).limit_denominator(100_000)
        if near and abs(float(near) - number) < 1e-14 * abs(number):
            return float(1 / near) if turned else float(near)
    return value


def _difference(unit: Unit) -> Any:
    """What a temperature's differences are measured in; other units are what they are."""
    if unit.delta:
        celsius, fahrenheit = _offset_units()
        if unit.pint == celsius:
            return registry().Unit("kelvin")
        if unit.pint == fahrenheit:
            return registry().Unit("delta_degF")
    return unit.pint


# ---- what becomes of units in calculations


def added(left: Unit, right: Unit) -> Unit:
    """The unit of left + right. Raises UnitError."""
    _same(left, right, "added to")
    if left.is_temperature and right.is_temperature:
        raise UnitError(f"Two temperatures ({left}) cannot be added; mean(a, b) averages them.")
    if left.kind and left.kind == right.kind != "differential":
        raise UnitError(f"Two {left.kind} pressures cannot be added; mean(a, b) averages them.")
    if {left.kind, right.kind} == {"gauge", "absolute"}:
        # Gauge pressure and that of the air make absolute pressure.
        return replace(left, kind="absolute", label=_label(left, "a"))
    if left.kind in ("", "differential") and right.kind in ("gauge", "absolute"):
        return replace(left, kind=right.kind, label=_label(left, right.kind[0]))
    return right if right.is_temperature else left


def subtracted(left: Unit, right: Unit) -> Unit:
    """The unit of left - right. Raises UnitError."""
    _same(left, right, "taken from", swapped=True)
    if left.is_temperature and right.is_temperature:
        return replace(left, delta=True, label="K" if left.label == "°C" else left.label)
    if right.is_temperature:
        raise UnitError(f"{right} is a temperature: it cannot be taken from {left}.")
    if left.kind and left.kind == right.kind:
        return replace(left, kind="differential", label=_label(left, "d"))
    if left.kind == "absolute" and right.kind == "gauge":
        return replace(left, kind="absolute", label=_label(left, "a"))
    if left.kind == "gauge" and right.kind == "absolute":
        raise UnitError(f"Absolute pressure ({right}) cannot be taken from gauge pressure ({left}).")
    return left


def compared(left: Unit, right: Unit, what: str = "compared with") -> Unit:
    """The unit two values are compared in. Raises UnitError."""
    _same(left, right, what)
    if {left.kind, right.kind} == {"gauge", "absolute"}:
        raise UnitError(f"Gauge and absolute pressure ({left}, {right}) cannot be {what.split()[0]}.")
    return left


def multiplied(left: Unit, right: Unit, divide: bool = False) -> Unit:
    """The unit of left x right, or left / right. Raises UnitError."""
    for unit in (left, right):
        if unit.is_temperature:
            raise UnitError(
                f"{unit} cannot be multiplied or divided: its zero is not nothing. Say in(…, [K]) first."
            )
    pint = _difference(left) / _difference(right) if divide else _difference(left) * _difference(right)
    if right.is_number and str(right.pint) == "dimensionless":
        return left
    if left.is_number and str(left.pint) == "dimensionless" and not divide:
        return right
    return Unit(short(pint), pint)


def powered(unit: Unit, exponent: float) -> Unit:
    """The unit of unit ^ exponent. Raises UnitError."""
    if unit.is_temperature:
        raise UnitError(f"{unit} cannot be raised to a power. Say in(…, [K]) first.")
    if exponent == 1:
        return unit
    pint = _difference(unit) ** exponent
    return Unit(short(pint), pint)


def short(pint: Any) -> str:
    """A unit of pint's, written short: bar·L/min."""
    text = f"{pint:~P}" if not pint.dimensionless or str(pint) != "dimensionless" else ""
    return text.replace("**", "^")


def _label(unit: Unit, letter: str) -> str:
    return re.sub(r"\s*\([gad]\)$", "", unit.label) + f"({letter})"


def _same(left: Unit, right: Unit, what: str, swapped: bool = False) -> None:
    if left.pint.dimensionality != right.pint.dimensionality:
        first, second = (right, left) if swapped else (left, right)
        raise UnitError(f"{_named(first)} cannot be {what} {_named(second)}: they measure different things.")


def _named(unit: Unit) -> str:
    return unit.label or "a number without unit"
