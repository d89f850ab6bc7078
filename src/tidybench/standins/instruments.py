"""The stand-ins of the pump test shop. Their command sets are made up, or SCPI where it says so."""

from pathlib import Path

from tidybench.standins.device import Device
from tidybench.standins.loop import Loop


class LoopFlowMeter(Device):
    """Short text queries; reply with label, signed zero-padded number, unit, state word; dashes
    when the pipe is empty. The identity query answers three lines."""

    name = "loop-flow-meter"
    baud = 9600
    query_end = b"\r"
    answer_time = 0.008

    def __init__(self, folder: Path, loop: Loop) -> None:
        super().__init__(folder)
        self._loop = loop

    def answer(self, query: bytes) -> bytes | None:
        if query == b"FL?":
            flow = self._loop.flow()
            if flow is None or "dashes" in self.faults:
                return b"FL=-------- L/min --\r\n"
            return f"FL={flow:+08.2f} L/min {'OK' if flow < 400 else 'HI'}\r\n".encode()
        if query == b"ID?":
            return b"LOOP FLOW METER\r\nSERIAL 20417\r\nVERSION 3.2\r\n"
        return b"E1 UNKNOWN\r\n"

    def noise(self) -> bytes:
        return b"E1 UNKNOWN\r\n"


class PowerAnalyser(Device):
    """An SCPI subset with IEEE 488.2 common commands; NR3 numbers, overload as 9.9E37."""

    name = "power-analyser"
    baud = 19200
    query_end = b"\n"
    answer_time = 0.012
    overload_above = 9_000.0

    def __init__(self, folder: Path, loop: Loop) -> None:
        super().__init__(folder)
        self._loop = loop

    def answer(self, query: bytes) -> bytes | None:
        command = query.strip().upper()
        if command == b"*IDN?":
            return b"PUMP TEST SHOP,POWER ANALYSER,PA-0031,1.4\n"
        if command in (b"MEAS:POW?", b"MEASURE:POWER?"):
            return self._number(self._loop.power())
        if command in (b"MEAS:VOLT?", b"MEASURE:VOLTAGE?"):
            return self._number(self._loop.voltage())
        return None  # SCPI: an error is queued, nothing is answered

    def _number(self, value: float) -> bytes:
        if "dashes" in self.faults:
            return b"+9.91000E+37\n"
        return (b"+9.90000E+37\n") if value > self.overload_above else f"{value:+.5E}\n".encode()

    def noise(self) -> bytes:
        return b"?\n"
