"""The sump sonde."""

from functools import reduce
from operator import xor

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class SumpSonde(Device):
    """NMEA 0183 XDR sentences once a second, through a device server: level, water temperature,
    turbidity. Empty fields where there is no reading."""

    name = "sump-sonde"
    title = "Sump sonde"
    line = LineFormat(4800)
    networked = True
    every = 1.0
    more_faults = ("dashes", "wrong checksum")

    def talk(self) -> bytes:
        if "dashes" in self.faults:
            body = "YXXDR,D,,M,LEVEL,C,,C,WATER,G,,,TURB"
        else:
            level, water, turbidity = self.loop.level(), self.loop.water(), self.loop.turbidity()
            body = f"YXXDR,D,{level:.3f},M,LEVEL,C,{water:.2f},C,WATER,G,{turbidity:.2f},,TURB"
        return f"${body}*{reduce(xor, body.encode()):02X}\r\n".encode()

    def spoil_check(self, reply: bytes) -> bytes:
        return reply[:-3] + (b"0" if reply[-3:-2] != b"0" else b"1") + b"\r\n"
