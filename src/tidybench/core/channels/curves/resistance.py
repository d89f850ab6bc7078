"""Resistance thermometers and thermistors."""

from dataclasses import dataclass
from math import exp, log, sqrt

A, B, C = 3.9083e-3, -5.775e-7, -4.183e-12
"""Coefficients of the Callendar-Van Dusen equation for platinum of IEC 60751:2008, 4.2."""

PLATINUM = (-200.0, 850.0)
"""°C for which IEC 60751 defines it."""

KELVIN = 273.15


@dataclass(slots=True, frozen=True)
class ResistanceThermometer:
    """R(t) = r0 (1 + a t + b t² + c (t - 100) t³), the last term below 0 °C only."""

    r0: float = 100.0
    a: float = A
    b: float = B
    c: float = C

    def ohms(self, celsius: float) -> float:
        """The resistance at a temperature."""
        t = celsius
        return self.r0 * (1 + self.a * t + self.b * t * t + (self.c * (t - 100) * t**3 if t < 0 else 0.0))

    def celsius(self, ohms: float) -> float:
        """The temperature of a resistance. -inf and inf below and above what the standard defines."""
        low, high = PLATINUM
        if ohms < self.ohms(low) - 1e-9 * self.r0:
            return float("-inf")
        if ohms > self.ohms(high) + 1e-9 * self.r0:
            return float("inf")
        ratio = ohms / self.r0
        if ratio >= 1:
            # This way round nothing is lost where the curve is nearly straight.
            return 2 * (ratio - 1) / (self.a + sqrt(self.a * self.a + 4 * self.b * (ratio - 1)))
        t = (ratio - 1) / self.a
        for _ in range(30):  # Newton's: the curve is nearly straight
            slope = self.r0 * (self.a + 2 * self.b * t + self.c * (4 * t**3 - 300 * t * t))
            step = (self.ohms(min(t, 0.0)) - ohms) / slope
            t = min(t - step, 0.0)
            if abs(step) < 1e-10:
                break
        return t


@dataclass(slots=True, frozen=True)
class Thermistor:
    """1/T = a + b ln R + c (ln R)³ with T in kelvin (Steinhart and Hart, 1968)."""

    a: float
    b: float
    c: float

    @classmethod
    def of_beta(cls, r25: float, beta: float) -> "Thermistor":
        """From the resistance at 25 °C and the B value of a data sheet."""
        return cls(1 / (25 + KELVIN) - log(r25) / beta, 1 / beta, 0.0)

    def celsius(self, ohms: float) -> float:
        """The temperature of a resistance; NaN where the equation has none."""
        if ohms <= 0:
            return float("nan")
        x = log(ohms)
        inverse = self.a + self.b * x + self.c * x**3
        return 1 / inverse - KELVIN if inverse > 0 else float("nan")

    def ohms(self, celsius: float) -> float:
        """The resistance at a temperature."""
        target = 1 / (celsius + KELVIN)
        if not self.c:
            return exp((target - self.a) / self.b)
        low, high = -10.0, 40.0
        for _ in range(200):
            middle = (low + high) / 2
            low, high = (
                (middle, high) if self.a + self.b * middle + self.c * middle**3 < target else (low, middle)
            )
        return exp((low + high) / 2)
