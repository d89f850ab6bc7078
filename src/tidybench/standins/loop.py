"""The pump test loop: pump curve, valve, motor, bearings, seal and sump, with first-order lags and noise.

All figures are made up for a small circulating pump. SI units unless a name says otherwise.
"""

import math
import random
import threading
import time
from collections.abc import Callable

SHUT_OFF_HEAD = 72.0  # m, at no flow and nominal speed
CURVE = 3.0e6  # m per (m3/s)^2: how head falls with flow
PIPE = 2.6e6  # m per (m3/s)^2, valve wide open
FLOW_LAG = 1.2  # s
MOTOR_LOSS = 120.0  # W
SYNCHRONOUS = 1500.0  # 1/min
G = 9.81
DENSITY = 998.0
SUCTION_HEAD = 3.4  # m, a flooded suction
SUMP_TIME = 900.0  # s until the sump has warmed up


class Loop:
    """The state of the loop at the moment it is asked; safe to ask from several threads.

    The valve's opening (0 to 1) follows a slow made-up test unless it is set with `set_valve`. `wear`: of the wear ring, 0 for
    none: what slips back through it is missing in the discharge.
    """

    def __init__(self, seed: int = 7, clock: Callable[[], float] = time.monotonic, wear: float = 0.0) -> None:
        self._wear = wear
        self._random = random.Random(seed)
        self._clock = clock
        self._lock = threading.Lock()
        self._began = self._last = clock()
        self._flow = self._steady_flow(0.45)
        self._valve: float | None = None
        self.pipe_empty = False

    def set_valve(self, opening: float | None) -> None:
        """Hold the valve at an opening from 0 to 1; None lets the test run by itself again."""
        self._valve = opening

    def opening(self) -> float:
        """The valve's opening, 0 to 1."""
        return self._opening(self._clock())

    def _opening(self, now: float) -> float:
        if self._valve is not None:
            return self._valve
        # A valve step every 90 s, up and down again.
        steps = (0.45, 0.60, 0.80, 0.60)
        return steps[int((now - self._began) / 90) % len(steps)]

    @staticmethod
    def _steady_flow(opening: float) -> float:
        throttle = PIPE / max(opening, 0.02) ** 2
        return math.sqrt(SHUT_OFF_HEAD / (CURVE + throttle))

    def _advance(self) -> None:
        now = self._clock()
        elapsed, self._last = now - self._last, now
        target = 0.0 if self.pipe_empty else self._steady_flow(self._opening(now))
        self._flow += (target - self._flow) * (1 - math.exp(-elapsed / FLOW_LAG))

    def _noise(self, deviation: float) -> float:
        return self._random.gauss(0.0, deviation)

    def flow(self) -> float | None:
        """Flow in L/min as the flow meter sees it; None when the pipe is empty."""
        with self._lock:
            self._advance()
            if self.pipe_empty:
                return None
            return self._flow * 60_000 * (1 + self._noise(0.003))

    def _hydraulic(self) -> float:
        return DENSITY * G * (SHUT_OFF_HEAD - CURVE * self._flow**2) * self._flow

    def _shaft_power(self) -> float:
        efficiency = 0.30 + 0.28 * math.sin(min(self._flow / 0.0026 * math.pi / 2, 2.4)) - 0.03 * self._wear
        return self._hydraulic() / max(efficiency, 0.2)

    def power(self) -> float:
        """Electrical input power of the motor in W."""
        with self._lock:
            self._advance()
            return (self._shaft_power() + MOTOR_LOSS) * (1 + self._noise(0.003))

    def voltage(self) -> float:
        """Supply voltage in V."""
        with self._lock:
            return 230.4 + self._noise(0.12)

    def _speed(self) -> float:
        return SYNCHRONOUS - 0.022 * self._shaft_power()

    def speed(self) -> float:
        """Shaft speed in 1/min: it slips with load."""
        with self._lock:
            self._advance()
            return self._speed() + self._noise(0.25)

    def torque(self) -> float:
        """Shaft torque in N·m."""
        with self._lock:
            self._advance()
            return self._shaft_power() / (self._speed() * math.tau / 60) * (1 + self._noise(0.004))

    def suction(self) -> float:
        """Suction pressure in bar."""
        with self._lock:
            self._advance()
            head = SUCTION_HEAD - 0.25e6 * self._flow**2
            return head * DENSITY * G / 1e5 + self._noise(0.0015)

    def discharge(self) -> float:
        """Discharge pressure in bar."""
        with self._lock:
            self._advance()
            head = SUCTION_HEAD + SHUT_OFF_HEAD - (CURVE + 0.25e6) * self._flow**2
            return head * DENSITY * G / 1e5 + self._noise(0.006)

    def level(self) -> float:
        """Level in the sump in m."""
        with self._lock:
            age = self._clock() - self._began
            return 1.42 + 0.02 * math.sin(age / 47) + self._noise(0.001)

    def water(self) -> float:
        """Water temperature in the sump in °C: it warms up."""
        with self._lock:
            age = self._clock() - self._began
            return 18.4 + 6.5 * (1 - math.exp(-age / SUMP_TIME)) + self._noise(0.01)

    def turbidity(self) -> float:
        """Turbidity in NTU."""
        with self._lock:
            return max(0.0, 2.6 + self._noise(0.05))

    def vibration(self) -> float:
        """Vibration velocity at the bearing in mm/s: worst far from the best point."""
        with self._lock:
            self._advance()
            off = abs(self._flow - 0.0026) / 0.0026
            return 1.1 + 1.6 * off + abs(self._noise(0.04))

    def leak(self) -> float:
        """Leak at the shaft seal in mL/min."""
        with self._lock:
            age = self._clock() - self._began
            return max(0.0, 0.012 + 0.004 * age / 3600 + self._noise(0.0008))

    def seal_pressure(self) -> float:
        """Pressure in the seal chamber in bar."""
        with self._lock:
            self._advance()
            return 3.4 + 300 * self._flow + self._noise(0.01)

    def clearance(self) -> float:
        """Clearance of the wear ring in mm, as a gauge reads it by hand."""
        with self._lock:
            return 0.312 + 0.094 * self._wear + self._noise(0.002)
