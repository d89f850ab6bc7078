"""A worker by itself, without a recorder process: for what its reading path says."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

from tests.conftest import Shop
from tidybench.core.compile.planning import plan_links
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, Sent
from tidybench.core.values.origin import Origin
from tidybench.links import open_link
from tidybench.recorder.clock import Clock
from tidybench.recorder.event_loop import EventLoop
from tidybench.recorder.instrument_status import instrument_status
from tidybench.recorder.journal import Journal
from tidybench.recorder.rates import Rates
from tidybench.recorder.worker import Worker
from tidybench.wire.instruments import InstrumentStatus, StageStatus


class Attached:
    """One instrument on its link, as the recorder would have it."""

    def __init__(self, shop: Shop, setup: Setup) -> None:
        self.setup = setup
        self.journal = Journal()
        self.clock = Clock()
        self._loop = EventLoop(self.journal, self.clock)
        numbers = {channel.id: n for n, channel in enumerate(setup.channel, 1)}
        plan = plan_links([setup], numbers)[0]
        self.worker = Worker(
            plan, lambda: open_link(setup.link, shop.folder), self.journal, self.clock, self._loop
        )
        self._rates = Rates()
        self.events: list[Event] = []
        self.samples: list[tuple[int, int, float]] = []  # channel << 8 | quality, time, value
        self.worker.start()

    def status(self) -> InstrumentStatus:
        self.look()
        return instrument_status(
            self.setup, self.worker, self._rates, self.clock.now(), shared=False, acts=[]
        )

    def look(self) -> None:
        """Take in what has happened."""
        for entry in self.journal.take():
            self.events.append(entry.event)
            batch = entry.batch
            if batch is not None:
                self.samples += zip(batch.words, batch.times, batch.values, strict=True)

    def fault(self) -> StageStatus | None:
        """What the interface would name beside the path."""
        stages = self.status().stages
        for state in ("stopped", "losses"):
            for stage in stages:
                if stage.state == state:
                    return stage
        return None

    def sent(self, origin: Origin) -> int:
        """How often something of this origin was sent."""
        self.look()
        return sum(isinstance(event, Sent) and event.origin == origin for event in self.events)

    def close(self) -> None:
        self.worker.stop()
        self._loop.stop()


@contextmanager
def attached(shop: Shop, *setups: Setup) -> Iterator[list[Attached]]:
    """Some instruments, each on its own link; their ports are free afterwards."""
    made = [Attached(shop, setup) for setup in setups]
    try:
        yield made
    finally:
        for one in made:
            one.worker.stop_soon()
        for one in made:
            one.close()


def until(condition: object, seconds: float) -> bool:
    """Whether a condition came true in time."""
    assert callable(condition)
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.02)
    return False
