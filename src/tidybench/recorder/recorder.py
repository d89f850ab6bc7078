"""The recorder put together: who owns what, and in which order it begins and ends."""

import logging
from concurrent.futures import Future
from contextlib import suppress

import zmq

from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.recorder.acts import Acts
from tidybench.recorder.awake import Awake
from tidybench.recorder.clock import Clock
from tidybench.recorder.conductor import Conductor, answered
from tidybench.recorder.disk_room import DiskRoom
from tidybench.recorder.disk_threads import DiskThreads
from tidybench.recorder.employment import Employment
from tidybench.recorder.forwarder import Forwarder
from tidybench.recorder.hand_commands import HandCommands
from tidybench.recorder.held_ports import HeldPorts
from tidybench.recorder.journal import Journal
from tidybench.recorder.live_stream import LiveStream
from tidybench.recorder.mailbox import Mailbox
from tidybench.recorder.mender import Mender, unfinished
from tidybench.recorder.open_crossings import OpenCrossings
from tidybench.recorder.port_list import PortList
from tidybench.recorder.procedure_bench import ProcedureBench
from tidybench.recorder.reaction_desk import ReactionDesk
from tidybench.recorder.reactor import Reactor
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.run_in_progress import RunInProgress
from tidybench.recorder.safe_states import SafeStates
from tidybench.recorder.searches.desk import SearchDesk
from tidybench.recorder.service import Parts, Service
from tidybench.recorder.state import StateFile
from tidybench.recorder.status import StatusTeller
from tidybench.recorder.writer import Writer
from tidybench.recorder.zeros import Zeros
from tidybench.runs.last_reactions import last_reactions
from tidybench.runs.reserve import Reserve
from tidybench.runs.whole import WholeFile
from tidybench.wire.bench import bench_name
from tidybench.wire.places import Places
from tidybench.wire.procedures import StartProcedure

logger = logging.getLogger(__name__)

CLOSED_WITHIN = 20.0
"""Seconds that a run which ends with the recorder is given to reach the disk."""


class Recorder:
    """Everything the recorder owns. Made, started and stopped by one thread."""

    def __init__(self, places: Places, carry_on: bool) -> None:
        """Goes on with the run in progress if `carry_on`, or if its plan says so. What a crash left is mended once it has started."""
        self.places = places
        self._context: zmq.Context[zmq.Socket[bytes]] = zmq.Context()
        self.journal = Journal()
        # What the disk has to tell about a run belongs to the writer, about the state file to the service.
        service_mail, writer_mail = Mailbox(lambda: None), Mailbox(self.journal.wake)
        self._state_disk, self._run_disk = DiskThreads(service_mail.post), DiskThreads(writer_mail.post)
        self._room = DiskRoom(places.runs)
        reserve = Reserve(places.runs)
        self.state = StateFile(places.recorder_state, self._state_disk, reserve)
        self.ports = PortList(places.simulated)
        going_on = unfinished(self.state.now.run, even_where_stopped=not carry_on)
        self.clock = Clock(not_before=going_on.newest.at + 1 if going_on is not None else 0)
        ours = bench_name(places.data)
        self._run = RunInProgress(ours, places.runs, self.clock, self.journal, self._run_disk, reserve)
        self._mender = Mender(
            places.runs, going_on, lambda ready: writer_mail.post(lambda: self.writer.go_on(ready)), ours.key
        )
        if going_on is not None:
            self.journal.start_after(going_on.newest.sequence)
            self._run.mend(going_on, self._mender)
        elif self.state.now.run is not None:
            with suppress(OSError):
                self.state.remember(run=None)
        acts = Acts()
        teller = StatusTeller(self.clock, self.ports, self.state, self._room, acts)
        self.writer = Writer(
            self._run,
            self.journal,
            writer_mail,
            self.clock,
            LiveStream(self._context, places.live),
            zeros=lambda: self.state.now.zeros,
            status_of=teller,
            crossings=OpenCrossings(
                WholeFile(
                    places.open_alarms,
                    self._run_disk,
                    lambda error: logger.error("alarms: %s", error),
                    reserve,
                )
            ),
            ended=lambda folder: service_mail.post(lambda: self.service.forget_run(folder)),
            begun=lambda folder: service_mail.post(lambda: self.service.remember_begun(folder)),
            free_bytes=lambda: self._room.free_bytes,
            sleep=lambda: self._awake.state,
            runs=places.runs,
        )
        self._awake = Awake(lambda: self.writer.keeps_awake)
        self._run.say_restarted()
        self.employment = Employment(places.simulated, self.state, self.journal, self.clock, self.writer)
        self.employment.take_up(going_on=going_on is not None)
        if self.state.now.armed is not None:
            self.writer.arm_again(self.state.now.armed)
        self.safe = teller.safe = SafeStates(
            lambda: self.employment.now,
            acts,
            self.journal,
            self.clock,
            remember=lambda unreached: service_mail.post(lambda: self.service.remember_unreached(unreached)),
            unreached=[
                one
                for one in self.state.now.unreached
                if self.employment.now.setup_of(one.instrument) is not None
            ],
        )
        zeros = Zeros(self.employment, self.state, self.writer.samples, self.clock)
        bench = ProcedureBench(
            lambda: self.writer,
            service_mail,
            lambda request: self.service.begin_run(request),
            lambda run, reason: self.service.end_run(run, reason),
            lambda channel: zeros.press(channel, undo=False).rstrip("."),
            lambda instrument: self.service.read_once(instrument),
        )
        self.conductor = teller.conductor = Conductor(
            lambda: self.employment.now,
            acts,
            bench,
            self.journal,
            self.clock,
            remember=lambda kept, on, told: service_mail.post(
                lambda: self.service.remember_procedure(kept, on, told)
            ),
            safe=self.safe,
            left=self.state.now.procedures,
        )
        self.reactor = teller.reactor = Reactor(
            lambda: self.employment.now,
            acts,
            bench,
            self.journal,
            self.clock,
            self.safe,
            start_procedure=lambda text, by, told: answered(
                service_mail.send(lambda: self._start_procedure(text, by)), told
            ),
            remember=lambda disarmed: service_mail.post(lambda: self._remember_disarmed(disarmed)),
            kept=self.state.now.reactions,
            disarmed=self.state.now.disarmed,
            last=lambda: last_reactions(going_on.folder) if going_on is not None else {},
            run_is_on=lambda: self._run.goes_on,
        )
        self.journal.heeds = self.reactor
        self.forwarder = teller.forwarder = Forwarder(
            lambda: self.writer.mailbox.ask(self.writer.channels), self.clock, places.simulated, self._hand_on
        )
        self._run.reactions = lambda: (self.reactor.kept.text, self.reactor.standing())
        self.writer.listeners += [
            self.conductor.heard,
            self.safe.heard,
            self.reactor.heard,
            self.forwarder.heard,
        ]
        self.writer.watches += [self.safe.look]
        self.writer.run_ended = self.safe.run_ended
        self.writer.captures.remember = lambda orders: service_mail.post(
            lambda: self._remember_captures(orders)
        )
        held = HeldPorts(self.employment, self.ports, self.state)
        parts = Parts(
            writer=self.writer,
            employment=self.employment,
            zeros=zeros,
            ports=held,
            searches=SearchDesk(places.simulated, held.workers_on),
            commands=HandCommands(),
            acts=acts,
            conductor=self.conductor,
            uploads=places.uploads,
            reactions=ReactionDesk(self.reactor, self.state, self.writer),
            forwarder=self.forwarder,
            state=self.state,
            clock=self.clock,
        )
        self._searches = parts.searches
        self.service = Service(parts, service_mail, self._context, places.control)
        self.ports.start()

    def start(self) -> None:
        """Begin to log and to answer."""
        self.writer.start()
        self.service.start()
        self._mender.start()
        self.conductor.start()
        self.reactor.start()
        self.service.mailbox.post(self.service.take_up_forwarding)
        if lost := self.state.now.captures:
            self.writer.mailbox.post(lambda: self.writer.captures.interrupted(lost, self.writer.channels()))
            self.service.mailbox.post(lambda: self._remember_captures([]))

    def _start_procedure(self, text: str, by: str) -> str:
        kept = self.reactor.kept
        self.service.start_procedure(StartProcedure(text=text, by=by, plans=kept.plans, called=kept.called))
        return "its procedure has begun"

    def _hand_on(self, wanted: bool) -> None:
        self.journal.hands_on = self.forwarder.seen if wanted else None

    def _remember_captures(self, orders: list[CaptureOrder]) -> None:
        try:
            self.state.remember(captures=orders)
        except OSError:
            logger.exception("which captures wait cannot be remembered")

    def _remember_disarmed(self, disarmed: dict[str, str]) -> None:
        try:
            self.state.remember(disarmed=disarmed)
        except OSError:
            logger.exception("which reactions are disarmed cannot be remembered")

    def stop(self) -> None:
        """End: what is always done at the end of a procedure is done, ports free, a run in progress closed as interrupted,
        everything on the disk."""
        self.reactor.stop()
        self.forwarder.stop()
        self.conductor.finish()
        self.safe.finish()
        self.service.stop()
        self.ports.stop()
        if self._mender.is_alive():
            self._mender.join(CLOSED_WITHIN)
        self._end_run()  # first of all: that its ports are freed now is none of its business
        self._searches.stop_all()
        self.employment.stop()
        self._run_disk.stop()
        self.writer.stop()
        self._state_disk.stop()
        self._room.stop()
        self._awake.stop()
        self.service.mailbox.carry_out()
        self._context.destroy(linger=0)

    def _end_run(self) -> None:
        left: Future[None] = Future()

        def current() -> str:
            log = self._run.log
            if log is not None and log.state.carry_on:
                self.writer.leave_run(left)
                return ""
            left.set_result(None)
            return log.state.id if log is not None else ""

        try:
            run = self.writer.mailbox.ask(current)
            left.result(CLOSED_WITHIN)
            if run:
                closed: Future[None] = self.service.end_run(
                    run, "Tidy Bench was stopped during the run.", "interrupted"
                )
                closed.result(CLOSED_WITHIN)
        except (RequestRefused, OSError, TimeoutError):
            logger.exception("the run in progress could not be closed")
