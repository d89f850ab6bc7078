"""The writer: empties the journal into the run folder, the rings and the live stream.

One thread, woken by the first event and then pausing a few milliseconds so that many go in one flush. It alone writes run
folders; whatever others want done to a run comes to it as a call in its mailbox, and is done between two flushes. It never
waits for a disk, for a reader of the live stream, or for anybody's lock.
"""

import logging
import os
import threading
from collections.abc import Callable
from concurrent.futures import Future
from functools import partial
from pathlib import Path

from tidybench import logs
from tidybench.core.channels.limits import told_crossing
from tidybench.core.channels.state_marks import StateMarks
from tidybench.core.channels.verdict import Limited, unknown
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.derivation import Derivation
from tidybench.core.plan.begin_watch import Occasion
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.glance import SleepState
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.plan.settled_watch import SettledWatch
from tidybench.core.tape.events import Note
from tidybench.core.values.crossing import SERIOUS, Crossing
from tidybench.core.values.finding import Finding
from tidybench.recorder.armed_run import ArmedRun
from tidybench.recorder.capture_desk import CaptureDesk
from tidybench.recorder.channel_status import channel_statuses, limited, run_channels, settling
from tidybench.recorder.clock import Clock
from tidybench.recorder.curve_desk import CurveDesk
from tidybench.recorder.derivations import Derivations
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.live_stream import LiveStream
from tidybench.recorder.look_round import LookRound
from tidybench.recorder.mailbox import Mailbox
from tidybench.recorder.mender import Ready
from tidybench.recorder.open_crossings import OpenCrossings
from tidybench.recorder.outages import Outages
from tidybench.recorder.planned_begin import checked_begins, checked_order
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.ring import SampleRing, TapeRing
from tidybench.recorder.run_in_progress import RunInProgress
from tidybench.recorder.state import Armed, Zero
from tidybench.runs.entry import Entry
from tidybench.runs.lead import Lead
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunEnd
from tidybench.wire.channels import ChannelStatus
from tidybench.wire.curves import CaptureStatus
from tidybench.wire.runs import ArmedStatus, CorrectPoint, RunStatus
from tidybench.wire.status import Status

logger = logging.getLogger(__name__)

GATHER, GATHER_MANY = 0.005, 0.02
"""Seconds that events gather before a flush; the longer where many come."""

MANY = 60
"""Events in one flush from which on many come."""

MOST_BEFORE = 600_000
"""Samples that a run takes along from memory: their rows are made before anything else goes on."""

SYNC_EVERY = 3_000_000
"""Microseconds between two times that a run is brought to the disk."""


class Writer(threading.Thread):
    """Runs until `stop`. Everything it has is its thread's alone, but for `mailbox`, and the rings, which any may ask."""

    def __init__(
        self,
        run: RunInProgress,
        journal: Journal,
        mailbox: Mailbox,
        clock: Clock,
        live: LiveStream,
        zeros: Callable[[], dict[str, list[Zero]]],
        status_of: "Callable[[Writer], Status]",
        crossings: OpenCrossings,
        ended: Callable[[str], None],
        begun: Callable[[str], None],
        free_bytes: Callable[[], int],
        sleep: Callable[[], SleepState],
        runs: Path,
    ) -> None:
        """`zeros`: what is taken off channels' values, as it is remembered. `status_of`: how everything stands. `ended`: is told of
        a run that its plan has ended, `begun` of
        one that waited and has begun, by their folders. `free_bytes`: where runs are kept, in the folder `runs`. `sleep`: whether the computer may
        fall asleep."""
        super().__init__(name="writer", daemon=True)
        self.mailbox = mailbox
        self.samples = SampleRing()
        self.tape = TapeRing()
        self.run_in_progress = run
        self.employed = Employed()
        self.curves = CurveDesk(lambda: self.run_in_progress.log, lambda: self.run_in_progress.goes_on)
        self.captures = CaptureDesk(self.curves, self.samples, journal, clock)
        self._derivations = Derivations()
        self._crossings = crossings
        self._state_marks, self._settled = StateMarks(), SettledWatch()
        self._settled_now: frozenset[int] = frozenset()  # for other threads
        self._marking: Employed | None = None  # whose channels they watch
        self._outages = Outages()
        self._journal, self._clock, self._live = journal, clock, live
        # Who acts upon what happens; told before the thread begins.
        self.listeners: list[Callable[[list[Entry]], None]] = []
        self.watches: list[Callable[[int], None]] = []
        self.run_ended: Callable[[], None] = lambda: None
        self._deaf = False
        self._zeros, self._status_of = zeros, status_of
        self._ended, self._begun, self._free_bytes = ended, begun, free_bytes
        self._armed: ArmedRun | None = None
        self._look_round = LookRound(runs, self.samples, self.tape, free_bytes, sleep)
        self._told: Status | None = None
        # From when on, and after which number, what is in memory may go into a run: it means what it means now, and is in none yet.
        self._same_since, self._same_after = clock.now(), 0
        self._stopping = threading.Event()
        self._synced_at = 0
        self._busy = self._mute = False

    # ---- the thread

    def start(self) -> None:
        """Begin; from here on others reach it through its mailbox alone."""
        self.mailbox.begin()
        super().start()

    def run(self) -> None:
        self.mailbox.open()
        try:
            while not self._stopping.is_set():
                self._journal.wait(0.05 if self.run_in_progress.log is not None else 0.25)
                self._journal.gather(GATHER_MANY if self._busy else GATHER)
                self.flush()
                self.mailbox.carry_out()
            self.mailbox.carry_out()
        except BaseException:
            # Going on without logging would be the worst of all: the supervisor starts a recorder that carries on.
            logger.critical("the writer failed", exc_info=True)
            logs.finish()
            os._exit(70)

    def stop(self) -> None:
        """End after the present flush. Any thread."""
        self._stopping.set()
        self._journal.wake()
        self.join(5)

    def flush(self) -> None:
        """Take what has happened and hand it on."""
        entries = self._journal.take()
        now = self._clock.now()
        for entry in entries:
            crossings = self._derivations.feed(entry)
            entry.seal()
            if crossings:
                self._cross(crossings)
        self.run_in_progress.write(entries, now, self.employed)
        self.curves.feed(entries, self.employed.setups)
        self.captures.feed(entries, now)
        if entries:
            self._journal.kept(entries[-1].sequence)
        self._tell_those_who_act(entries, now)
        self._look_at_samples(entries)
        self.run_in_progress.points.look(now, self.employed, self._zeros())
        if reason := self.run_in_progress.due(now, self._is_beyond):
            run = self.run_in_progress.log
            assert run is not None
            self.mailbox.post(partial(self._end_planned, run.state.id, reason))
        self._busy = len(entries) > MANY
        packed = b"".join([entry.packed for entry in entries])
        if packed:
            self.samples.add(packed, now)
            self._live.samples(packed)
        if entries:
            self.tape.add([entry.line for entry in entries])
        self._live.tape(entries, now)
        self._look_at_the_armed(entries, now)
        if self._live.status_is_due(now, self.curves.has_ended):
            self.curves.has_ended = False
            self._look_at_the_clock()
            self._derivations.log_failures()
            self._tell(now)
        if now - self._synced_at >= SYNC_EVERY:
            self._synced_at = now
            self.run_in_progress.sync(now)
            self.run_in_progress.conclude()

    def _tell_those_who_act(self, entries: list[Entry], now: int) -> None:
        """What they do wrong must not keep anything from being logged."""
        try:
            if entries:
                for listener in self.listeners:
                    listener(entries)
            for watch in self.watches:
                watch(now)
            self._deaf = False
        except Exception:
            if not self._deaf:
                logger.exception("what happens cannot be told to procedures and safe states")
            self._deaf = True

    def _look_at_samples(self, entries: list[Entry]) -> None:
        """Which channels have settled; marks that instruments set."""
        try:
            if self._marking is not self.employed:
                self._marking = self.employed
                self._state_marks.employ(
                    (self.employed.numbers[part.id], part, setup.instrument.name)
                    for setup in self.employed.setups
                    for part in setup.channel
                )
                self._settled.employ(settling(self.channels()))
            for entry in entries:
                if entry.batch is not None:
                    self._settled.take(entry.batch)
                    if marks := self._state_marks.feed(entry.batch):
                        self.run_in_progress.note(marks)
        except Exception:  # what was measured is logged all the same
            logger.exception("what is seen in the samples could not be told")

    def _look_at_the_clock(self) -> None:
        step = self._clock.check(may_go_back=not self.run_in_progress.goes_on)
        if step is not None:
            self._journal.put("", Note(self._clock.now(), "clock", step.words))
            if step.taken:
                self._remember_from(self._clock.now())

    def _remember_from(self, at: int) -> None:
        """A run takes along nothing that was measured before: it meant something else, or is in another run, or has other times."""
        self._same_since, self._same_after = at, self._journal.newest

    def _tell(self, now: int) -> None:
        """How everything stands. That it cannot be told must not keep anything from being logged."""
        try:
            self._settled_now = self._settled.settled(now)
            self._told = status = self.status()
            self._live.status(status)
            self._look_for_outages(status)
            self._mute = False
        except Exception:
            self._live.status_at(now)
            if not self._mute:
                logger.exception("how everything stands cannot be told")
            self._mute = True

    def _look_for_outages(self, status: Status) -> None:
        """Paths that have stopped and channels that are not measured call like limits, while a run is on."""
        owners = {channel.id: channel.instrument for channel in status.channels}
        running = self.run_in_progress.goes_on
        unknown = status.verdict.unknown
        if not self._outages.looked and status.instruments:
            names = {channel.number: channel.id for channel in status.channels}
            self._outages.resume(self._crossings.going_on(), status.instruments, names)
        for told in self._outages.look(status.at, running, status.instruments, unknown, owners):
            self._crossings.enter(told)
            self.run_in_progress.crossing(told)

    def _cross(self, crossings: list[Crossing]) -> None:
        for crossing in crossings:
            try:
                self._crossed(crossing)
            except Exception:  # what was measured is logged all the same
                logger.exception("a crossed limit could not be told")

    def _crossed(self, crossing: Crossing) -> None:
        """A limit was crossed: onto the tape, into the run folder and before a person's eyes."""
        part = self.employed.numbered.get(crossing.channel)
        if crossing.state not in ("", "starting") and self._crossings.resume(crossing):
            return
        told = told_crossing(part.name, crossing, part.unit, part.decimals) if part is not None else None
        if told is None:
            return
        self._crossings.enter(told)
        self.run_in_progress.crossing(told)

    # ---- what others want done; each is called through the mailbox

    def begin(self, plan: RunPlan, occasion: Occasion | None = None) -> RunStatus:
        """Begin a run; `occasion`: what begins it, None for a person, now. Raises RequestRefused."""
        if self._armed is not None and plan is not self._armed.armed.plan:
            raise RequestRefused("conflict", self._armed.in_the_way)
        if occasion is not None or plan.begins.before_s:
            self.flush()  # up to now everything is in memory
        lead = self._lead(plan, occasion)
        statuses = self.channels()
        channels = run_channels(self.employed.setups, statuses)
        words = occasion.words if occasion is not None else ""
        glance = self._glance(plan, channels)
        self.run_in_progress.begin(
            plan, channels, statuses, self.employed, self._free_bytes(), lead, words, glance
        )
        return self._run_status()

    def glance(self, plan: RunPlan) -> list[Finding]:
        """What there is to be said before a run begins that is planned so."""
        return self._glance(plan, run_channels(self.employed.setups, self.channels()))

    def _glance(self, plan: RunPlan, channels: list[RunChannel]) -> list[Finding]:
        numbers = self.employed.numbers.values()
        columns = self.run_in_progress.columns(plan, channels)
        return self._look_round(plan, self._told or self.status(), columns, numbers, self._same_since)

    def _lead(self, plan: RunPlan, occasion: Occasion | None) -> Lead | None:
        if occasion is None and not plan.begins.before_s:
            return None
        at = occasion.at if occasion is not None else self._clock.now()
        since = max(at - round(plan.begins.before_s * 1e6), self._same_since)
        since, samples = self.samples.records(
            since, self.employed.numbers.values(), MOST_BEFORE, self._same_after
        )
        return Lead(since, max(0, at - since), samples, self.tape.since(since, self._same_after))

    def arm(self, armed: Armed | None) -> ArmedStatus | None:
        """This run waits for what begins it; None: nothing waits. Raises RequestRefused."""
        if armed is None:
            self._armed = None
            return None
        if self._armed is not None:
            raise RequestRefused("conflict", self._armed.in_the_way)
        plan, now = armed.plan, self._clock.now()
        statuses = self.channels()
        begins_at = checked_begins(plan.begins, statuses, now)
        checked_order(begins_at, plan.begins, plan.ends)
        draws = any(setup.curve for setup in self.employed.setups)
        self.run_in_progress.checked(
            plan, run_channels(self.employed.setups, statuses), statuses, begins_at, draws
        )
        self._armed = ArmedRun(armed, {one.id: one for one in statuses})
        self._journal.put("", Note(now, "armed", f"{plan.name}: {plan.begins.words}"))
        return self._armed.status()

    def arm_again(self, armed: Armed) -> None:
        """After a restart. Before the thread begins."""
        self._armed = ArmedRun(armed, {one.id: one for one in self.channels()})

    def call_off(self, armed: str) -> None:
        """The run that waits is not to begin. Raises RequestRefused."""
        plan = self.check_armed(armed).armed.plan
        self._armed = None
        self._journal.put("", Note(self._clock.now(), "called off", plan.name))

    def begin_armed(self, armed: str) -> RunStatus:
        """A person begins the run that waits. Raises RequestRefused."""
        return self._begin_armed(self.check_armed(armed), None)

    def check_armed(self, armed: str) -> ArmedRun:
        """The run that waits. Raises RequestRefused where it is another one, or none."""
        if self._armed is None or self._armed.armed.id != armed:
            raise RequestRefused(
                "conflict", "This run does not wait any more. It has begun, or was called off."
            )
        return self._armed

    def _begin_armed(self, waiting: ArmedRun, occasion: Occasion | None) -> RunStatus:
        run = self.begin(waiting.armed.plan, occasion)
        self._armed = None
        return run

    def _look_at_the_armed(self, entries: list[Entry], now: int) -> None:
        waiting = self._armed
        if waiting is not None and not self.run_in_progress.goes_on:
            occasion = waiting.look(entries, now, self._is_beyond)
            if occasion is not None:
                waiting.begins(now)
                self.mailbox.post(partial(self._begin_by_itself, waiting, occasion))

    def _begin_by_itself(self, waiting: ArmedRun, occasion: Occasion) -> None:
        if self._armed is not waiting or self.run_in_progress.goes_on:
            return
        try:
            run = self._begin_armed(waiting, occasion)
        except RequestRefused as error:
            waiting.refused(str(error))
        else:
            self._begun(run.folder)

    @property
    def keeps_awake(self) -> bool:
        """Whether the computer must not sleep: a run is on, or waits. Any thread."""
        return self._armed is not None or self.run_in_progress.goes_on

    def armed_status(self) -> ArmedStatus | None:
        """The run that waits, None where none does."""
        return self._armed.status() if self._armed is not None else None

    def change_ends(self, run: str, ends: Ends) -> RunStatus:
        """Something else ends the run in progress. Raises RequestRefused."""
        self.run_in_progress.check(run)
        self.run_in_progress.change_ends(ends, self.channels())
        return self._run_status()

    def leave_run(self, left: "Future[None]") -> None:
        """Tidy Bench is being stopped, and the run goes on at its next start; `left` comes true when all is on the disk."""
        self.flush()
        self.curves.finish()
        self.run_in_progress.leave(partial(_told, left))

    def _is_beyond(self, channel: int, patience: int) -> bool:
        watch = self._derivations.newest.watches.get(channel)
        if watch is None or watch.state not in SERIOUS:
            return False
        return unknown(Limited("", "", watch, patience), self._clock.now()) is None

    def _end_planned(self, run: str, reason: str) -> None:
        log = self.run_in_progress.log
        if log is None or log.state.id != run:
            return  # it has ended, by a person or since it was said a moment ago
        self.end(run, f"ended by its plan: {reason}", "ended")
        self._ended(str(log.folder))

    def end(self, run: str, reason: str, status: RunEnd) -> "Future[None]":
        """End the run in progress, with everything that happened until now; what is given comes true when it is on the
        disk. Raises RequestRefused."""
        self.run_in_progress.check(run)
        closed: Future[None] = Future()
        at = self.run_in_progress.say_end(reason)
        self.flush()
        self.curves.finish()
        self.run_in_progress.end(at, reason, status, partial(_told, closed))
        self._remember_from(at + 1)  # no sample belongs to two runs
        self.run_ended()
        return closed

    def mark(self, text: str, by: str, ago_ms: float = 0.0) -> RunStatus:
        """Mark the moment `ago_ms` ago. Raises RequestRefused."""
        self.run_in_progress.mark(text, by, ago_ms)
        return self._run_status()

    def now(self) -> int:
        """The recorder's time, in microseconds since 1970 UTC."""
        return self._clock.now()

    def start_capture(
        self, order: CaptureOrder, told: Callable[[bool, str], None] | None = None, at_most: int = 0
    ) -> CaptureStatus:
        """Wait for a capture's trigger. `told`: what came of it; `at_most`: microseconds after which it is given up, 0 for never. Raises
        RequestRefused."""
        setups = {setup.instrument.id: setup for setup in self.employed.setups}
        return self.captures.start(order, self.channels(), setups, self._same_since, told, at_most)

    def add_picture(self, upload: Path) -> Path:
        """A picture into the run's folder; gives where it is now. Raises RequestRefused."""
        return self.run_in_progress.add_picture(upload)

    def take_point(self, order: PointOrder) -> RunStatus:
        """Begin to take a test point. Raises RequestRefused."""
        run = self.run_in_progress
        run.points.take_point(run.on(), order, self.channels(), self.employed)
        return self._run_status()

    def stop_point(self, number: int, now: bool) -> RunStatus:
        """Average at once, or give the point up. Raises RequestRefused."""
        self.run_in_progress.points.stop_point(number, now)
        self.flush()
        return self._run_status()

    def correct_point(self, wanted: CorrectPoint) -> RunStatus:
        """Another version of a point. Raises RequestRefused."""
        run = self.run_in_progress
        run.points.correct_point(run.on(), wanted)
        self.flush()
        return self._run_status()

    def correct_mark(self, at: int, text: str) -> RunStatus:
        """Another text for a mark. Raises RequestRefused."""
        self.run_in_progress.correct_mark(at, text)
        return self._run_status()

    def go_on(self, ready: Ready | None) -> None:
        """The run that goes on after a restart is in order; None: it cannot be continued."""
        if ready is not None:
            self.samples.preload(ready.samples, self._clock.now())
        self.run_in_progress.go_on(ready, {one.id: one for one in self.channels()})

    def acknowledge(self, ids: list[int], by: str) -> None:
        """A person has seen these crossings."""
        for entry in self._crossings.acknowledge(ids):
            who = f" by {by}" if by else ""
            self._journal.put("", Note(self._clock.now(), "acknowledged", f"{entry.crossing.words}{who}"))

    def change(self, employed: Employed, derivation: Derivation | None, touched: set[str]) -> None:
        """Other set-ups and calculated channels from here on. `derivation`: a new one, None where the one in force goes
        on; `touched`: the links whose set-ups are others."""
        before, self.employed = self.employed, employed
        if derivation is not None or before.workers != employed.workers:
            self._remember_from(self._clock.now())
        if self._armed is not None:
            self._armed.know({one.id: one for one in self.channels()})
        log = self.run_in_progress.log
        sequence = 0
        if log is not None:
            log.know_later(dict(employed.numbers))
            recalculated = employed.calculations != before.calculations
            bench = {""} if derivation is not None or recalculated else set()
            try:
                sequence = self.run_in_progress.say_setups(touched | bench, employed)
            except OSError:  # its folder was taken away a moment ago
                logger.exception("which set-ups are in force could not be written onto the tape")
        if derivation is not None:
            # A run's tape says at which number the new ones begin; without a run they begin at once.
            self._derivations.follow(sequence, derivation)
        self._move_limits(before, employed, moved=derivation is None)

    def _move_limits(self, before: Employed, employed: Employed, moved: bool) -> None:
        old = {part.id: part for part in before.parts}
        for part in employed.parts:
            was = old.get(part.id)
            if was is None or was.limits == part.limits:
                continue
            if moved:
                self._derivations.newest.limit(employed.numbers[part.id], part.limits)
            words = f"{part.name}: {was.limits.words} → {part.limits.words}"
            self._journal.put("", Note(self._clock.now(), "limits", words))

    # ---- what is told; through the mailbox too

    def channels(self) -> list[ChannelStatus]:
        """The channels in force, in the order of their set-ups; calculated ones last."""
        employed = self.employed
        return channel_statuses(
            employed.setups,
            employed.calculations,
            self._derivations.newest,
            employed.numbers,
            self._zeros(),
            self._settled_now,
        )

    def limited(self) -> list[Limited]:
        """The channels that have limits, with their watches."""
        employed = self.employed
        return limited(employed.setups, self._derivations.newest, employed.numbers)

    def open_crossings(self) -> OpenCrossings:
        """Crossings that nobody has acknowledged."""
        return self._crossings

    def status(self) -> Status:
        """Everything, as it is right now."""
        return self._status_of(self)

    def _run_status(self) -> RunStatus:
        status = self.run_in_progress.status()
        assert status is not None
        return status


def _told(closed: "Future[None]", error: Exception | None) -> None:
    if error is None:
        closed.set_result(None)
    else:
        closed.set_exception(error)
