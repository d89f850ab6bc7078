"""How everything stands, put together from what its owners tell."""

import os
import uuid
from datetime import date

from tidybench import __version__
from tidybench.core.channels.verdict import judge
from tidybench.recorder.acts import Acts
from tidybench.recorder.channel_status import overdue
from tidybench.recorder.clock import Clock
from tidybench.recorder.conductor import Conductor
from tidybench.recorder.disk_room import DiskRoom
from tidybench.recorder.employed import Employed
from tidybench.recorder.forwarder import Forwarder
from tidybench.recorder.instrument_status import instrument_status
from tidybench.recorder.port_list import PortList
from tidybench.recorder.rates import Rates
from tidybench.recorder.reactor import Reactor
from tidybench.recorder.safe_states import SafeStates
from tidybench.recorder.state import StateFile
from tidybench.recorder.writer import Writer
from tidybench.recorder.zone import zone_name
from tidybench.wire.instruments import InstrumentStatus
from tidybench.wire.status import DiskStatus, Status

SHORT = 0.003
"""Hours of a run before which nothing is said about how long the disk will last."""


class StatusTeller:
    """Called in the writer's thread; it looks at nothing but memory."""

    def __init__(self, clock: Clock, ports: PortList, state: StateFile, room: DiskRoom, acts: Acts) -> None:
        self.session = str(uuid.uuid4())
        self._clock, self._ports, self._state, self._room = clock, ports, state, room
        self._acts = acts
        self.conductor: Conductor | None = None
        self.safe: SafeStates | None = None
        self.reactor: Reactor | None = None
        self.forwarder: Forwarder | None = None
        self._rates = Rates()
        self._zone = zone_name()

    def __call__(self, writer: Writer) -> Status:
        employed = writer.employed
        now = self._clock.now()
        return Status(
            at=now,
            session=self.session,
            pid=os.getpid(),
            instruments=self._instruments(employed),
            channels=writer.channels(),
            ports=self._ports.infos(employed.setups, self._state.now.labels),
            run=writer.run_in_progress.status(),
            armed=writer.armed_status(),
            procedures=self.conductor.status() if self.conductor is not None else [],
            curves=writer.curves.status(),
            captures=writer.captures.status(),
            destinations=self.forwarder.status() if self.forwarder is not None else [],
            safe=self.safe.status() if self.safe is not None else [],
            reactions=self.reactor.status() if self.reactor is not None else [],
            disk=self._disk(writer),
            crossings=writer.open_crossings().all(),
            overdue=overdue(employed.setups, date.today()),
            verdict=judge(writer.limited(), now),
            version=__version__,
            zone=self._zone,
        )

    def _instruments(self, employed: Employed) -> list[InstrumentStatus]:
        links = [setup.link.address for setup in employed.setups]
        now = self._clock.now()
        return [
            instrument_status(
                s,
                employed.workers[address],
                self._rates,
                now,
                links.count(address) > 1,
                self._acts.newest_of(s.instrument.id),
            )
            for s, address in zip(employed.setups, links, strict=True)
        ]

    def _disk(self, writer: Writer) -> DiskStatus:
        log, free = writer.run_in_progress.log, self._room.free_bytes
        self._room.watched = log.folder if log is not None else None
        if log is None:
            return DiskStatus(free_bytes=free, hours_left=None)
        age, used = (self._clock.now() - log.state.begun_at) / 3.6e9, self._room.watched_bytes
        return DiskStatus(free_bytes=free, hours_left=free / (used / age) if used and age > SHORT else None)
