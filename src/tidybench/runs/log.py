"""A run as it is logged: tape first, then samples, then CSV rows, all within one flush."""

import json
import logging
import os
import uuid
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from pathlib import Path

from tidybench.core.tape.counting import count
from tidybench.core.tape.events import Note, Received, SetUp, Start
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.runs.crossings import CROSSINGS, crossing_row
from tidybench.runs.crossings import HEAD as CROSSINGS_HEAD
from tidybench.runs.disk import Disk, Done, HereAndNow, Together, synced
from tidybench.runs.entry import Entry
from tidybench.runs.files import Appender
from tidybench.runs.folder import SAMPLES, SETUPS, SUMMARY, TAPE, new_folder, setup_file
from tidybench.runs.marks import MarksFile
from tidybench.runs.rows import header, make_rule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import STATE, RowRule, RunEnd, RunState, read_state, state_text
from tidybench.runs.sidecar import metadata
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import TapeWriter
from tidybench.runs.whole import WholeFile, write_whole

logger = logging.getLogger(__name__)

SUM_SIZE = 1 << 16
"""Bytes of samples that gather before the summary takes them in."""

MAX_WAITING_ROWS = 100_000
"""Rows that wait for room on a full disk; the oldest of more are given up."""


class RunLog:
    """Writes one run folder. Only one thread may use it, and that thread never waits for the disk: what must be durable
    is handed to `disk`, which calls back in the same thread."""

    def __init__(
        self, folder: Path, state: RunState, disk: Disk | None = None, last_row: int | None = None
    ) -> None:
        self.folder = folder
        self.state = state
        self.stats = RunStats()
        self.rows = 0
        self.troubles: dict[str, str] = {}
        self.saved_at = 0
        self.turned = False  # a new tape segment began: it wants starting states
        self._disk = disk or HereAndNow()
        self._rule = make_rule(state, last_row)
        self._tape: TapeWriter | None = TapeWriter(folder / TAPE, self._disk, self._refused)
        self._samples: Appender | None = Appender(folder / SAMPLES)
        self._csv = Appender(folder / state.csv)
        self._marks = MarksFile(folder, state.begun_at, self._disk, self._refused)
        self._crossings: Appender | None = Appender(folder / CROSSINGS)
        if not self._crossings.size:
            self._crossings.append(CROSSINGS_HEAD.encode())
        self._state_file = WholeFile(folder / STATE, self._disk, self._refused)
        self._started: set[str] = {""}
        self._pending_rows: list[str] = []
        self._unsummed = bytearray()

    @classmethod
    def begin(
        cls,
        runs: Path,
        *,
        bench: str,
        name: str,
        item: str,
        operator: str,
        row_rule: RowRule,
        at: int,
        channels: Sequence[RunChannel],
        setups: dict[str, str],
        disk: Disk | None = None,
    ) -> "RunLog":
        """Make a run folder and begin to log into it. `setups`: TOML text by instrument id. Raises OSError."""
        folder, csv = new_folder(runs, name, at)
        state = RunState(
            id=str(uuid.uuid4()),
            bench=bench,
            name=name,
            item=item,
            operator=operator,
            row_rule=row_rule,
            begun_at=at,
            csv=csv,
            channels=list(channels),
        )
        for instrument, text in setups.items():
            (folder / SETUPS / setup_file(instrument)).write_text(text, "utf-8")
        (folder / f"{csv}-metadata.json").write_text(metadata(state), "utf-8")
        log = cls(folder, state, disk)
        log._csv.append(header(state.channels).encode())
        log._state_file.put(state_text(state))
        return log

    @classmethod
    def resume(
        cls,
        folder: Path,
        *,
        rows: int,
        stats: RunStats,
        links: Iterable[str],
        now: int,
        disk: Disk | None = None,
    ) -> "RunLog":
        """Go on with a run whose folder has been mended. Rows go on from `now`: a gap stays a gap."""
        log = cls(folder, read_state(folder), disk, last_row=now)
        log.rows, log.stats = rows, stats
        log._started |= set(links)
        return log

    @property
    def marks(self) -> list[Mark]:
        """The marks so far."""
        return self._marks.marks

    def write(self, entries: Sequence[Entry], now: int) -> None:
        """Log what happened (sealed entries, in order) and the rows due by `now`."""
        tape: list[str] = []
        packed: list[bytes] = []
        rows, started, rule, counts = self._pending_rows, self._started, self._rule, self.state.counts
        last = None
        for entry in entries:
            event, link = entry.event, entry.link
            if link not in started:
                kind = type(event)
                if kind is Start:
                    started.add(link)
                elif kind is not SetUp:
                    continue  # what this happened upon is not on this tape
            tape.append(entry.line)
            if entry.batch is not None:
                packed.append(entry.packed)
                try:
                    rows += rule.feed(event.at, entry.batch)
                except Exception as error:  # tape and samples are logged all the same
                    self._fail("rows", f"A row could not be made: {_why(error)}.", error)
            if type(event) is not Received:  # nearly all are, where instruments talk on their own
                count(counts, entry.sequence, event)
            last = entry
        rows += rule.until(now)
        if last is not None:
            counts.sequence = last.sequence
            tape.append("")
            self._write_tape("\n".join(tape).encode())
        samples = b"".join(packed)
        if samples:
            self._write_samples(samples)
            self._unsummed += samples
            if len(self._unsummed) > SUM_SIZE:
                self._sum()
        self._write_rows(now)

    def _sum(self) -> None:
        if self._unsummed:
            self.stats.add(bytes(self._unsummed))
            self._unsummed.clear()

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

    def _write_tape(self, data: bytes) -> None:
        if self._tape is None:
            return
        try:
            self.turned |= self._tape.append(data)
        except Exception as error:
            # The CSV matters more: the tape is given up before it.
            self._fail(
                "tape", f"The tape of this run ends here: {_why(error)}. Rows are still logged.", error
            )
            self._tape = None

    def _write_samples(self, data: bytes) -> None:
        if self._samples is None:
            return
        try:
            self._samples.append(data)
        except Exception as error:
            self._fail("samples", f"samples.bin ends here: {_why(error)}. Rows are still logged.", error)
            self._samples = None

    def _write_rows(self, now: int) -> None:
        rows = self._pending_rows
        if not rows:
            self.saved_at = self.saved_at or now
            return
        try:
            self._csv.append("".join(rows).encode())
        except Exception as error:
            self._fail(
                "csv",
                f"Rows cannot be written: {_why(error)}. Every row so far is safe; "
                "free some space, the waiting rows follow by themselves.",
                error,
            )
            del rows[: max(0, len(rows) - MAX_WAITING_ROWS)]
            return
        self.troubles.pop("csv", None)
        self.rows += len(rows)
        rows.clear()
        self.saved_at = now

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

    def mark(self, mark: Mark) -> None:
        """Add a mark to marks.csv. The tape's line is the journal's. Raises OSError."""
        self._marks.add(mark)

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
        try:
            self._state_file.put(state_text(self.state))
        except OSError as error:
            self._fail("state", f"{STATE} cannot be written: {_why(error)}. Free some space.", error)
        else:
            self.troubles.pop("state", None)

    def sync(self) -> None:
        """Have everything brought to the disk, and the state with it. Nothing waits for it."""
        for file in (self._samples, self._csv, self._crossings):
            if file is not None:
                file.sync(self._disk, self._refused)
        if self._tape is not None:
            self._tape.sync()
        self._marks.sync()
        if self._state_file.settled:
            self._put_state()

    def end(self, at: int, reason: str, status: RunEnd = "ended", done: Done | None = None) -> None:
        """Write the last rows and the summary, and give the files up; `done` is called when all of it is on the disk.

        Raises OSError where summary or state cannot be written: nothing more is logged then either, and `conclude` may be
        tried again.
        """
        self._sum()
        self._pending_rows += self._rule.until(at)
        self._write_rows(at)
        self.state = self.state.model_copy(update={"ended_at": at, "reason": reason, "status": status})
        together = Together(done, 2)
        self.abandon(together.one)
        self.conclude(together.one)

    def conclude(self, done: Done | None = None) -> None:
        """Write what an ended run came to. Raises OSError."""
        together = Together(done, 2)
        summary = WholeFile(self.folder / SUMMARY, self._disk, self._refused)
        summary.put(summary_text(self.state, self.stats, self.rows), together.one)
        self._state_file.put(state_text(self.state), together.one)

    def abandon(self, done: Done | None = None) -> None:
        """Give the files up as they are, for whoever goes on with the run; they go to the disk by themselves, and `done`
        is called when they are there."""
        descriptors = [
            file.release() for file in (self._tape, self._samples, self._csv, self._crossings) if file
        ]
        self._tape = self._samples = self._crossings = None
        self._marks.close()

        def after(error: Exception | None) -> None:
            if error is not None:
                self._refused(error)
            if done is not None:
                done(error)

        self._disk.run(synced([one for one in descriptors if one >= 0]), after)


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
        "channels": channels,
    }
    return json.dumps(whole, indent=1, ensure_ascii=False) + os.linesep


def write_summary(folder: Path, state: RunState, stats: RunStats, rows: int) -> None:
    """Write summary.json, and wait until it is on the disk."""
    write_whole(folder / SUMMARY, summary_text(state, stats, rows))
