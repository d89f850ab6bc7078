"""The power analyser."""

import math
import struct
from typing import ClassVar

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class PowerAnalyser(Device):
    """An SCPI subset with IEEE 488.2 common commands; NR3 numbers, overload as 9.9E37; a current
    waveform as a definite-length block of 32-bit floats, high byte first."""

    name = "power-analyser"
    title = "Power analyser"
    line = LineFormat(19200)
    query_end = b"\n"
    answer_time = 0.012
    more_faults = ("late", "dashes")
    overload_above: ClassVar[float] = 9_000.0

    _remote = False
    _errors: list[bytes]

    def factory(self) -> None:
        self._remote = False
        self._errors = []

    def answer(self, query: bytes) -> bytes | None:
        command = query.strip().upper()
        if command == b"*IDN?":
            return b"PUMP TEST SHOP,POWER ANALYSER,PA-0031,1.4\n"
        if command in (b"MEAS:POW?", b"MEASURE:POWER?"):
            return self._number(self.loop.power())
        if command in (b"MEAS:VOLT?", b"MEASURE:VOLTAGE?"):
            return self._number(self.loop.voltage())
        if command == b"CURV?":
            return self._block()
        if command in (b"SYST:REM", b"SYST:LOC"):
            self._remote = command == b"SYST:REM"
            return None
        if command == b"SYST:ERR?":
            return (self._errors.pop(0) if self._errors else b'0,"No error"') + b"\n"
        if command == b"*OPC?":
            return b"1\n"
        if command in (b"*RST", b"*CLS"):
            self.factory()
            return None
        self._errors = [*self._errors, b'-113,"Undefined header"'][-10:]
        return None  # SCPI: an error is queued, nothing is answered

    def _number(self, value: float) -> bytes:
        if "dashes" in self.faults:
            return b"+9.91000E+37\n"
        return (b"+9.90000E+37\n") if value > self.overload_above else f"{value:+.5E}\n".encode()

    def _block(self) -> bytes:
        amplitude = self.loop.power() / 230 * math.sqrt(2)
        wave = [amplitude * math.sin(math.tau * n / 64) for n in range(64)]
        data = struct.pack(">64f", *wave)
        return f"#{len(str(len(data)))}{len(data)}".encode() + data + b"\n"

    def noise(self) -> bytes:
        return b"?\n"
