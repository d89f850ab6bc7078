"""What all searches have in common."""

import logging
import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import Protocol

from tidybench.core.setup import SerialPart
from tidybench.links import LinkError, ModemLines
from tidybench.wire.searches import SearchRow, SearchStatus, StartSearch

logger = logging.getLogger(__name__)


class SerialLine(Protocol):
    """An open serial port whose settings can be changed."""

    def read(self, timeout: float | None) -> bytes: ...

    def write(self, data: bytes) -> None: ...

    def configure(self, settings: SerialPart) -> None: ...

    def modem_lines(self) -> ModemLines | None: ...

    def close(self) -> None: ...


OpenPort = Callable[[SerialPart], SerialLine]


class Search(threading.Thread, ABC):
    """Runs once. `rows` and `sentence` grow while it does."""

    begins = "Opening the port …"

    def __init__(self, number: int, request: StartSearch, open_port: OpenPort) -> None:
        super().__init__(name=f"search {number}", daemon=True)
        self.number = number
        self.request = request
        self._open = open_port
        self._stopping = threading.Event()
        self.sentence = self.begins
        self.progress = 0.0
        self.rows: list[SearchRow] = []
        self.found: SearchRow | None = None
        self.done = False

    @abstractmethod
    def search(self) -> None:
        """Do it; sets `sentence` to what came of it. Raises LinkError."""

    def run(self) -> None:
        try:
            self.search()
        except LinkError as error:
            self.sentence = str(error)
        except Exception as error:
            logger.exception("the search on %s failed", ", ".join(self.request.ports))
            self.sentence = f"Tidy Bench itself failed at this ({error!r})."
        finally:
            self.progress = 1.0
            self.done = True

    def stop(self) -> None:
        """End soon; the port is free when the thread is over."""
        self._stopping.set()

    @property
    def stopped(self) -> bool:
        """Whether a person has stopped it."""
        return self._stopping.is_set()

    def status(self) -> SearchStatus:
        """As it is right now."""
        return SearchStatus(
            id=self.number,
            search=self.request.search,
            done=self.done,
            progress=self.progress,
            sentence=self.sentence,
            rows=list(self.rows),
            found=self.found,
        )

    def part(self) -> SerialPart:
        """The settings asked for, on the first port."""
        r = self.request
        return SerialPart(
            port=r.ports[0], baud=r.baud, data_bits=r.data_bits, parity=r.parity, stop_bits=r.stop_bits
        )

    def drain(self, line: SerialLine, seconds: float = 0.03) -> None:
        """Throw away what was received at other settings."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            line.read(max(0.0, until - time.monotonic()))

    def collect(self, line: SerialLine, seconds: float, enough: int, quiet: float = 0.0) -> bytes:
        """What comes within `seconds`, or until there are `enough` bytes, or until it is quiet for so
        long after something came."""
        data = b""
        until = time.monotonic() + seconds
        last = 0.0
        while not self.stopped and (now := time.monotonic()) < until and len(data) < enough:
            if data and quiet and now - last >= quiet:
                break
            piece = line.read(min(0.05, until - now))
            if piece:
                data, last = data + piece, time.monotonic()
        return data
