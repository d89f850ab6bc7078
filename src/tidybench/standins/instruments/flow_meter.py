"""The loop flow meter."""

from tidybench.standins.device import Device


class LoopFlowMeter(Device):
    """Short text queries; reply with label, signed zero-padded number, unit, state word; dashes
    when the pipe is empty. The identity query answers three lines. After a restart it reads in m3/h
    until `UN=LPM` sets it back to L/min."""

    name = "loop-flow-meter"
    title = "Loop flow meter"
    answer_time = 0.008
    more_faults = ("late", "dashes")

    _cubic = False

    def factory(self) -> None:
        self._cubic = False

    def power_up(self) -> bytes:
        self._cubic = True
        return b""

    def answer(self, query: bytes) -> bytes | None:
        if query == b"FL?":
            flow = self.loop.flow()
            unit = "m3/h" if self._cubic else "L/min"
            if flow is None or "dashes" in self.faults:
                return f"FL=-------- {unit} --\r\n".encode()
            value = flow * 0.06 if self._cubic else flow
            return f"FL={value:+08.2f} {unit} {'OK' if flow < 400 else 'HI'}\r\n".encode()
        if query in (b"UN=LPM", b"UN=M3H"):
            self._cubic = query == b"UN=M3H"
            return b"OK\r\n"
        if query == b"ID?":
            return b"LOOP FLOW METER\r\nSERIAL 20417\r\nVERSION 3.2\r\n"
        return b"E1 UNKNOWN\r\n"

    def noise(self) -> bytes:
        return b"E1 UNKNOWN\r\n"
