"""The run in progress: what is logged, marked, crossed, changed in it. The writer's alone."""

import logging
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from tidybench.core.derivation import END, RESTARTED
from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.tape.events import MarkCorrected, Note, SetupsInForce, Start
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.recorder.clock import STEP, Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.mender import Mender, Ready, Unfinished
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.disk import Disk, Done
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.reserve import Reserve
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunEnd, RunState
from tidybench.wire.bench import BenchName
from tidybench.wire.runs import BeginRun, RunStatus

logger = logging.getLogger(__name__)

MAX_MARKS = 200
"""Marks of a run that are shown on the Bench; the Logbook has them all."""

MIN_FREE = 50 * 1024 * 1024
"""Bytes that must be free for a run to begin."""


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
        self._held_since = 0
        self._laying_up = False

    # ---- a run that goes on after a restart

    def mend(self, one: Unfinished, mender: Mender) -> None:
        """This run is being put in order."""
        self._mending, self._held_since = (one, mender), self._clock.now()

    def go_on(self, ready: Ready | None) -> None:
        """It is in order, and what has happened meanwhile is logged; None: it cannot be continued."""
        assert self._mending is not None
        folder = self._mending[0].folder
        self._mending = None
        held, self._held = self._held, []
        crossings, self._held_crossings = self._held_crossings, []
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
        self.log.write(held, self._clock.now())
        for crossing in crossings:
            self.log.crossing(crossing)

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
        self, request: BeginRun, channels: Sequence[RunChannel], employed: Employed, free_bytes: int
    ) -> None:
        """Begin a run. Raises RequestRefused."""
        self._refuse_while_mending()
        if self.log is not None:
            raise RequestRefused("conflict", f"The run “{self.log.state.name}” is on. End it first.")
        if not channels:
            raise RequestRefused("conflict", "There is no channel to log. Connect an instrument first.")
        if free_bytes < MIN_FREE:
            raise RequestRefused(
                "disk", f"Only {free_bytes // 2**20} MB are free in {self._runs}. Make room first."
            )
        now = self._clock.now()
        try:
            self.log = RunLog.begin(
                self._runs,
                bench=self._bench.name,
                bench_key=self._bench.key,
                name=request.name.strip(),
                item=request.item.strip(),
                operator=request.operator.strip(),
                row_rule=request.row_rule,
                at=now,
                channels=channels,
                setups=dict(employed.texts),
                disk=self._disk,
                reserve=self._reserve,
            )
        except OSError as error:
            logger.exception("no run folder could be made")
            raise RequestRefused(
                "disk", f"The run folder cannot be made: {error.strerror} ({self._runs})."
            ) from error
        self._journal.put("", begin_note(self.log.state.name, now))
        self.want_states(employed)

    def check(self, run: str) -> None:
        """Raises RequestRefused where this run is not the one in progress."""
        self._refuse_while_mending()
        if self.log is None:
            raise RequestRefused("conflict", "No run is on. It was ended already, perhaps in another window.")
        if self.log.state.id != run:
            raise RequestRefused(
                "conflict", f"Another run is on now: “{self.log.state.name}”. Nothing was ended."
            )

    def say_end(self, reason: str) -> int:
        """The last line of its tape; gives the time."""
        now = self._clock.now()
        self._journal.put("", Note(now, END, reason))
        return now

    def end(self, at: int, reason: str, status: RunEnd, done: Done) -> None:
        """End it; `done` is called when all of it is on the disk. Nothing is lost where that fails: it is tried again."""
        log, self.log = self.log, None
        assert log is not None
        try:
            log.end(at, reason, status, done)
        except Exception as error:
            logger.exception("the run in %s was ended, but that could not be written", log.folder)
            self._unconcluded.append(log)
            done(error)

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
        log.write(entries, now)
        if log.wants_states:
            log.wants_states = False
            self.want_states(employed)

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
        for worker in employed.workers.values():
            worker.snapshot()

    def mark(self, text: str, by: str, ago_ms: float = 0.0) -> None:
        """Mark the moment `ago_ms` ago, for the run's operator where `by` is empty. Raises RequestRefused."""
        self._refuse_while_mending()
        if self.log is None:
            raise RequestRefused("conflict", "No run is on: there is nothing to mark.")
        state = self.log.state
        at = max(state.begun_at + 999, self._clock.now() - round(ago_ms * 1000)) // 1000 * 1000
        while any(mark.at == at for mark in self.log.marks):  # a mark is known by its time
            at += 1000
        mark = Mark(at, text, by or state.operator)
        try:
            self.log.mark(mark)
        except OSError as error:
            raise RequestRefused("disk", f"The mark cannot be written: {error.strerror}.") from error
        self._journal.put("", mark)

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
        names = self.log.keep_setups(dict(employed.texts))
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
            return _status(one.folder, one.state, one.state.rows, one.newest.at, [words], [])
        log = self.log
        if log is None:
            return None
        troubles = list(log.troubles.values())
        return _status(log.folder, log.state, log.rows, log.saved_at, troubles, log.marks[-MAX_MARKS:])


def _status(
    folder: Path, state: RunState, rows: int, saved_at: int, troubles: list[str], marks: Sequence[Mark]
) -> RunStatus:
    return RunStatus(
        id=state.id,
        name=state.name,
        item=state.item,
        operator=state.operator,
        row_rule=state.row_rule,
        begun_at=state.begun_at,
        folder=str(folder),
        csv=state.csv,
        rows=rows,
        saved_at=saved_at,
        counts=replace(state.counts),
        troubles=troubles,
        repairs=state.repairs,
        marks=list(marks),
    )


def checked_mark(text: str) -> str:
    """A mark's text as it is kept. Raises RequestRefused."""
    text = " ".join(text.split())
    if not text or len(text) > 500:
        raise RequestRefused("invalid", "A mark has between 1 and 500 characters.")
    return without_controls(text, "A mark")


def without_controls(text: str, what: str) -> str:
    """The text itself. Raises RequestRefused where it has characters that no file and no database takes."""
    if any(ord(c) < 32 or ord(c) == 127 or 0xD800 <= ord(c) < 0xE000 for c in text):
        raise RequestRefused("invalid", f"{what} has a control character in it. Remove it.")
    return text


def checked_begin(request: BeginRun) -> None:
    """Raises RequestRefused where a run cannot be called so."""
    if not request.name.strip():
        raise RequestRefused("invalid", "A run needs a name.")
    for what, text in (("name", request.name), ("test item", request.item), ("operator", request.operator)):
        if len(text.strip()) > 120:
            raise RequestRefused("invalid", f"The {what} has {len(text)} characters; at most 120 fit.")
        without_controls(text, f"The {what}")
