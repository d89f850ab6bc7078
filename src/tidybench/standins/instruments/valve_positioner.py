"""The valve positioner."""

from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat


class ValvePositioner(Device):
    """`VP?` reports the opening in %, `VP 060.0` sets it; what is out of range is refused with an error
    reply. `VP AUTO` lets the test step it by itself again."""

    name = "valve-positioner"
    title = "Valve positioner"
    line = LineFormat(9600, 7, "even")
    answer_time = 0.015
    more_faults = ("late", "dashes")

    def factory(self) -> None:
        self.loop.set_valve(None)

    def answer(self, query: bytes) -> bytes | None:
        text = query.decode("ascii", "replace").strip()
        if text == "VP?":
            return (
                b"VP=---.-\r"
                if "dashes" in self.faults
                else f"VP={self.loop.opening() * 100:05.1f}\r".encode()
            )
        if text == "VP AUTO":
            self.loop.set_valve(None)
            return b"OK\r"
        if text == "ID?":
            return b"VALVE POSITIONER VP-7\r"
        if text.startswith("VP "):
            try:
                wanted = float(text[3:])
            except ValueError:
                return b"E1 SYNTAX\r"
            if not 0 <= wanted <= 100:
                return b"E2 RANGE 0-100\r"
            self.loop.set_valve(wanted / 100)
            return b"OK\r"
        return b"E1 SYNTAX\r"

    def noise(self) -> bytes:
        return b"E1 SYNTAX\r"
