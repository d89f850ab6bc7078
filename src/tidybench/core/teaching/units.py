"""Units that stand beside numbers."""

from collections.abc import Sequence

from tidybench.core.units import UnitError, conversion, unit_of

UNITS = frozenset(
    [
        "V",
        "mV",
        "uV",
        "kV",
        "A",
        "mA",
        "uA",
        "kA",
        "W",
        "mW",
        "kW",
        "MW",
        "VA",
        "kVA",
        "var",
        "Hz",
        "kHz",
        "MHz",
        "rpm",
        "Ohm",
        "kOhm",
        "MOhm",
        "ohm",
        "F",
        "uF",
        "nF",
        "pF",
        "H",
        "mH",
        "dB",
        "dBm",
        "bar",
        "mbar",
        "Pa",
        "kPa",
        "MPa",
        "hPa",
        "psi",
        "m",
        "mm",
        "cm",
        "um",
        "km",
        "in",
        "ft",
        "s",
        "ms",
        "us",
        "min",
        "h",
        "g",
        "kg",
        "mg",
        "t",
        "N",
        "kN",
        "Nm",
        "°C",
        "C",
        "°F",
        "F",
        "K",
        "degC",
        "degF",
        "deg",
        "°",
        "%",
        "L/min",
        "l/min",
        "L/h",
        "m3/h",
        "m3/s",
        "L",
        "l",
        "mL",
        "m/s",
        "mm/s",
        "km/h",
        "m/s2",
        "g/s",
        "kg/h",
        "NTU",
        "pH",
        "ppm",
        "ppb",
        "lx",
        "cd",
        "S",
        "mS",
        "uS",
        "S/m",
        "µV",
        "µA",
        "µm",
        "µs",
        "µF",
    ]
)
"""As instruments write them."""


def is_unit(text: str) -> bool:
    """Whether a word that stands behind a number is its unit: one of those that are known, or known ones by known ones."""
    first, *below = text.split("/")
    return text in UNITS or (
        0 < len(below) < 3 and first in UNITS and all(part and part.rstrip("23") in UNITS for part in below)
    )


def plain_unit(text: bytes) -> str:
    """A unit as people write it, from the bytes of an instrument: a degree sign in any usual encoding."""
    try:
        return text.decode("utf-8")
    except UnicodeDecodeError:
        return text.replace(b"\xf8", b"\xb0").decode("latin-1")


def one_scale(units: Sequence[str]) -> dict[str, dict[str, float]] | None:
    """How many of the one is one of the other, where units differ by a factor alone; None where they do not."""
    found: dict[str, dict[str, float]] = {}
    for target in units:
        found[target] = {}
        for source in units:
            try:
                scale, offset = conversion(unit_of(source), unit_of(target))
            except UnitError:
                return None
            if offset:
                return None
            found[target][source] = scale
    return found
