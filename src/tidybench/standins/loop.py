"""The pump test loop: pump curve, valve, motor and sump, with first-order lags and noise.

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
G = 9.81
DENSITY = 998.0


class Loop:
    """The state of the loop at the moment it is asked; safe to ask from several threads.

    `valve_open` (0 to 1) follows a slow made-up test unless it is set with `set_valve`.
    """

    def __init__(self, seed: int = 7, clock: Callable[[], float] = time.monotonic) -> None:
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

    def power(self) -> float:
        """Electrical input power of the motor in W."""
        with self._lock:
            self._advance()
            head = SHUT_OFF_HEAD - CURVE * self._flow**2
            hydraulic = DENSITY * G * head * self._flow
            efficiency = 0.30 + 0.28 * math.sin(min(self._flow / 0.0026 * math.pi / 2, 2.4))
            return (hydraulic / max(efficiency, 0.2) + MOTOR_LOSS) * (1 + self._noise(0.003))

    def voltage(self) -> float:
        """Supply voltage in V."""
        with self._lock:
            return 230.4 + self._noise(0.12)
