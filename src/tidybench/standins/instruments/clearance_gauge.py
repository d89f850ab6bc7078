"""The clearance gauge."""

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class ClearanceGauge(Device):
    """Sends one reading when its key is pressed: six digits in µm, no decimal point; dashes when it touches nothing."""

    name = "clearance-gauge"
    title = "Clearance gauge"
    line = LineFormat(2400)
    has_key = True
    more_faults = ("dashes",)

    def talk(self) -> bytes:
        return (
            b"------\r"
            if "dashes" in self.faults
            else f"{round(self.loop.clearance() * 1000):06d}\r".encode()
        )
