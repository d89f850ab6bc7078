"""A plug that joins pins 2 and 3."""

from tidybench.standins.device import Device


class LoopBackPlug(Device):
    """No instrument at all: what is sent comes back, at any baud rate."""

    name = "loop-back-plug"
    title = "Loop-back plug"

    @classmethod
    def can_show(cls) -> tuple[str, ...]:
        return ("unplugged", "silent", "garbled")

    def _listen(self, data: bytes) -> None:
        if "silent" in self.faults:
            return
        self._port.write(bytes(b ^ 0x10 for b in data) if "garbled" in self.faults else data)
