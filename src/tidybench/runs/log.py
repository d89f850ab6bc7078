"""A run as it is logged: tape first, then samples, then CSV rows, all within one flush."""

import json
import logging
import os
import uuid
from collections import deque
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass, field
from functools import partial
from pathlib import Path

from tidybench.core.batch import RECORD_SIZE, Batch
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import OrderedPoint
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.samples import batches_of, unpack
from tidybench.core.tape.counting import count
from tidybench.core.tape.events import Hole, Note, PointTaken, Received, SetupsInForce, Start
from tidybench.core.tape.lines import tape_line
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.finding import Finding
from tidybench.core.values.mark import Mark
from tidybench.core.values.point import Point
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.chain import chain_of
from tidybench.runs.checks import CHECKS, check_line
from tidybench.runs.crossings import CROSSINGS, crossing_row
from tidybench.runs.crossings import HEAD as CROSSINGS_HEAD
from tidybench.runs.csv_files import CsvFiles
from tidybench.runs.curves import CurvesFiles
from tidybench.runs.disk import Disk, Done, HereAndNow, Together, synced
from tidybench.runs.entry import Entry
from tidybench.runs.files import Appender
from tidybench.runs.folder import SAMPLES, SETUPS, SUMMARY, TAPE, new_folder, setup_file
from tidybench.runs.lead import Lead
from tidybench.runs.marks import MARKS, MarksFile
from tidybench.runs.points import POINTS, PointsFile
from tidybench.runs.reserve import Reserve
from tidybench.runs.rows import RowMaker, make_rule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import STATE, RunEnd, RunState, read_state, state_text
from tidybench.runs.seal import seal
from tidybench.runs.stamps import Stamps
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import TapeWriter
from tidybench.runs.whole import WholeFile, write_whole

logger = logging.getLogger(__name__)

SUM_SIZE = 1 << 16
"""Bytes of samples that gather before the summary takes them in."""

MAX_WAITING = 32 * 1024 * 1024
"""Bytes that wait for room on a full disk. What comes then is counted, and kept nowhere."""


@dataclass(slots=True)
class _Flush:
    """What is written at once, tape first. `step`: how many of the files have it; `rows` are emptied as they are
    written."""

    tape: bytes
    samples: bytes
    rows: bytearray
    row_count: int
    step: int = 0
    size: int = field(init=False)

    def __post_init__(self) -> None:
        self.size = len(self.tape) + len(self.samples) + len(self.rows)


class RunLog:
    """Writes one run folder. Only one thread may use it, and that thread never waits for the disk: what must be durable
    is handed to `disk`, which calls back in the same thread.

    On a full disk everything waits, in order, and follows by itself. What there is no memory for either is a hole: counted
    on the tape, in the state and in the summary, and in all files alike.
    """

    def __init__(
        self,
        folder: Path,
        state: RunState,
        disk: Disk | None = None,
        rule: RowMaker | None = None,
        reserve: Reserve | None = None,
    ) -> None:
        self.folder = folder
        self.state = state
        self.stats = RunStats(state.channels)
        self.rows = 0
        self._rows_taken = 0  # those that wait as well
        self.troubles: dict[str, str] = {}
        self.saved_at = 0
        self.wants_states = False  # a new tape segment began, or a hole has ended
        self._disk = disk or HereAndNow()
        self._rule = rule or make_rule(state)
        self._chain = chain_of(folder, state.id)
        self._tape = TapeWriter(folder / TAPE, self._disk, self._refused, added=self._chain.add)
        self._samples = Appender(folder / SAMPLES)
        self._csv = CsvFiles(folder, state, self._disk, self._refused)
        self._checks = Appender(folder / CHECKS)
        self._points = PointsFile(folder, state.begun_at, self._disk, self._refused)
        self._marks = MarksFile(folder, state.begun_at, self._disk, self._refused)
        self.curves = CurvesFiles(folder, self._disk, self._refused, self._say_curves)
        self._crossings: Appender | None = Appender(folder / CROSSINGS)
        if not self._crossings.size:
            self._crossings.append(CROSSINGS_HEAD.encode())
        self._state_file = WholeFile(folder / STATE, self._disk, self._refused, reserve)
        self._reserve = reserve
        self._started: set[str] = {""}
        self._points_waiting: deque[Point] = deque()
        self._leads = False  # what came before a link's starting state is kept too, as it was read
        self._waiting: deque[_Flush] = deque()
        self._waiting_size = 0
        self._hole: Hole | None = None
        self._unsummed = bytearray()
        self._unchecked = bytearray()  # lines that found no room yet
        self._stamps = Stamps()
        self._syncing = 0
        self._ended = False

    @classmethod
    def begin(
        cls,
        runs: Path,
        *,
        bench: str,
        bench_key: str = "",
        name: str,
        item: str,
        operator: str,
        row_rule: RowRule,
        at: int,
        channels: Sequence[RunChannel],
        setups: dict[str, str],
        plan: RunPlan | None = None,
        lead: Lead | None = None,
        begun_by: str = "",
        glance: Sequence[Finding] = (),
        disk: Disk | None = None,
        reserve: Reserve | None = None,
    ) -> "RunLog":
        """Make a run folder and begin to log into it. `setups`: TOML text by instrument id. `plan`: what else is planned of it. `lead`: what
        comes along from memory, of the time from `at` on; it is written before this returns. `glance`: what
        was found before it began. Raises OSError."""
        folder, csv = new_folder(runs, name, at)
        state = RunState(
            id=str(uuid.uuid4()),
            bench=bench,
            bench_key=bench_key,
            name=name,
            item=item,
            operator=operator,
            row_rule=row_rule,
            begun_at=at,
            csv=csv,
            chosen=list(plan.channels) if plan is not None else [],
            channels=list(channels),
            begun_by=begun_by,
            glance=list(glance),
            lead_us=lead.us if lead is not None else 0,
            lead_sequence=lead.sequence if lead is not None else 0,
            **(
                plan.model_dump(
                    include={
                        "order",
                        "notes",
                        "fields",
                        "begins",
                        "ends",
                        "carry_on",
                        "points",
                        "calibrates",
                        "copy_to",
                    }
                )
                if plan is not None
                else {}
            ),
        )
        for instrument, text in setups.items():
            (folder / SETUPS / setup_file(instrument)).write_text(text, "utf-8")
        log = cls(folder, state, disk, reserve=reserve)
        log._csv.begin()
        log._state_file.put(state_text(state))
        if lead is not None:
            log._take_along(lead)
        log._disk.run(_kept_so_far(folder), lambda error: log._refused(error) if error is not None else None)
        return log

    @classmethod
    def resume(
        cls,
        folder: Path,
        *,
        rows: int,
        stats: RunStats,
        links: Iterable[str],
        rule: RowMaker,
        now: int,
        disk: Disk | None = None,
        reserve: Reserve | None = None,
    ) -> "RunLog":
        """Go on with a run whose folder has been mended; `rule` has made its rows so far. Rows go on from `now`: a gap stays a
        gap."""
        rule.skip(now)
        log = cls(folder, read_state(folder), disk, rule=rule, reserve=reserve)
        log.rows, log._rows_taken, log.stats = rows, rows, stats
        log._started |= set(links)
        return log

    def _take_along(self, lead: Lead) -> None:
        """What is from memory: as it was read, on the tape, in the samples and in the rows."""
        rows: list[str] = []
        for batch in batches_of(unpack(lead.samples)):
            rows += self._rows_of(max(batch.times), batch)
        tape = "".join(f"{line}\n" for line in lead.lines).encode()
        self.state.counts.sequence = self.state.lead_sequence
        self._leads = True
        self._put_rows(tape, lead.samples, rows, self.state.pressed_at)

    def _rows_of(self, at: int, batch: Batch) -> list[str]:
        try:
            return self._rule.feed(at, batch)
        except Exception as error:  # tape and samples are logged all the same
            self._fail("rows", f"A row could not be made: {_why(error)}.", error)
            return []

    def _put_rows(self, tape: bytes, samples: bytes, rows: list[str], now: int) -> None:
        if self.state.ends.rows is not None:
            del rows[max(0, self.state.ends.rows - self._rows_taken) :]
            self._rows_taken += len(rows)
        if tape or samples or rows:
            self._put(_Flush(tape, samples, bytearray("".join(rows).encode()), len(rows)), now)
        elif self._waiting:
            self._drain(now)

    @property
    def marks(self) -> list[Mark]:
        """The marks so far."""
        return self._marks.marks

    def write(self, entries: Sequence[Entry], now: int) -> list[Batch]:
        """Log what happened (sealed entries, in order) and the rows due by `now`. Gives the samples that are the run's: not those of links whose starting state is not on its
        tape yet."""
        if self._hole is not None:
            self._make_room(now)
            if self._hole is not None:
                self._miss(entries, now)
                return [entry.batch for entry in entries if entry.batch is not None]
        batches: list[Batch] = []
        tape: list[str] = []
        packed: list[bytes] = []
        rows: list[str] = []
        started, rule, counts = self._started, self._rule, self.state.counts
        last = None
        for entry in entries:
            event, link = entry.event, entry.link
            if link not in started:
                kind = type(event)
                if kind is Start:
                    started.add(link)
                elif kind is not SetupsInForce and not self._leads:
                    continue  # what this happened upon is not on this tape
            tape.append(entry.line)
            if entry.batch is not None:
                packed.append(entry.packed)
                batches.append(entry.batch)
                rows += self._rows_of(event.at, entry.batch)
            if type(event) is not Received:  # nearly all are, where instruments talk on their own
                count(counts, entry.sequence, event)
                if type(event) is PointTaken:
                    self._points_waiting.append(Point.model_validate(event.point))
            last = entry
        rows += rule.until(now)
        if last is not None:
            counts.sequence = last.sequence
            tape.append("")
        self._put_rows("\n".join(tape).encode(), b"".join(packed), rows, now)
        if self._points_waiting:  # the tape first: what a kill keeps from its file is put back from there
            self._add_points()
        return batches

    def _put(self, flush: _Flush, now: int) -> None:
        self._waiting.append(flush)
        self._waiting_size += flush.size
        self._drain(now)
        if self._waiting_size > MAX_WAITING:
            # Nothing more is imported: what waits stands right behind what is written.
            self._hole = Hole(now, self.state.counts.sequence + 1, 0, 0, now)

    def _drain(self, now: int) -> bool:
        """Write what waits, in order; whether all of it is written."""
        waiting = self._waiting
        while waiting:
            flush = waiting[0]
            try:
                if flush.step == 0:
                    self.wants_states |= bool(flush.tape) and self._tape.append(flush.tape)
                    flush.step = 1
                if flush.step == 1:
                    self._samples.append(flush.samples)
                    self._unsummed += flush.samples
                    flush.step = 2
                if flush.rows:
                    self._csv.append(flush.rows)
            except Exception as error:
                self._fail("files", self._waits(error), error)
                return False
            self.rows += flush.row_count
            self._waiting_size -= flush.size
            waiting.popleft()
            if len(self._unsummed) > SUM_SIZE:
                self._sum()
        self.troubles.pop("files", None)
        return True

    def _waits(self, error: Exception) -> str:
        return (
            f"Nothing can be written: {_why(error)}. Everything so far is safe, and what is measured now waits "
            f"({self._waiting_size / 1e6:.1f} of {MAX_WAITING / 1e6:.0f} MB). Free some space: it follows by itself."
        )

    def _miss(self, entries: Sequence[Entry], now: int) -> None:
        """Entries for which there is neither room nor memory."""
        assert self._hole is not None
        hole = self._hole
        hole.events += len(entries)
        hole.samples += sum(len(entry.batch) for entry in entries if entry.batch is not None)
        if entries:
            hole.at, self.state.counts.sequence = now, entries[-1].sequence
        self.troubles["hole"] = (
            f"The disk is full, and {hole.samples} samples are lost so far. Free some space: logging goes on by itself."
        )

    def _make_room(self, now: int) -> None:
        """What waits first; then a line of the tape says what was lost, and logging goes on."""
        assert self._hole is not None
        hole = self._hole
        if not self._drain(now):
            return
        if hole.events:
            try:
                line = tape_line(self.state.counts.sequence, "", hole) + "\n"
                self._tape.append(line.encode())
            except OSError as error:
                self._fail("files", self._waits(error), error)
                return
            self._note_hole(hole)
        self._hole = None
        self._rule.skip(now)
        self._leads = False
        self._started = {""}  # links count again from their next starting state
        self.wants_states = True
        self.troubles.pop("hole", None)
        if hole.events:
            self.troubles["held"] = (
                f"{hole.samples} samples found no room on the disk for {(hole.at - hole.since) / 1e6:.0f} s. They are lost."
            )

    def _note_hole(self, hole: Hole) -> None:
        self.state.holes.append(hole)
        begun = self._stamps.milli(hole.since)
        self.state.repairs.append(
            f"The disk was full from {begun} on: {hole.samples} samples of {(hole.at - hole.since) / 1e6:.0f} s are lost."
        )

    def _sum(self) -> None:
        if self._unsummed:
            self.stats.add(bytes(self._unsummed))
            self._unsummed.clear()

    def _sum_up(self) -> None:
        """What the state says of rows and samples is as of now, where nothing waits."""
        if not self._waiting:
            self._sum()
            self.state.rows, self.state.stats = self.rows, self.stats.state()
            self.state.summed = self.state.counts.sequence

    # ---- sinks: each file fails by itself, in words, with its traceback in the log

    def _fail(self, file: str, sentence: str, error: Exception) -> None:
        if file not in self.troubles:
            logger.error("%s: %s", self.folder, sentence, exc_info=error)
        self.troubles[file] = sentence

    def _refused(self, error: Exception) -> None:
        why = error.strerror if isinstance(error, OSError) else repr(error)
        self._fail(
            "disk",
            f"The disk reports an error while saving: {why}. What was logged since may be lost in a power cut.",
            error,
        )

    def _say_curves(self, words: str) -> None:
        if words:
            self.troubles["curves"] = words
        else:
            self.troubles.pop("curves", None)

    # ---- what happens in a run besides

    def keep_setups(self, texts: dict[str, str]) -> dict[str, str]:
        """Keep set-ups that come into force during the run beside those it began with; gives the name of
        each one's file within `set-ups`, by instrument. Raises OSError."""
        folder = self.folder / SETUPS
        names: dict[str, str] = {}
        for instrument, text in texts.items():
            file = setup_file(instrument)
            kept = [folder / file]
            kept += sorted((folder / "changed").glob(f"{instrument}.*.toml"))
            same = [path for path in kept if path.exists() and path.read_text("utf-8") == text]
            if not same:
                (folder / "changed").mkdir(exist_ok=True)
                path = folder / "changed" / file.replace(instrument, f"{instrument}.{len(kept) + 1:03d}", 1)
                try:
                    path.write_text(text, "utf-8")
                except OSError:
                    path.unlink(missing_ok=True)  # half a set-up is none
                    raise
                same = [path]
            names[instrument] = str(same[0].relative_to(folder))
        return names

    def know_later(self, numbers: dict[str, int]) -> None:
        """Channels that came after the beginning: they go to the samples and the tape, not to the CSV."""
        columns = {channel.id for channel in self.state.channels}
        later = {k: n for k, n in numbers.items() if k not in columns}
        if later.items() <= self.state.later.items():
            return
        self.state.later |= later
        self._put_state()

    def change_ends(self, ends: Ends, at: int) -> None:
        """Something else ends it, from `at` on. The tape's line is the journal's."""
        self.state.ends, self.state.ends_given_at = ends, at
        self._put_state()

    @property
    def points(self) -> list[Point]:
        """All versions of its points so far, with those that wait for their file."""
        return [*self._points.points, *self._points_waiting]

    def order_point(self, ordered: OrderedPoint | None) -> None:
        """A test point is being taken (None: none any more), for whoever goes on with the run."""
        self.state.ordered = ordered
        self._put_state()

    def _add_points(self) -> None:
        """Those that are on the tape, and wait for their file."""
        waiting = self._points_waiting
        while waiting:
            try:
                self._points.add(waiting[0])
            except OSError as error:
                self._fail(
                    "points", f"{POINTS} cannot be written: {_why(error)}. The tape has the points.", error
                )
                return
            waiting.popleft()
        self.troubles.pop("points", None)

    def mark(self, mark: Mark) -> None:
        """Add a mark to marks.csv. The tape's line is the journal's. Raises OSError."""
        self._marks.add(mark)

    def note(self, mark: Mark) -> None:
        """Add a mark that no person waits for. The tape's line is the journal's."""
        try:
            self._marks.add(mark)
        except OSError as error:
            self._fail("marks", f"{MARKS} cannot be written: {_why(error)}. The tape has the marks.", error)
        else:
            self.troubles.pop("marks", None)

    def correct_mark(self, at: int, text: str) -> str | None:
        """Another text for the mark made at `at`; gives the old one, None where there is no such mark. The tape keeps
        both. Raises OSError, and has changed nothing, where it cannot be written."""
        return self._marks.correct(at, text)

    def crossing(self, crossing: Crossing) -> None:
        """Add a limit that was crossed to crossings.csv. The tape's line is the journal's."""
        if self._crossings is None:
            return
        try:
            self._crossings.append(crossing_row(crossing, self.state.begun_at).encode())
        except Exception as error:
            self._fail("crossings", f"{CROSSINGS} ends here: {_why(error)}. Rows are still logged.", error)
            self._crossings = None

    def _put_state(self) -> None:
        self._sum_up()
        try:
            self._state_file.put(state_text(self.state))
        except OSError as error:
            self._fail("state", f"{STATE} cannot be written: {_why(error)}. Free some space.", error)
        else:
            self.troubles.pop("state", None)

    def sync(self, now: int) -> None:
        """Have everything brought to the disk, and the state with it. Nothing waits for it."""
        self._look_after_the_folder()
        self._check(now)
        if not self._syncing:  # `saved_at` is when all was there that is on the disk now
            files = [self._samples, self._checks]
            self._syncing = len(files) + 2
            together = Together(partial(self._synced, 0 if self._waiting else now), self._syncing)
            for file in files:
                file.sync(self._disk, self._refused, together.one)
            self._csv.sync(together.one)
            self._tape.sync(together.one)
        if self._crossings is not None:
            self._crossings.sync(self._disk, self._refused)
        self._marks.sync()
        self.curves.sync()
        if self._points_waiting:
            self._add_points()
        if self._state_file.settled and not self._waiting and "folder" not in self.troubles:
            self._put_state()

    def _synced(self, at: int, error: Exception | None) -> None:
        self._syncing = 0
        if error is None:
            self.saved_at = at or self.saved_at

    def _check(self, now: int) -> None:
        """Prove what was written since the last time."""
        if self._waiting or self._hole is not None:
            return
        pieces = [
            *self._tape.pieces(),
            *((one,) if (one := self._samples.piece()) is not None else ()),
            *self._csv.pieces(),
        ]
        if not pieces and not self._unchecked:
            return
        ends = {
            f"{TAPE}/{self._tape.place.name}": self._tape.size,
            SAMPLES: self._samples.size,
            self._csv.place.name: self._csv.size,
        }
        self._unchecked += check_line(
            self.state.counts.sequence, now, self.rows, self.folder, pieces, ends, self._chain.link()
        ).encode()
        try:
            self._checks.append(self._unchecked)
        except OSError as error:
            self._fail("checks", f"{CHECKS} cannot be written: {_why(error)}. Free some space.", error)
        else:
            self._unchecked.clear()
            self.troubles.pop("checks", None)

    def _look_after_the_folder(self) -> None:
        if self._csv.is_there:
            self.troubles.pop("folder", None)
            return
        gone = FileNotFoundError(str(self.folder))
        self._fail(
            "folder",
            f"The run's folder was moved or deleted while it is logged ({self.folder}). What is measured is written where "
            "it was moved to, and nowhere if it was deleted. Move it back, or end this run and begin another.",
            gone,
        )

    def end(self, at: int, reason: str, status: RunEnd = "ended", done: Done | None = None) -> None:
        """Write the last rows and the summary, and give the files up; `done` is called when all of it is on the disk.

        What found no room until now is a hole. Raises OSError where summary or state cannot be written: nothing more is
        logged then either, and `conclude` may be tried again.
        """
        rows = self._rule.finish(at) if self._hole is None else []
        if self.state.ends.rows is not None:
            del rows[max(0, self.state.ends.rows - self._rows_taken) :]
        if rows:
            self._put(_Flush(b"", b"", bytearray("".join(rows).encode()), len(rows)), at)
        if not self._drain(at) and self._reserve is not None and self._reserve.give():
            self._drain(at)
        if self._hole is not None:
            self._make_room(at)
        self._give_up_what_waits(at)
        self._add_points()
        self.curves.close("the run ended", at)
        self._check(at)
        self._sum()
        self.state = self.state.model_copy(update={"ended_at": at, "reason": reason, "status": status})
        together = Together(done, 2)
        self.abandon(together.one)
        self.conclude(together.one)

    def _give_up_what_waits(self, at: int) -> None:
        hole = self._hole
        if self._waiting:
            hole = hole or Hole(at, self.state.counts.sequence, 0, 0, at)
            hole.events += sum(flush.tape.count(b"\n") for flush in self._waiting if flush.step == 0)
            hole.samples += sum(
                len(flush.samples) // RECORD_SIZE for flush in self._waiting if flush.step < 2
            )
        if hole is not None and hole.events:
            self._note_hole(hole)
        self._hole, self._waiting_size = None, 0
        self._waiting.clear()

    def conclude(self, done: Done | None = None) -> None:
        """Write what an ended run came to, and seal it when that is on the disk. Raises OSError."""

        def written(error: Exception | None) -> None:
            if done is not None:
                done(error)
            if error is None:
                self._tape.when_packed(self._seal)

        together = Together(written, 2)
        summary = WholeFile(self.folder / SUMMARY, self._disk, self._refused, self._reserve)
        self._sum_up()
        summary.put(summary_text(self.state, self.stats, self.rows), together.one)
        self._state_file.put(state_text(self.state), together.one)

    def _seal(self) -> None:
        """Nobody waits for it: reading a run of weeks takes its time."""
        folder = self.folder

        def sealed(error: Exception | None) -> None:
            if error is not None:
                logger.error("%s could not be sealed", folder, exc_info=error)

        self._disk.run(lambda: _sealed(folder), sealed)

    def abandon(self, done: Done | None = None) -> None:
        """Give the files up as they are, for whoever goes on with the run; they go to the disk by themselves, and `done`
        is called when they are there."""
        if self._ended:
            return
        self._ended = True
        files = (self._tape, self._samples, self._csv, self._checks, self._crossings)
        descriptors = [file.release() for file in files if file is not None]
        descriptors.append(self._points.release())
        self._crossings = None
        self._marks.close()
        self.curves.close("Tidy Bench ended", max(self.state.begun_at, self.saved_at))

        def after(error: Exception | None) -> None:
            if error is not None:
                self._refused(error)
            if done is not None:
                done(error)

        self._disk.run(synced([one for one in descriptors if one >= 0]), after)


def _kept_so_far(folder: Path) -> Callable[[], None]:
    """Work that brings to the disk what a run's folder begins with, and that it is there."""
    files = [path for path in folder.rglob("*") if path.is_file()]
    folders = [folder, folder / TAPE, folder / SETUPS, folder.parent, folder.parent.parent]
    descriptors = [os.open(path, os.O_RDONLY) for path in (*files, *folders)]
    return synced(descriptors)


def _sealed(folder: Path) -> None:
    """Work for a disk."""
    seal(folder)


def _why(error: Exception) -> str:
    return (error.strerror if isinstance(error, OSError) else None) or repr(error)


def begin_note(name: str, at: int) -> Note:
    """The tape's first line of a run."""
    return Note(at, "begin", name)


def summary_text(state: RunState, stats: RunStats, rows: int) -> str:
    """summary.json: what the run came to."""
    channels = [
        {"id": c.id, "name": c.name, "unit": c.unit, **stats.of(c.number).model_dump()}
        for c in state.channels
    ]
    whole = {
        "id": state.id,
        "status": state.status,
        "reason": state.reason,
        "begun_at": state.begun_at,
        "ended_at": state.ended_at,
        "rows": rows,
        "counts": asdict(state.counts),
        "repairs": state.repairs,
        "holes": [asdict(hole) for hole in state.holes],
        "channels": channels,
    }
    return json.dumps(whole, indent=1, ensure_ascii=False) + os.linesep


def write_summary(folder: Path, state: RunState, stats: RunStats, rows: int) -> None:
    """Write summary.json, and wait until it is on the disk."""
    write_whole(folder / SUMMARY, summary_text(state, stats, rows))
