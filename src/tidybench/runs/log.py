"""A run as it is logged: tape first, then samples, then CSV rows, all within one flush."""

import json
import os
import threading
import uuid
from collections.abc import Iterable, Sequence
from math import isnan
from pathlib import Path
from typing import Literal

from tidybench.core.events import Event, GaveUp, Lost, Missed, Note, Sent, SetUp, Start
from tidybench.core.samples import Batch
from tidybench.runs.files import Appender
from tidybench.runs.folder import (
    CROSSINGS,
    MARKS,
    SAMPLES,
    SUMMARY,
    RowRule,
    RunChannel,
    RunState,
    csv_cell,
    metadata,
    new_folder,
    read_marks,
    read_state,
    setup_file,
    write_state,
    write_whole,
)
from tidybench.runs.rows import header, make_rule
from tidybench.runs.stamps import Stamps
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import TapeWriter

RunEnd = Literal["ended", "interrupted"]

MARKS_HEAD = "time,elapsed_s,text,by\r\n"

SUM_SIZE = 1 << 16
"""Bytes of samples that gather before the summary takes them in."""

Entry = tuple[int, str, Event, Batch | None]
"""One line of the recorder's journal: sequence number, link, event, its samples."""


class RunLog:
    """Writes one run folder. Only one thread may use it."""

    def __init__(self, folder: Path, state: RunState, last_row: int | None = None) -> None:
        self.folder = folder
        self.state = state
        self.stats = RunStats()
        self.rows = 0
        self.marks: list[tuple[int, str]] = []
        self.troubles: dict[str, str] = {}
        self.saved_at = 0
        self._rule = make_rule(state, last_row)
        self._stamps = Stamps()
        self._tape: TapeWriter | None = TapeWriter(folder / "tape")
        self._samples: Appender | None = Appender(folder / SAMPLES)
        self._csv = Appender(folder / state.csv)
        self._marks = Appender(folder / MARKS)
        self._crossings = Appender(folder / CROSSINGS)
        self._started: set[str] = {""}
        self._pending_rows: list[str] = []
        self._unsummed = bytearray()
        self._closing = threading.Lock()
        self._ended = False
        self.turned = False  # a new tape segment began: it wants starting states

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
    ) -> "RunLog":
        """Make a run folder and begin to log into it. `setups`: TOML text by instrument id."""
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
            (folder / "set-ups" / setup_file(instrument)).write_text(text, "utf-8")
        write_whole(folder / f"{csv}-metadata.json", metadata(state))
        log = cls(folder, state)
        log._csv.append(header(state.channels).encode())
        log._marks.append(MARKS_HEAD.encode())
        log._crossings.append(b"time,elapsed_s,channel,state,value,limit\r\n")
        write_state(folder, state)
        return log

    @classmethod
    def resume(cls, folder: Path, *, rows: int, stats: RunStats, links: Iterable[str], now: int) -> "RunLog":
        """Go on with a run whose folder has been mended. Rows go on from `now`: a gap stays a gap."""
        log = cls(folder, read_state(folder), last_row=now)
        log.rows, log.stats = rows, stats
        log.marks = [(mark.at, mark.text) for mark in read_marks(folder)]
        log._started |= set(links)
        return log

    def write(self, entries: Sequence[Entry], lines: Sequence[str], packs: Sequence[bytes], now: int) -> None:
        """Log what happened and the rows due by `now`. For each entry, `lines` has its line of the tape
        and `packs` its samples as records."""
        tape: list[str] = []
        packed: list[bytes] = []
        rows = self._pending_rows
        started, rule = self._started, self._rule
        counts = self.state.counts.model_copy()
        last = polls = 0
        for (sequence, link, event, batch), line, pack in zip(entries, lines, packs, strict=True):
            kind = type(event)
            if link not in started:
                if kind is Start:
                    started.add(link)
                elif kind is not SetUp:
                    continue  # what this happened upon is not on this tape
            tape.append(line)
            last = sequence
            if batch is not None:
                packed.append(pack)
                rows += rule.feed(event.at, batch)
            if kind is Sent:
                polls += 1 if event.poll else 0  # type: ignore[union-attr]
            elif kind is Missed:
                counts.missed += event.count  # type: ignore[union-attr]
            elif kind is GaveUp:
                counts.gave_up += 1
            elif kind is Lost:
                counts.lost += 1
        counts.sequence = last or counts.sequence
        counts.polls += polls
        rows += rule.until(now)
        samples = b"".join(packed)
        if tape:
            tape.append("")
            self._write_tape("\n".join(tape).encode())
        # In one step, and not before the tape has what they count: another thread writes the state.
        self.state.counts = counts
        if samples:
            self._write_samples(samples)
            self._unsummed += samples
            if len(self._unsummed) > SUM_SIZE:
                self._sum()
        self._write_rows(now)

    def _sum(self) -> None:
        self.stats.add(bytes(self._unsummed))
        self._unsummed.clear()

    def _write_tape(self, data: bytes) -> None:
        if self._tape is None:
            return
        try:
            self.turned |= self._tape.append(data)
        except OSError as error:
            # The CSV matters more: the tape is given up before it.
            self.troubles["tape"] = (
                f"The tape of this run ends here: {error.strerror}. Rows are still logged."
            )
            self._tape = None

    def _write_samples(self, data: bytes) -> None:
        if self._samples is None:
            return
        try:
            self._samples.append(data)
        except OSError as error:
            self.troubles["samples"] = f"samples.bin ends here: {error.strerror}. Rows are still logged."
            self._samples = None

    def _write_rows(self, now: int) -> None:
        if not self._pending_rows:
            self.saved_at = self.saved_at or now
            return
        try:
            self._csv.append("".join(self._pending_rows).encode())
        except OSError as error:
            self.troubles["csv"] = (
                f"Rows cannot be written: {error.strerror}. Every row so far is safe; "
                "free some space, the waiting rows follow by themselves."
            )
            del self._pending_rows[: max(0, len(self._pending_rows) - 100_000)]
            return
        self.troubles.pop("csv", None)
        self.rows += len(self._pending_rows)
        self._pending_rows.clear()
        self.saved_at = now

    def keep_setups(self, texts: dict[str, str]) -> dict[str, str]:
        """Keep set-ups that come into force during the run beside those it began with; gives the name of
        each one's file within `set-ups`, by instrument."""
        folder = self.folder / "set-ups"
        names: dict[str, str] = {}
        for instrument, text in texts.items():
            file = setup_file(instrument)
            kept = [folder / file]
            kept += sorted((folder / "changed").glob(f"{instrument}.*.toml"))
            same = [path for path in kept if path.exists() and path.read_text("utf-8") == text]
            if not same:
                (folder / "changed").mkdir(exist_ok=True)
                path = folder / "changed" / file.replace(instrument, f"{instrument}.{len(kept) + 1:03d}", 1)
                path.write_text(text, "utf-8")
                same = [path]
            names[instrument] = str(same[0].relative_to(folder))
        return names

    def know_later(self, numbers: dict[str, int]) -> None:
        """Channels that came after the beginning: they go to the samples and the tape, not to the CSV."""
        columns = {channel.id for channel in self.state.channels}
        later = {**self.state.later, **{k: n for k, n in numbers.items() if k not in columns}}
        self.state = self.state.model_copy(update={"later": later})
        write_state(self.folder, self.state)

    def mark(self, at: int, text: str, by: str = "") -> None:
        """Add a mark to marks.csv. The tape's line is the journal's."""
        elapsed = (at - self.state.begun_at) / 1e6
        self._marks.append(self._mark_row(at, elapsed, text, by).encode())
        self.marks.append((at, text))

    def _mark_row(self, at: int, elapsed: float, text: str, by: str) -> str:
        return f"{self._stamps.milli(at)},{elapsed:.3f},{csv_cell(text)},{csv_cell(by)}\r\n"

    def correct_mark(self, at: int, text: str) -> str | None:
        """Another text for the mark made at `at`; gives the old one, None where there is no such mark. The tape keeps both."""
        number = next((n for n, mark in enumerate(self.marks) if mark[0] == at), None)
        if number is None:
            return None
        rows = [MARKS_HEAD]
        for n, mark in enumerate(read_marks(self.folder)):
            elapsed = (mark.at - self.state.begun_at) / 1e6
            rows.append(self._mark_row(mark.at, elapsed, text if n == number else mark.text, mark.by))
        with self._closing:
            self._marks.close()
            write_whole(self.folder / MARKS, "".join(rows))
            self._marks = Appender(self.folder / MARKS)
        old = self.marks[number][1]
        self.marks[number] = at, text
        return old

    def crossing(self, at: int, channel: str, state: str, value: float, limit: float) -> None:
        """Add a limit that was crossed to crossings.csv. The tape's line is the journal's."""
        elapsed = (at - self.state.begun_at) / 1e6
        figure = "" if isnan(limit) else f"{limit:.15g}"
        row = f"{self._stamps.micro(at)},{elapsed:.6f},{csv_cell(channel)},{state},{value:.15g},{figure}\r\n"
        try:
            self._crossings.append(row.encode())
        except OSError as error:
            self.troubles["crossings"] = f"{CROSSINGS} ends here: {error.strerror}. Rows are still logged."

    def sync(self) -> None:
        """Bring everything to the disk, and the state with it. Another thread may call this."""
        with self._closing:
            if self._ended:
                return
            for file in (self._tape, self._samples, self._csv, self._marks, self._crossings):
                if file is not None:
                    file.sync()
            write_state(self.folder, self.state)

    def end(self, at: int, reason: str, status: RunEnd = "ended") -> None:
        """Write the last rows and the summary, and close."""
        self._sum()
        self._pending_rows += self._rule.until(at)
        self._write_rows(at)
        with self._closing:
            self._ended = True
            for file in (self._tape, self._samples, self._csv, self._marks, self._crossings):
                if file is not None:
                    file.close()
        self.state = self.state.model_copy(update={"ended_at": at, "reason": reason, "status": status})
        write_summary(self.folder, self.state, self.stats, self.rows)
        write_state(self.folder, self.state)

    def abandon(self) -> None:
        """Close the files as they are, for whoever goes on with the run."""
        for file in (self._tape, self._samples, self._csv, self._marks, self._crossings):
            if file is not None:
                try:
                    file.close()
                except OSError:
                    pass


def begin_note(name: str, at: int) -> Note:
    """The tape's first line of a run."""
    return Note(at, "begin", name)


def write_summary(folder: Path, state: RunState, stats: RunStats, rows: int) -> None:
    """summary.json: what the run came to."""
    channels = [
        {"id": c.id, "name": c.name, "unit": c.unit, **stats.channels[c.number].summary()}
        if c.number in stats.channels
        else {"id": c.id, "name": c.name, "unit": c.unit, "samples": 0, "measured": 0}
        for c in state.channels
    ]
    whole = {
        "id": state.id,
        "status": state.status,
        "reason": state.reason,
        "begun_at": state.begun_at,
        "ended_at": state.ended_at,
        "rows": rows,
        "counts": state.counts.model_dump(),
        "repairs": state.repairs,
        "channels": channels,
    }
    write_whole(folder / SUMMARY, json.dumps(whole, indent=1, ensure_ascii=False) + os.linesep)
