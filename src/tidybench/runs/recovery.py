"""A run folder after a crash: torn tails cut, what the tape knows put back, said in words.

The tape is written before samples and rows. So after a kill the tape may hold events whose
samples and rows were not written yet; they are read again from it and added.
"""

import os
from collections import Counter
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tidybench.core.samples import RECORD_SIZE, Batch, qualities_of, sequences_of, unpack
from tidybench.core.tape.counting import count
from tidybench.core.values.counts import RunCounts
from tidybench.runs.crossings import CROSSINGS
from tidybench.runs.files import MAX_LINE, Appender, trim_lines, trim_records
from tidybench.runs.folder import SAMPLES
from tidybench.runs.log import write_summary
from tidybench.runs.marks import MARKS
from tidybench.runs.reread import reread
from tidybench.runs.rows import make_rule
from tidybench.runs.run_state import RunState, read_state, write_state
from tidybench.runs.stamps import parse
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import segments
from tidybench.runs.whole import adopt, complete_lines

CHUNK = 1_000_000


@dataclass(slots=True)
class Mended:
    """What recovery found and did. Times in microseconds."""

    state: RunState
    rows: int
    stats: RunStats
    last_sequence: int
    last_at: int
    links: set[str]


def mend(folder: Path) -> Mended:
    """Make an unfinished run's files whole and agree; the state gets a sentence for each repair."""
    state = read_state(folder)
    repairs = list(state.repairs)
    adopt(folder / MARKS, complete_lines)
    newest = segments(folder / "tape")
    torn = trim_lines(newest[-1]) if newest and newest[-1].suffix == ".jsonl" else 0
    if torn:
        repairs.append(f"The tape's last line was torn: {torn} bytes were cut.")
    if torn := trim_records(folder / SAMPLES, RECORD_SIZE):
        repairs.append(f"The last sample was torn: {torn} bytes were cut.")
    if torn := trim_lines(folder / state.csv):
        repairs.append(f"The CSV's last row was torn: {torn} bytes were cut.")
    trim_lines(folder / MARKS)
    trim_lines(folder / CROSSINGS)

    last_sequence, added, counts, last_at, links = _complete_samples(folder, state)
    if added:
        repairs.append(f"{added} samples were put back from the tape.")
    rows, added_rows = _complete_rows(folder, state, last_at)
    if added_rows:
        repairs.append(f"{added_rows} rows were put back from the samples.")
    state = state.model_copy(update={"repairs": repairs, "counts": counts})
    write_state(folder, state)
    return Mended(state, rows, _stats(folder), last_sequence, last_at, links)


def close_interrupted(folder: Path, reason: str) -> RunState:
    """Mend a run that nobody goes on with, and close it as interrupted at its last event."""
    mended = mend(folder)
    state = mended.state.model_copy(
        update={"status": "interrupted", "ended_at": mended.last_at, "reason": reason}
    )
    write_summary(folder, state, mended.stats, mended.rows)
    write_state(folder, state)
    return state


def set_aside(folder: Path, state: RunState, why: str) -> None:
    """Close a run that cannot be mended as interrupted, its files left as they are."""
    end = (
        round((folder / state.csv).stat().st_mtime * 1e6) if (folder / state.csv).exists() else state.begun_at
    )
    repairs = [*state.repairs, f"{why} Its files are as the interruption left them."]
    changes = {
        "status": "interrupted",
        "ended_at": max(end, state.begun_at),
        "reason": why,
        "repairs": repairs,
    }
    write_state(folder, state.model_copy(update=changes))


def _complete_samples(folder: Path, state: RunState) -> tuple[int, int, RunCounts, int, set[str]]:
    """Add the samples that the tape gives and samples.bin lacks."""
    path = folder / SAMPLES
    records = path.stat().st_size // RECORD_SIZE if path.exists() else 0
    tail = b""
    if records:
        with open(path, "rb") as file:
            file.seek((records - 1) * RECORD_SIZE)
            tail = file.read(RECORD_SIZE)
    last = int(sequences_of(unpack(tail))[0]) if records else 0
    have = _count_of(path, last) if records else 0  # records of the last event: it may be half written

    found = segments(folder / "tape")
    # Starting states stand at the head of every segment; the newest may have been cut before them.
    first = max(1, int(found[-1].name[:4]) - 1) if found else 1
    counts = replace(state.counts)
    base = counts.sequence
    added, last_sequence, last_at = 0, last, state.begun_at
    links: set[str] = set()
    appender = Appender(path)
    for item in reread(folder, first):
        event = item.event
        last_sequence, last_at = max(last_sequence, item.sequence), max(last_at, event.at)
        links.add(item.link)
        if item.sequence > base:
            count(counts, item.sequence, event)
        if item.batch is None or item.sequence < last:
            continue
        packed = item.batch.pack(item.sequence)
        if item.sequence == last:
            packed = packed[have * RECORD_SIZE :]
        appender.append(packed)
        added += len(packed) // RECORD_SIZE
    appender.close()
    return last_sequence, added, counts, last_at, links


def _count_of(path: Path, sequence: int) -> int:
    """How many records at the end of samples.bin belong to this event."""
    size = path.stat().st_size
    with open(path, "rb") as file:
        file.seek(max(0, size - CHUNK * RECORD_SIZE))
        records = unpack(file.read())
    return int(np.count_nonzero(sequences_of(records) == sequence))


def _last_row(path: Path) -> tuple[int, int | None]:
    """How many rows the CSV has and the time of the last one."""
    lines = 0
    with open(path, "rb") as file:
        while piece := file.read(1 << 20):
            lines += piece.count(b"\n")
        size = file.tell()
        file.seek(max(0, size - 65_536))
        tail = file.read().rstrip(b"\r\n").rsplit(b"\n", 1)[-1]
    if lines < 2:
        return 0, None
    return lines - 1, parse(tail.split(b",")[0].decode())


def _complete_rows(folder: Path, state: RunState, last_at: int) -> tuple[int, int]:
    """Add the rows that the samples give and the CSV lacks; gives (rows there are, rows added)."""
    path = folder / state.csv
    rows, last_row = _last_row(path)
    rule = make_rule(state, last_row)
    # What a row can need is at most this old.
    longest = max((c.interval_s for c in state.channels), default=1.0)
    since = (last_row or state.begun_at) - round(max(longest, 0.1) * 3e6) - 1_000_000
    records = _records_since(folder / SAMPLES, since)
    fresh: list[str] = []
    for sequence in np.unique(sequences_of(records)):
        part = (
            records[sequences_of(records) == sequence]
            if len(records) < 5000
            else _part(records, int(sequence))
        )
        words = ((part["word"] >> np.uint64(8) & np.uint64(0xFFFF)) << np.uint64(8)) | qualities_of(part)
        batch = Batch(
            [int(w) for w in words], [int(t) for t in part["time"]], [float(v) for v in part["value"]]
        )
        fresh += rule.feed(max(batch.times), batch)
    fresh += rule.until(last_at)
    if state.row_rule == "each reading":
        # Rows stand in order of sequence, not of time: what is there already is known by its text.
        edge = since + 1_000_000
        there = _newest_rows(path, edge)
        lacking = []
        for row in fresh:
            if _time_of(row) < edge:
                continue
            if there[row]:
                there[row] -= 1
            else:
                lacking.append(row)
        fresh = lacking
    if fresh:
        file = Appender(path)
        file.append("".join(fresh).encode())
        file.close()
    return rows + len(fresh), len(fresh)


def _part(
    records: "np.ndarray[tuple[int], np.dtype[np.void]]", sequence: int
) -> "np.ndarray[tuple[int], np.dtype[np.void]]":
    sequences = sequences_of(records)
    return records[np.searchsorted(sequences, sequence) : np.searchsorted(sequences, sequence, side="right")]


def _newest_rows(path: Path, since: int) -> Counter[str]:
    """The rows at the end of the CSV that are not older than `since`, each with how often it stands there."""
    with open(path, "rb") as file:
        size = os.fstat(file.fileno()).st_size
        start = max(0, size - MAX_LINE)
        file.seek(start)
        lines = file.read().split(b"\r\n")[1:-1]  # without the header, or the rest of a row
    rows = (line.decode() + "\r\n" for line in lines)
    return Counter(row for row in rows if _time_of(row) >= since)


def _time_of(row: str) -> int:
    return parse(row.split(",", 1)[0])


def _records_since(path: Path, since: int) -> "np.ndarray[tuple[int], np.dtype[np.void]]":
    """The records at the end of samples.bin from the first one not older than `since`."""
    size = path.stat().st_size
    pieces: list[bytes] = []
    with open(path, "rb") as file:
        while size:
            start = max(0, size - 10_000 * RECORD_SIZE)
            file.seek(start)
            piece = file.read(size - start)
            pieces.insert(0, piece)
            size = start
            if int(unpack(piece)["time"][0]) < since:
                break
    return unpack(b"".join(pieces))


def _stats(folder: Path) -> RunStats:
    stats = RunStats()
    with open(folder / SAMPLES, "rb") as file:
        while piece := file.read(CHUNK * RECORD_SIZE):
            stats.add(piece)
    return stats
