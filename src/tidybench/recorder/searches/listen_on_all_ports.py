"""Listening round: several ports at once, listening only, to see which is which."""

import re
import time
from dataclasses import dataclass, field

from tidybench.core.diagnosis.evidence import unprintable_share
from tidybench.core.setup import SerialPart
from tidybench.links import LinkError
from tidybench.recorder.searches.search import Search, SerialLine
from tidybench.wire.searches import SearchRow

LONGEST = 600.0
"""Seconds after which it ends by itself: ports must not be held for ever."""

RATE_OVER = 2.0


@dataclass(slots=True)
class _Ear:
    port: str
    line: SerialLine | None
    why: str = ""
    recent: bytes = b""
    arrivals: list[tuple[float, int]] = field(default_factory=list)
    total: int = 0


class ListenOnAllPorts(Search):
    """Nothing is sent. Ports that are in use say so."""

    begins = "Opening the ports …"

    def search(self) -> None:
        ears = [self._open_one(port) for port in self.request.ports]
        self.sentence = "Listening; nothing is sent."
        began = time.monotonic()
        try:
            while not self.stopped and time.monotonic() - began < LONGEST:
                self._hear(ears)
                self.rows = [self._row(ear) for ear in ears]
                self._stopping.wait(0.05)
        finally:
            for ear in ears:
                if ear.line is not None:
                    ear.line.close()
        self.sentence = "The ports are free again."

    def _open_one(self, port: str) -> _Ear:
        part = SerialPart(port=port, baud=self.request.baud)
        try:
            return _Ear(port, self._open(part))
        except LinkError as error:
            return _Ear(port, None, str(error))

    def _hear(self, ears: list[_Ear]) -> None:
        now = time.monotonic()
        for ear in ears:
            if ear.line is None:
                continue
            try:
                data = ear.line.read(0)
            except LinkError as error:
                ear.line.close()
                ear.line, ear.why = None, str(error)
                continue
            if data:
                ear.recent = (ear.recent + data)[-400:]
                ear.total += len(data)
                ear.arrivals.append((now, len(data)))
            while ear.arrivals and ear.arrivals[0][0] < now - RATE_OVER:
                ear.arrivals.pop(0)

    def _row(self, ear: _Ear) -> SearchRow:
        rate = sum(count for _, count in ear.arrivals) / RATE_OVER
        whole = [line for line in re.split(rb"(?<=[\r\n])(?![\r\n])", ear.recent) if line]
        last = (
            whole[-2] if len(whole) > 1 and not ear.recent.endswith((b"\r", b"\n")) else b"".join(whole[-1:])
        )
        if ear.line is None:
            words = ear.why
        elif not ear.total:
            words = "silent so far"
        elif unprintable_share(ear.recent[-64:]) > 0.1:
            words = f"bytes, but not text at {self.request.baud} baud"
        else:
            words = "talks"
        return SearchRow(
            what=ear.port,
            data=last[-80:].decode("latin-1"),
            score=1.0 if words == "talks" else 0.5 if ear.total else 0.0,
            words=words,
            bytes_per_s=rate,
        )
