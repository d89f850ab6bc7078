"""The run in progress: what is logged, marked, crossed, changed in it. The writer's alone."""

import logging
import platform
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from tidybench.core.derivation import END, RESTARTED
from tidybench.core.samples import RECORD_SIZE
from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.tape.events import MarkCorrected, Note, SetUp
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.recorder.clock import Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.disk import Disk, Done
from tidybench.runs.entry import Entry
from tidybench.runs.folder import SAMPLES, run_folders
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.recovery import close_interrupted, mend, set_aside
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunEnd, RunState, read_state
from tidybench.wire.runs import BeginRun, RunStatus

logger = logging.getLogger(__name__)

MAX_MARKS = 200
"""Marks of a run that are shown on the Bench; the Logbook has them all."""

MIN_FREE = 50 * 1024 * 1024
"""Bytes that must be free for a run to begin."""

PRELOADED = 24_000_000
"""Bytes of a run's newest samples that a restarted recorder remembers."""


@dataclass(slots=True, frozen=True)
class Found:
    """A run that goes on after a restart: its newest samples as records, and the last number on its tape."""

    samples: bytes
    last_sequence: int


class RunInProgress:
    """`log` is None while no run is on. Everything here happens in the writer's thread."""

    def __init__(self, runs: Path, clock: Clock, journal: Journal, disk: Disk) -> None:
        self.log: RunLog | None = None
        self._runs, self._clock, self._journal, self._disk = runs, clock, journal, disk
        self._unconcluded: list[RunLog] = []

    # ---- runs found at the start

    def take_up(self, run: str | None) -> Found | None:
        """Mend runs that were not ended; go on with `run`, the folder of the one that was in progress (None: with none)."""
        found = None
        for folder in run_folders(self._runs):
            try:
                state = read_state(folder)
            except (OSError, ValueError):
                continue
            if state.status != "logging":
                continue
            try:
                if str(folder) == run:
                    found = self._carry_on(folder)
                else:
                    close_interrupted(folder, "Tidy Bench ended without ending the run.")
            except Exception as error:  # one broken folder must not keep the bench from starting
                logger.exception("the run in %s could not be mended", folder)
                self._set_aside(folder, state, f"It could not be mended: {error}.")
        return found

    @staticmethod
    def _set_aside(folder: Path, state: RunState, why: str) -> None:
        try:
            set_aside(folder, state, why)
        except OSError as error:
            logger.error("the run in %s could not be closed either: %s", folder, error)

    def _carry_on(self, folder: Path) -> Found:
        mended = mend(folder)
        with open(folder / SAMPLES, "rb") as file:
            size = file.seek(0, 2)
            file.seek(max(0, size - size % RECORD_SIZE - PRELOADED))
            samples = file.read()
        self.log = RunLog.resume(
            folder,
            rows=mended.rows,
            stats=mended.stats,
            links=mended.links,
            now=self._clock.now(),
            disk=self._disk,
        )
        return Found(samples, mended.last_sequence)

    def say_restarted(self) -> None:
        """On the tape of a run that goes on."""
        if self.log is not None:
            self._journal.put("", Note(self._clock.now(), RESTARTED))

    # ---- begin and end

    def begin(
        self, request: BeginRun, channels: Sequence[RunChannel], employed: Employed, free_bytes: int
    ) -> None:
        """Begin a run. Raises RequestRefused."""
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
                bench=platform.node() or "bench",
                name=request.name.strip(),
                item=request.item.strip(),
                operator=request.operator.strip(),
                row_rule=request.row_rule,
                at=now,
                channels=channels,
                setups=dict(employed.texts),
                disk=self._disk,
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
            return
        log.write(entries, now)
        if log.turned:
            log.turned = False
            self.want_states(employed)

    def sync(self) -> None:
        """Have it brought to the disk."""
        if self.log is not None:
            self.log.sync()

    def want_states(self, employed: Employed) -> None:
        """A tape (or a segment) begins: every link's set-ups and state go onto it."""
        try:
            self.say_setups({"", *employed.workers}, employed)
        except OSError:
            logger.exception("the set-ups could not be kept with the run")
        for worker in employed.workers.values():
            worker.snapshot()

    def mark(self, text: str, by: str) -> None:
        """Mark this moment. Raises RequestRefused."""
        if self.log is None:
            raise RequestRefused("conflict", "No run is on: there is nothing to mark.")
        mark = Mark(self._clock.now() // 1000 * 1000, text, by)
        try:
            self.log.mark(mark)
        except OSError as error:
            raise RequestRefused("disk", f"The mark cannot be written: {error.strerror}.") from error
        self._journal.put("", mark)

    def correct_mark(self, at: int, text: str) -> None:
        """Another text for a mark; the tape keeps the old one. Raises RequestRefused."""
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

    # ---- set-ups that change while it is on

    def keep_setups(self, texts: dict[str, str]) -> bool:
        """Keep set-ups that are to come into force; False where no run is on. Raises RequestRefused: nothing has changed
        then."""
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
            number = self._journal.put(link, SetUp(now, files, numbers))
        return number

    def status(self) -> RunStatus | None:
        """How it stands."""
        log = self.log
        if log is None:
            return None
        s = log.state
        return RunStatus(
            id=s.id,
            name=s.name,
            item=s.item,
            operator=s.operator,
            row_rule=s.row_rule,
            begun_at=s.begun_at,
            folder=str(log.folder),
            csv=s.csv,
            rows=log.rows,
            saved_at=log.saved_at,
            counts=replace(s.counts),
            troubles=list(log.troubles.values()),
            repairs=s.repairs,
            marks=list(log.marks[-MAX_MARKS:]),
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
