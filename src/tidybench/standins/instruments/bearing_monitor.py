"""The bearing monitor."""

from functools import reduce
from operator import xor

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat

DEBUG = (b"adc ok\r\n", b"tmp 41\r\n", b"", b"wdt kick ", b"")


class BearingMonitor(Device):
    """Five times a second a message between `BM{` and `}`, with stray debug text around: vibration in mm/s,
    status bits in hexadecimal, and the XOR of all before it."""

    name = "bearing-monitor"
    title = "Bearing monitor"
    line = LineFormat(38400)
    every = 0.2
    more_faults = ("dashes", "wrong checksum")

    _count = 0

    def talk(self) -> bytes:
        self._count += 1
        vibration = self.loop.vibration()
        value = "--.--" if "dashes" in self.faults else f"{vibration:05.2f}"
        body = f"V={value};S={0x04 | (vibration > 2.2) << 1:02X};".encode()
        return DEBUG[self._count % len(DEBUG)] + b"BM{" + body + f"{reduce(xor, body):02X}}}".encode()

    def spoil_check(self, reply: bytes) -> bytes:
        return reply[:-2] + (b"0" if reply[-2:-1] != b"0" else b"1") + b"}"
