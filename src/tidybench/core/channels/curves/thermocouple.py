"""Thermocouples by the reference functions of ITS-90.

Source: IEC 60584-1:2013, table of reference functions; the same as NIST Monograph 175. The functions give the
voltage (mV) of a temperature (°C) with the reference junction at 0 °C; temperatures are found by solving
them, so that both ways agree to the last digit of the published tables.
"""

from dataclasses import dataclass
from math import exp
from typing import Literal

Kind = Literal["B", "E", "J", "K", "N", "R", "S", "T"]

Piece = tuple[float, float, tuple[float, ...]]
"""From, to (°C), coefficients in rising order (mV)."""

PIECES: dict[str, tuple[Piece, ...]] = {
    "B": (
        (0.0, 630.615, (0.0, -2.46508183460e-4, 5.90404211710e-6, -1.32579316360e-9, 1.56682919010e-12, -1.69445292400e-15,
                        6.29903470940e-19)),
        (630.615, 1820.0, (-3.89381686210, 2.85717474700e-2, -8.48851047850e-5, 1.57852801640e-7, -1.68353448640e-10,
                           1.11097940130e-13, -4.45154310330e-17, 9.89756408210e-21, -9.37913302890e-25)),
    ),
    "E": (
        (-270.0, 0.0, (0.0, 5.86655087080e-2, 4.54109771240e-5, -7.79980486860e-7, -2.58001608430e-8, -5.94525830570e-10,
                       -9.32140586670e-12, -1.02876055340e-13, -8.03701236210e-16, -4.39794973910e-18, -1.64147763550e-20,
                       -3.96736195160e-23, -5.58273287210e-26, -3.46578420130e-29)),
        (0.0, 1000.0, (0.0, 5.86655087100e-2, 4.50322755820e-5, 2.89084072120e-8, -3.30568966520e-10, 6.50244032700e-13,
                       -1.91974955040e-16, -1.25366004970e-18, 2.14892175690e-21, -1.43880417820e-24, 3.59608994810e-28)),
    ),
    "J": (
        (-210.0, 760.0, (0.0, 5.03811878150e-2, 3.04758369300e-5, -8.56810657200e-8, 1.32281952950e-10, -1.70529583370e-13,
                         2.09480906970e-16, -1.25383953360e-19, 1.56317256970e-23)),
        (760.0, 1200.0, (2.96456256810e2, -1.49761277860, 3.17871039240e-3, -3.18476867010e-6, 1.57208190040e-9,
                         -3.06913690560e-13)),
    ),
    "K": (
        (-270.0, 0.0, (0.0, 3.94501280250e-2, 2.36223735980e-5, -3.28589067840e-7, -4.99048287770e-9, -6.75090591730e-11,
                       -5.74103274280e-13, -3.10888728940e-15, -1.04516093650e-17, -1.98892668780e-20, -1.63226974860e-23)),
        (0.0, 1372.0, (-1.76004136860e-2, 3.89212049750e-2, 1.85587700320e-5, -9.94575928740e-8, 3.18409457190e-10,
                       -5.60728448890e-13, 5.60750590590e-16, -3.20207200030e-19, 9.71511471520e-23, -1.21047212750e-26)),
    ),
    "N": (
        (-270.0, 0.0, (0.0, 2.61591059620e-2, 1.09574842280e-5, -9.38411115540e-8, -4.64120397590e-11, -2.63033577160e-12,
                       -2.26534380030e-14, -7.60893007910e-17, -9.34196678350e-20)),
        (0.0, 1300.0, (0.0, 2.59293946010e-2, 1.57101418800e-5, 4.38256272370e-8, -2.52611697940e-10, 6.43118193390e-13,
                       -1.00634715190e-15, 9.97453389920e-19, -6.08632456070e-22, 2.08492293390e-25, -3.06821961510e-29)),
    ),
    "R": (
        (-50.0, 1064.18, (0.0, 5.28961729765e-3, 1.39166589782e-5, -2.38855693017e-8, 3.56916001063e-11, -4.62347666298e-14,
                          5.00777441034e-17, -3.73105886191e-20, 1.57716482367e-23, -2.81038625251e-27)),
        (1064.18, 1664.5, (2.95157925316, -2.52061251332e-3, 1.59564501865e-5, -7.64085947576e-9, 2.05305291024e-12,
                           -2.93359668173e-16)),
        (1664.5, 1768.1, (1.52232118209e2, -2.68819888545e-1, 1.71280280471e-4, -3.45895706453e-8, -9.34633971046e-15)),
    ),
    "S": (
        (-50.0, 1064.18, (0.0, 5.40313308631e-3, 1.25934289740e-5, -2.32477968689e-8, 3.22028823036e-11, -3.31465196389e-14,
                          2.55744251786e-17, -1.25068871393e-20, 2.71443176145e-24)),
        (1064.18, 1664.5, (1.32900444085, 3.34509311344e-3, 6.54805192818e-6, -1.64856259209e-9, 1.29989605174e-14)),
        (1664.5, 1768.1, (1.46628232636e2, -2.58430516752e-1, 1.63693574641e-4, -3.30439046987e-8, -9.43223690612e-15)),
    ),
    "T": (
        (-270.0, 0.0, (0.0, 3.87481063640e-2, 4.41944343470e-5, 1.18443231050e-7, 2.00329735540e-8, 9.01380195590e-10,
                       2.26511565930e-11, 3.60711542050e-13, 3.84939398830e-15, 2.82135219250e-17, 1.42515947790e-19,
                       4.87686622860e-22, 1.07955392700e-24, 1.39450270620e-27, 7.97951539270e-31)),
        (0.0, 400.0, (0.0, 3.87481063640e-2, 3.32922278800e-5, 2.06182434040e-7, -2.18822568460e-9, 1.09968809280e-11,
                      -3.08157587720e-14, 4.54791352900e-17, -2.75129016730e-20)),
    ),
}  # fmt: skip

K_BUMP = (0.118597600000, -1.18343200000e-4, 126.968600000)
"""Type K above 0 °C: a0 exp(a1 (t - a2)²) is added."""

LOWEST = {"B": 50.0}
"""°C below which a voltage does not tell the temperature: type B turns at 21 °C."""


def millivolts(kind: Kind, celsius: float) -> float:
    """The voltage at a temperature, the reference junction at 0 °C. Beyond its range the outermost piece goes on."""
    pieces = PIECES[kind]
    piece = next((p for p in pieces if celsius <= p[1]), pieces[-1])
    total = 0.0
    for coefficient in reversed(piece[2]):
        total = total * celsius + coefficient
    if kind == "K" and celsius > 0:
        total += K_BUMP[0] * exp(K_BUMP[1] * (celsius - K_BUMP[2]) ** 2)
    return total


@dataclass(slots=True, frozen=True)
class Thermocouple:
    """Temperatures of one type, with the reference junction at `reference` °C."""

    kind: Kind
    reference: float = 0.0

    @property
    def range(self) -> tuple[float, float]:
        """°C that its voltages can tell."""
        pieces = PIECES[self.kind]
        return LOWEST.get(self.kind, pieces[0][0]), pieces[-1][1]

    def celsius(self, volts: float) -> float:
        """The temperature of a voltage (mV). -inf and inf below and above what the type is defined for."""
        wanted = volts + millivolts(self.kind, self.reference)
        low, high = self.range
        bottom, top = millivolts(self.kind, low), millivolts(self.kind, high)
        if wanted < bottom - 1e-9:
            return float("-inf")
        if wanted > top + 1e-9:
            return float("inf")
        # The functions rise throughout: a bracket that the false position closes, halved where that is slow.
        below, above = bottom - wanted, top - wanted
        side = 0
        for _ in range(200):
            t = (low * above - high * below) / (above - below) if above != below else low
            if not low <= t <= high:
                t = (low + high) / 2
            error = millivolts(self.kind, t) - wanted
            if abs(error) < 1e-10 or high - low < 1e-9:
                return t
            if error > 0:
                high, above = t, error
                below = below / 2 if side == 1 else below
                side = 1
            else:
                low, below = t, error
                above = above / 2 if side == -1 else above
                side = -1
        return (low + high) / 2
