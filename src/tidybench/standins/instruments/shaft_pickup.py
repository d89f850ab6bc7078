"""The shaft pickup."""

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class ShaftPickup(Device):
    """Talks on its own, twenty times a second: speed and torque with a comma between. At power-up some
    stray bytes, then the names of the columns once."""

    name = "shaft-pickup"
    title = "Shaft pickup"
    line = LineFormat(57600)
    every = 0.05
    more_faults = ("dashes",)

    def power_up(self) -> bytes:
        return b"\xff\x00\xfe3.\xff\r\nSPEED,TORQUE\r\n"

    def talk(self) -> bytes:
        if "dashes" in self.faults:
            return b"----.-,--.--\r\n"
        return f"{self.loop.speed():.1f},{self.loop.torque():.2f}\r\n".encode()
