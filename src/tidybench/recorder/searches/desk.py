"""Where searches are started, looked at and stopped; ports of our own are borrowed and given back."""

import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from pathlib import Path

from tidybench.core.setup import SerialPart
from tidybench.links import open_serial
from tidybench.recorder.searches.addresses import AddressSearch
from tidybench.recorder.searches.listen_on_all_ports import ListenOnAllPorts
from tidybench.recorder.searches.loop_back import LoopBackTest
from tidybench.recorder.searches.search import Search, SerialLine
from tidybench.recorder.searches.settings import SettingsSearch
from tidybench.recorder.worker import Worker
from tidybench.wire.searches import SearchStatus, StartSearch

KINDS: dict[str, type[Search]] = {
    "settings": SettingsSearch,
    "addresses": AddressSearch,
    "listen on all ports": ListenOnAllPorts,
    "loop-back": LoopBackTest,
}
KEPT = 20
FREED_WITHIN = 5.0


class SearchDesk:
    """Numbers searches. `workers_on` gives the workers that use a port."""

    def __init__(self, simulated: Path, workers_on: Callable[[str], Sequence[Worker]]) -> None:
        self._simulated = simulated
        self._workers_on = workers_on
        self._searches: OrderedDict[int, Search] = OrderedDict()
        self._last = 0

    def busy(self, ports: Sequence[str]) -> bool:
        """Whether a search has one of these ports now."""
        return any(not s.done and set(s.request.ports) & set(ports) for s in self._searches.values())

    def start(self, request: StartSearch) -> SearchStatus:
        """Begin a search. One that looks at a single port borrows it from its instrument."""
        self._last += 1
        # A round listens to what is free: running instruments show their bytes on the Bench anyway.
        borrowed = [] if request.search == "listen on all ports" else list(self._workers_on(request.ports[0]))
        search = KINDS[request.search](self._last, request, self._opener(borrowed))
        self._searches[self._last] = search
        while len(self._searches) > KEPT:
            self._searches.popitem(last=False)[1].stop()
        search.start()
        return search.status()

    def _opener(self, borrowed: list[Worker]) -> Callable[[SerialPart], SerialLine]:
        def open_port(part: SerialPart) -> SerialLine:
            lent = [worker for worker in borrowed if not worker.released]
            for worker in lent:
                worker.lend()
            until = time.monotonic() + FREED_WITHIN
            while any(worker.is_open for worker in lent) and time.monotonic() < until:
                time.sleep(0.01)
            try:
                return _Borrowed(open_serial(part, self._simulated), lent)
            except BaseException:
                for worker in lent:
                    worker.give_back()
                raise

        return open_port

    def look(self, number: int) -> SearchStatus | None:
        """How a search goes; None for one that is not known (any more)."""
        search = self._searches.get(number)
        return None if search is None else search.status()

    def stop(self, number: int) -> SearchStatus | None:
        """Stop a search and wait until its ports are free."""
        search = self._searches.get(number)
        if search is None:
            return None
        search.stop()
        search.join(FREED_WITHIN)
        return search.status()

    def stop_all(self) -> None:
        """Free all ports."""
        for search in self._searches.values():
            search.stop()
        for search in self._searches.values():
            search.join(FREED_WITHIN)


class _Borrowed:
    """A port that goes back to its workers when it is closed."""

    def __init__(self, line: SerialLine, lent: list[Worker]) -> None:
        self._line, self._lent = line, lent
        self.read, self.write = line.read, line.write
        self.configure, self.modem_lines = line.configure, line.modem_lines

    def close(self) -> None:
        self._line.close()
        for worker in self._lent:
            worker.give_back()
