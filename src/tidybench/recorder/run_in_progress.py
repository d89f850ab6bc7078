"""The run in progress: what is logged, marked, crossed, changed in it. The writer's alone."""

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from tidybench.core.derivation import END, RESTARTED
from tidybench.core.plan.end_watch import EndWatch
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.setup.reactions import REACTIONS
from tidybench.core.tape.events import MarkCorrected, Note, ReactionsStand, SetupsInForce, Start
from tidybench.core.values.channel import Channel
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.figure import figure
from tidybench.core.values.finding import Finding
from tidybench.core.values.mark import Mark, mark_text
from tidybench.recorder.calibrating import checked_calibration
from tidybench.recorder.clock import STEP, Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.mender import Mender, Ready, Unfinished
from tidybench.recorder.planned_end import checked_ends, end_watch
from tidybench.recorder.points_in_progress import PointsInProgress
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.runs.disk import Disk, Done
from tidybench.runs.entry import Entry
from tidybench.runs.lead import Lead
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.pictures import add_picture
from tidybench.runs.reserve import Reserve
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunEnd, RunState
from tidybench.runs.stamps import Stamps
from tidybench.runs.steady_rows import fastest
from tidybench.wire.bench import BenchName
from tidybench.wire.channels import ChannelStatus
from tidybench.wire.runs import RunStatus, TakingStatus

logger = logging.getLogger(__name__)

MAX_MARKS = 200
"""Marks of a run that are shown on the Bench; the Logbook has them all."""

MIN_FREE = 50 * 1024 * 1024
"""Bytes that must be free for a run to begin."""


SLACK = 2_000_000
"""Microseconds before its beginning at which a mark still means the beginning: that of the press."""

LONG_LEAD = 1_000_000
"""Microseconds from memory from which on a mark says where the run was begun."""


class RunInProgress:
    """`log` is None while no run is on, and while one that goes on after a restart is put in order: what happens then waits.
    Everything here happens in the writer's thread."""

    def __init__(
        self, bench: BenchName, runs: Path, clock: Clock, journal: Journal, disk: Disk, reserve: Reserve
    ) -> None:
        self.log: RunLog | None = None
        self._bench = bench
        self._runs, self._clock, self._journal, self._disk = runs, clock, journal, disk
        self._reserve = reserve
        self._unconcluded: list[RunLog] = []
        self._mending: tuple[Unfinished, Mender] | None = None
        self._held: list[Entry] = []
        self._held_crossings: list[Crossing] = []
        self._held_marks: list[Mark] = []
        self._held_since = 0
        self._laying_up = False
        self._end_watch: EndWatch | None = None
        self.points = PointsInProgress(clock, journal)
        # The reactions' document, "" for none, and how they stand.
        self.reactions: Callable[[], tuple[str, ReactionsStand | None]] = lambda: ("", None)

    # ---- a run that goes on after a restart

    def mend(self, one: Unfinished, mender: Mender) -> None:
        """This run is being put in order."""
        self._mending, self._held_since = (one, mender), self._clock.now()

    def go_on(self, ready: Ready | None, channels: Mapping[str, Channel]) -> None:
        """It is in order, and what has happened meanwhile is logged; None: it cannot be continued. `channels`: the bench's, by
        id."""
        assert self._mending is not None
        folder = self._mending[0].folder
        self._mending = None
        held, self._held = self._held, []
        crossings, self._held_crossings = self._held_crossings, []
        marks, self._held_marks = self._held_marks, []
        if ready is None:
            return
        try:
            self.log = RunLog.resume(
                folder,
                rows=ready.mended.rows,
                stats=ready.mended.stats,
                rule=ready.mended.rule,
                links=ready.mended.links,
                now=self._held_since,
                disk=self._disk,
                reserve=self._reserve,
            )
        except Exception:
            logger.exception("the run in %s cannot be continued", folder)
            return
        self._watch_for_its_end(channels)
        self._write(held, self._clock.now())
        for crossing in crossings:
            self.log.crossing(crossing)
        self.note(marks)
        self.points.resume(self.log)

    def _refuse_while_mending(self) -> None:
        if self._mending is not None:
            one, mender = self._mending
            raise RequestRefused(
                "conflict",
                f"The run “{one.state.name}” is being put in order after a restart ({mender.words}). Try again in a moment.",
            )

    @property
    def goes_on(self) -> bool:
        """Whether a run is on, or is being put in order."""
        return self.log is not None or self._mending is not None

    def say_restarted(self) -> None:
        """On the tape of a run that goes on."""
        if self.goes_on:
            self._journal.put("", Note(self._clock.now(), RESTARTED))
            if self._clock.behind >= STEP:
                behind = f"the computer's clock is {self._clock.behind / 1e6:.3f} s behind the run's time, which goes on"
                self._journal.put("", Note(self._clock.now(), "clock", behind))

    # ---- begin and end

    def begin(
        self,
        request: RunPlan,
        channels: Sequence[RunChannel],
        statuses: Sequence[ChannelStatus],
        employed: Employed,
        free_bytes: int,
        lead: Lead | None = None,
        begun_by: str = "",
        glance: Sequence[Finding] = (),
    ) -> None:
        """Begin a run. `channels` and `statuses` of the whole bench, in the same order. `lead`: what comes along from memory;
        `begun_by`: what begins it, "" for a person; `glance`: what was found before. Raises RequestRefused."""
        now = self._clock.now()
        chosen = self.checked(request, channels, statuses, now, _draws(employed))
        if free_bytes < MIN_FREE:
            raise RequestRefused(
                "disk", f"Only {free_bytes // 2**20} MB are free in {self._runs}. Make room first."
            )
        try:
            self.log = RunLog.begin(
                self._runs,
                bench=self._bench.name,
                bench_key=self._bench.key,
                name=request.name.strip(),
                item=request.item.strip(),
                operator=request.operator.strip(),
                row_rule=request.row_rule,
                at=lead.begun_at if lead is not None else now,
                channels=chosen,
                setups=self._texts(employed),
                plan=request,
                lead=lead,
                begun_by=begun_by,
                glance=glance,
                disk=self._disk,
                reserve=self._reserve,
            )
        except OSError as error:
            logger.exception("no run folder could be made")
            raise RequestRefused(
                "disk", f"The run folder cannot be made: {error.strerror} ({self._runs})."
            ) from error
        if len(chosen) < len(channels):
            self.log.know_later(dict(employed.numbers))
        self._journal.put("", begin_note(self.log.state.name, now))
        for found in glance:
            if not found.well:
                self._journal.put("", Note(now, "not well", found.words))
        if lead is not None and lead.us >= LONG_LEAD:
            self.mark("begun here", begun_by and "Tidy Bench", (now - self.log.state.pressed_at) / 1000)
        self._watch_for_its_end({one.id: one for one in statuses})
        self.want_states(employed)

    @staticmethod
    def columns(plan: RunPlan, channels: Sequence[RunChannel]) -> list[RunChannel]:
        """Those of the channels that have columns, as far as they are on the bench."""
        return [one for one in channels if not plan.channels or one.id in plan.channels]

    def checked(
        self,
        request: RunPlan,
        channels: Sequence[RunChannel],
        statuses: Sequence[ChannelStatus],
        begins_at: int,
        draws: bool = False,
    ) -> list[RunChannel]:
        """The channels that have columns in such a run; none need have where an instrument `draws` curves. Raises RequestRefused where none can
        begin at `begins_at`."""
        self._refuse_while_mending()
        if self.log is not None:
            raise RequestRefused("conflict", f"The run “{self.log.state.name}” is on. End it first.")
        if not channels and not draws:
            raise RequestRefused("conflict", "There is no channel to log. Connect an instrument first.")
        checked_ends(request.ends, statuses, begins_at, begins_at)
        if request.calibrates is not None:
            checked_calibration(request.calibrates, statuses)
        return _chosen(request, channels)

    def on(self) -> RunLog | None:
        """The run that is on, None for none. Raises RequestRefused while one is being put in order."""
        self._refuse_while_mending()
        return self.log

    def check(self, run: str) -> None:
        """Raises RequestRefused where this run is not the one in progress."""
        self._refuse_while_mending()
        if self.log is None:
            raise RequestRefused("conflict", "No run is on. It was ended already, perhaps in another window.")
        if self.log.state.id != run:
            raise RequestRefused(
                "conflict", f"Another run is on now: “{self.log.state.name}”. Nothing was ended."
            )

    def _watch_for_its_end(self, channels: Mapping[str, Channel]) -> None:
        assert self.log is not None
        state = self.log.state
        known = {channel.id: channel for channel in state.channels} | dict(channels)
        self._end_watch = end_watch(state, known) if state.ends.by_itself else None

    def change_ends(self, ends: Ends, statuses: Sequence[ChannelStatus]) -> None:
        """Something else ends it. Raises RequestRefused."""
        assert self.log is not None
        now = self._clock.now()
        checked_ends(ends, statuses, self.log.state.pressed_at, now)
        if ends.rows is not None and ends.rows <= self.log.rows:
            raise RequestRefused(
                "invalid", f"It has {self.log.rows} rows already. Choose more, or end it now."
            )
        self.log.change_ends(ends, now)
        self._journal.put("", Note(now, "ends", ends.words))
        self._watch_for_its_end({one.id: one for one in statuses})

    def due(self, now: int, beyond: Callable[[int, int], bool]) -> str:
        """Why the run is to end now, by its plan; “” where it goes on. `beyond`: see EndWatch.look."""
        if self.log is None or self._end_watch is None:
            return ""
        return self._end_watch.look(now, self.log.rows, beyond)

    def say_end(self, reason: str) -> int:
        """The last line of its tape; gives the time."""
        now = self._clock.now()
        self.points.give_up("the run ended")
        self._journal.put("", Note(now, END, reason))
        return now

    def end(self, at: int, reason: str, status: RunEnd, done: Done) -> None:
        """End it; `done` is called when all of it is on the disk. Nothing is lost where that fails: it is tried again."""
        log, self.log = self.log, None
        self._end_watch = None
        assert log is not None
        try:
            log.end(at, reason, status, done)
        except Exception as error:
            logger.exception("the run in %s was ended, but that could not be written", log.folder)
            self._unconcluded.append(log)
            done(error)

    def leave(self, done: Done) -> None:
        """It goes on at the next start; `done` is called when all of it is on the disk."""
        log, self.log = self.log, None
        self._end_watch = None
        self.points.leave()
        if log is None:
            done(None)
        else:
            log.abandon(done)

    def conclude(self) -> None:
        """Try again to write what ended runs came to, where it could not be written before."""
        for log in self._unconcluded[:]:
            try:
                log.conclude()
            except OSError:
                continue
            self._unconcluded.remove(log)

    # ---- what happens in it

    def write(self, entries: Sequence[Entry], now: int, employed: Employed) -> None:
        """Log what happened."""
        log = self.log
        if log is None:
            if self._mending is not None:
                self._held += entries
            return
        self._write(entries, now)
        if log.wants_states:
            log.wants_states = False
            self.want_states(employed)

    def _write(self, entries: Sequence[Entry], now: int) -> None:
        assert self.log is not None
        batches = self.log.write(entries, now)
        # What was measured before it began, and came to be written only now, ends no run and is in no point of it.
        for watch in (self._end_watch, self.points.taking):
            if watch is not None:
                for batch in batches:
                    watch.take(batch)

    def sync(self, now: int) -> None:
        """Have it brought to the disk."""
        if self.log is not None:
            self.log.sync(now)
        if not self._laying_up:
            self._laying_up = True
            self._disk.run(self._reserve.lay_up, self._laid_up)

    def _laid_up(self, error: Exception | None) -> None:
        self._laying_up = False

    def want_states(self, employed: Employed) -> None:
        """A tape (or a segment) begins: every link's set-ups and state go onto it."""
        try:
            self.say_setups({"", *employed.workers}, employed)
        except OSError:
            logger.exception("the set-ups could not be kept with the run")
        self._journal.put("", Start(self._clock.now(), {}))  # what is derived; the writer fills it in
        self._say_reactions()
        for worker in employed.workers.values():
            worker.snapshot()

    def change_reactions(self) -> None:
        """Others are in force from here on. Raises OSError: they are not kept with the run."""
        if self.log is not None:
            text, _ = self.reactions()
            self.log.keep_setups({REACTIONS: text} if text else {})
            self._say_reactions()

    def _say_reactions(self) -> None:
        _, stand = self.reactions()
        if stand is not None:
            self._journal.put("", stand)

    def _texts(self, employed: Employed) -> dict[str, str]:
        text, _ = self.reactions()
        return {**employed.texts, **({REACTIONS: text} if text else {})}

    def mark(self, text: str, by: str, ago_ms: float = 0.0) -> None:
        """Mark the moment `ago_ms` ago, for the run's operator where `by` is empty. Raises RequestRefused."""
        self._refuse_while_mending()
        if self.log is None:
            raise RequestRefused("conflict", "No run is on: there is nothing to mark.")
        state = self.log.state
        wanted = self._clock.now() - round(ago_ms * 1000)
        if wanted < state.begun_at - SLACK:
            begun = Stamps().milli(state.begun_at)
            raise RequestRefused(
                "invalid", f"The run began at {begun[11:19]}: there is nothing to mark before that."
            )
        at = max(state.begun_at + 999, wanted) // 1000 * 1000
        mark = Mark(self._free(at), text, by or state.operator)
        try:
            self.log.mark(mark)
        except OSError as error:
            raise RequestRefused("disk", f"The mark cannot be written: {error.strerror}.") from error
        self._journal.put("", mark)

    def add_picture(self, upload: Path) -> Path:
        """Into the run's folder, where its seal covers it. Raises RequestRefused."""
        self._refuse_while_mending()
        if self.log is None:
            raise RequestRefused("conflict", "No run is on: a picture is kept in its run. Begin a run, and send it again.")  # fmt: skip
        try:
            return add_picture(self.log.folder, upload)
        except OSError as error:
            raise RequestRefused("disk", f"The picture cannot be kept: {error.strerror}.") from error

    def _free(self, at: int) -> int:
        """This time, or the next one at which there is no mark: a mark is known by its time."""
        taken = {mark.at for mark in self.log.marks} if self.log is not None else set()
        while at in taken:
            at += 1000
        return at

    def note(self, marks: Sequence[Mark]) -> None:
        """Marks that instruments set; of the run in progress alone."""
        for mark in marks:
            if self.log is not None and mark.at >= self.log.state.pressed_at:
                kept = Mark(self._free(mark.at), mark.text, mark.by)
                self.log.note(kept)
                self._journal.put("", kept)
            elif self._mending is not None:
                self._held_marks.append(mark)

    def correct_mark(self, at: int, text: str) -> None:
        """Another text for a mark; the tape keeps the old one. Raises RequestRefused."""
        self._refuse_while_mending()
        try:
            old = self.log.correct_mark(at, text) if self.log is not None else None
        except OSError as error:
            raise RequestRefused(
                "disk", f"The correction cannot be written: {error.strerror}. The mark stays as it was."
            ) from error
        if old is None:
            raise RequestRefused("not found", "The run in progress has no such mark.")
        self._journal.put("", MarkCorrected(self._clock.now(), at, text, old))

    def crossing(self, crossing: Crossing) -> None:
        """A limit was crossed."""
        self._journal.put("", crossing)
        if self.log is not None:
            self.log.crossing(crossing)
        elif self._mending is not None:
            self._held_crossings.append(crossing)

    # ---- set-ups that change while it is on

    def keep_setups(self, texts: dict[str, str]) -> bool:
        """Keep set-ups that are to come into force; False where no run is on. Raises RequestRefused: nothing has changed
        then."""
        self._refuse_while_mending()
        if self.log is None:
            return False
        try:
            self.log.keep_setups(texts)
        except OSError as error:
            raise RequestRefused(
                "disk", f"The set-up cannot be kept with the run: {error.strerror}. Nothing was changed."
            ) from error
        return True

    def say_setups(self, links: set[str], employed: Employed) -> int:
        """Which set-ups these links have from now on, onto the run's tape; gives the last line's number, 0 where no run is
        on. The link "" is the bench: all set-ups, and the calculated channels. Raises OSError."""
        if self.log is None:
            return 0
        names = self.log.keep_setups(self._texts(employed))
        now, number = self._clock.now(), 0
        for link in sorted(links, key=lambda link: (not link, link)):
            setups = employed.on_link(link)
            files = [names[s.instrument.id] for s in setups]
            numbers = {c.id: employed.numbers[c.id] for s in setups for c in s.channel}
            if not link and CALCULATED in names:
                files.append(names[CALCULATED])
                numbers |= {one.id: employed.numbers[one.id] for one in employed.calculations.calculated}
            number = self._journal.put(link, SetupsInForce(now, files, numbers))
        return number

    def status(self) -> RunStatus | None:
        """How it stands."""
        if self._mending is not None:
            one, mender = self._mending
            words = f"It is being put in order after a restart ({mender.words}). What is measured meanwhile is kept."
            return _status(
                one.folder, one.state, one.state.rows, one.newest.at, [words], [], None, 0, one.points, None
            )
        log = self.log
        if log is None:
            return None
        troubles = list(log.troubles.values())
        watch = self._end_watch
        if watch is not None and watch.gone:
            gone = ", ".join(f"“{key}”" for key in watch.gone)
            troubles.append(
                f"The run is to end by {gone}, not on the bench any more. Change its end, or end it yourself."
            )
        marks = log.marks[-MAX_MARKS:]
        return _status(
            log.folder,
            log.state,
            log.rows,
            log.saved_at,
            troubles,
            marks,
            watch,
            self._clock.now(),
            len(log.points),
            self.points.status(self._clock.now()),
        )


def _status(
    folder: Path,
    state: RunState,
    rows: int,
    saved_at: int,
    troubles: list[str],
    marks: Sequence[Mark],
    watch: EndWatch | None,
    now: int,
    points: int,
    taking: TakingStatus | None,
) -> RunStatus:
    return RunStatus(
        id=state.id,
        name=state.name,
        item=state.item,
        operator=state.operator,
        order=state.order,
        row_rule=state.row_rule,
        ends=state.ends,
        ends_at=watch.at if watch is not None else None,
        unsettled=watch.unsettled(now) if watch is not None else [],
        carry_on=state.carry_on,
        begun_at=state.begun_at,
        begun_by=state.begun_by,
        lead_us=state.lead_us,
        folder=str(folder),
        csv=state.csv,
        rows=rows,
        saved_at=saved_at,
        counts=replace(state.counts),
        troubles=troubles,
        repairs=state.repairs,
        marks=list(marks),
        points=points,
        taking=taking,
        calibrates=state.calibrates,
    )


def checked_mark(text: str) -> str:
    """A mark's text as it is kept. Raises RequestRefused."""
    try:
        return mark_text(text)
    except ValueError as error:
        raise RequestRefused("invalid", str(error)) from error


def checked_begin(request: RunPlan) -> None:
    """Raises RequestRefused where a run cannot be called so."""
    if not request.name.strip():
        raise RequestRefused("invalid", "A run needs a name.")
    for what, text in (
        ("name", request.name), ("test item", request.item), ("operator", request.operator), ("order number", request.order),
    ):  # fmt: skip
        without_controls(text, f"The {what}")
    for name, text in request.fields.items():
        without_controls(text, f"The field “{name}”")
    if request.calibrates is not None:
        without_controls(request.calibrates.standard, "The reference")
    without_controls(request.notes.replace("\r\n", "").replace("\n", "").replace("\t", ""), "The notes")


def _draws(employed: Employed) -> bool:
    """Whether an instrument sends curves."""
    return any(setup.curve for setup in employed.setups)


def _chosen(request: RunPlan, channels: Sequence[RunChannel]) -> list[RunChannel]:
    """The channels that have columns. Raises RequestRefused where one is not on the bench, or the rows come too fast."""
    known = {channel.id for channel in channels}
    gone = [key for key in request.channels if key not in known]
    if gone:
        words = ", ".join(f"“{key}”" for key in gone)
        one = len(gone) == 1
        raise RequestRefused(
            "invalid",
            f"The plan has {'a channel that is' if one else 'channels that are'} not on the bench: {words}. "
            f"Leave {'it' if one else 'them'} out, or connect the instrument.",
        )
    chosen = RunInProgress.columns(request, channels)
    shortest = fastest(chosen) / 1e6
    if 0 < request.row_rule.every_s < shortest and all(one.interval_s for one in chosen):
        raise RequestRefused(
            "invalid",
            f"Rows every {figure(request.row_rule.every_s)} s are more than any channel fills: the fastest has a value every "
            f"{figure(shortest)} s. Choose at least that.",
        )
    return chosen
