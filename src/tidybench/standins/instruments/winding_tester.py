"""The winding tester."""

import math
import random
import time

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class WindingTester(Device):
    """`SW first last points` starts a frequency sweep (Hz): `BUSY n%` while it runs, then a table of
    frequency, gain in dB, phase in degrees, and `END`. The winding resonates at 2400 Hz with a quality of 4; with turns that are shorted
    it does at 3100 Hz, and with a quality of 1.2. Its readings scatter by a hundredth of a decibel."""

    name = "winding-tester"
    title = "Winding tester"
    line = LineFormat(115200)
    query_end = b"\n"
    answer_time = 0.01
    more_faults = ("late", "dashes", "shorted turns")

    def factory(self) -> None:
        self._scatter = random.Random(118)

    def answer(self, query: bytes) -> bytes | None:
        text = query.decode("ascii", "replace").strip().upper()
        if text == "ID?":
            return b"WINDING TESTER WT-2 SERIAL 118\r\n"
        if text == "ST?":
            return b"READY\r\n"
        parts = text.split()
        if parts[:1] != ["SW"]:
            return b"ERR 1 UNKNOWN\r\n"
        try:
            first, last, points = float(parts[1]), float(parts[2]), int(parts[3])
        except (IndexError, ValueError):
            return b"ERR 2 SW FIRST LAST POINTS\r\n"
        if not (1 <= first < last <= 100_000 and 2 <= points <= 200):
            return b"ERR 3 RANGE\r\n"
        for share in (25, 50, 75) if not self.faults & {"silent", "late"} else ():
            self.progress(f"BUSY {share}%\r\n".encode())
        rows = [self._point(first * (last / first) ** (n / (points - 1))) for n in range(points)]
        return b"".join(rows) + b"END\r\n"

    def progress(self, line: bytes) -> None:
        """Says how far it is, and sweeps on."""
        self.send(line)
        time.sleep(0.03)

    def _point(self, frequency: float) -> bytes:
        if "dashes" in self.faults:
            return f"{frequency:.1f},-----,-----\r\n".encode()
        resonance, quality = (3100.0, 1.2) if "shorted turns" in self.faults else (2400.0, 4.0)
        ratio = frequency / resonance
        real, imaginary = 1 - ratio**2, ratio / quality
        gain = -20 * math.log10(math.hypot(real, imaginary)) + self._scatter.gauss(0, 0.01)
        phase = -math.degrees(math.atan2(imaginary, real)) + self._scatter.gauss(0, 0.1)
        return f"{frequency:.1f},{gain:.2f},{phase:.1f}\r\n".encode()
