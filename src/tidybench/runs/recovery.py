"""A run folder after a crash: torn tails cut, what the tape knows put back, said in words.

The tape is written before samples and rows. So after a kill the tape may hold events whose samples and rows were not written
yet; they are read again from it and added. After a power cut a file may be shorter than it was, or end in zeros: what follows
the last line of checks.jsonl that holds is believed only as far as it proves itself (a line that reads, numbers that rise, a
sample of a known channel), and what the tape tells otherwise is rewritten.
"""

import json
import logging
import os
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from tidybench.core.batch import RECORD_SIZE, Batch
from tidybench.core.samples import batches_of, channels_of, qualities_of, sequences_of, unpack
from tidybench.core.tape.counting import count
from tidybench.core.tape.events import Hole, MarkCorrected, Opened, PointTaken, Start
from tidybench.core.tape.lines import tape_line
from tidybench.core.values.counts import RunCounts
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.point import Point
from tidybench.runs.chain import Chain, TapeBytes, first_link, place_of
from tidybench.runs.checks import CHECKS, Check, check_line, end_of, proven
from tidybench.runs.crossings import CROSSINGS, crossing_row
from tidybench.runs.csv_files import CsvFiles, csv_files, csv_in, mend_sidecars, sidecar_of
from tidybench.runs.curves import mend_curves
from tidybench.runs.disk import HereAndNow
from tidybench.runs.entry import Entry
from tidybench.runs.files import MAX_LINE, Appender, Piece, trim_lines, trim_records
from tidybench.runs.folder import SAMPLES, TAPE
from tidybench.runs.log import write_summary
from tidybench.runs.marks import MARKS, MarksFile
from tidybench.runs.points import POINTS, TABLE, PointsFile
from tidybench.runs.reread import reread
from tidybench.runs.rows import RowMaker, make_rule
from tidybench.runs.run_state import RunState, read_state, write_state
from tidybench.runs.seal import seal
from tidybench.runs.stamps import parse
from tidybench.runs.stats import RunStats
from tidybench.runs.tape import first_number, number_of, read_tape, segments
from tidybench.runs.whole import adopt, complete_lines

CHUNK = 1_000_000
CUT = "cut"
"""Folder for what was cut off and is not nothing."""

TAIL = 1 << 20
"""Bytes at the end of a file that are looked at for its newest line or sample."""


logger = logging.getLogger(__name__)

MAX_STEP = 10_000_000
"""By how much the number of a sample may be higher than that of the one before."""

EARLIER = 86_400_000_000
"""Microseconds that a sample may lie before the beginning of its run (bytes that were held back, a zero)."""


@dataclass(slots=True)
class Mended:
    """What recovery found and did. Times in microseconds."""

    state: RunState
    rows: int
    rule: RowMaker
    stats: RunStats
    last_sequence: int
    last_at: int
    links: set[str]


@dataclass(slots=True, frozen=True)
class Newest:
    """The newest number and time in a run's files, as far as they prove themselves."""

    sequence: int
    at: int


def newest(folder: Path, state: RunState) -> Newest:
    """Where a run that goes on has come to: quickly, from the ends of its files, before anything is mended."""
    sequence, at = state.counts.sequence, state.begun_at
    for segment in segments(folder / TAPE)[-2:]:
        if segment.suffix != ".jsonl":
            continue
        with open(segment, "rb") as file:
            file.seek(max(0, file.seek(0, os.SEEK_END) - TAIL))
            for line in file.read().split(b"\n"):
                found = _number_and_time(line)
                if found is not None:
                    sequence, at = max(sequence, found[0]), max(at, found[1])
    path = folder / SAMPLES
    if path.exists():
        with open(path, "rb") as file:
            size = file.seek(0, os.SEEK_END)
            file.seek(max(0, (size - TAIL) // RECORD_SIZE * RECORD_SIZE))
            good = _self_proving(unpack(file.read()), 0, state)
        if len(good):
            sequence = max(sequence, int(sequences_of(good).max()))
            at = max(at, int(good["time"].max()))
    return Newest(sequence, at)


def mend(folder: Path, said: Callable[[str], None] = lambda words: None) -> Mended:
    """Make an unfinished run's files whole and agree; the state gets a sentence for each repair. `said` is told what is
    being done, in words."""
    state = read_state(folder)
    repairs = list(state.repairs)
    adopt(folder / MARKS, complete_lines)
    check = proven(folder)
    for making in (folder / TAPE).glob("*.new"):
        making.unlink()
    repairs += _mend_tape(folder, check)
    _cut_checks(folder, check)
    trim_lines(folder / MARKS)
    trim_lines(folder / POINTS)
    adopt(folder / TABLE, complete_lines)
    repairs += _mend_crossings(folder)
    said("reading its tape")
    told = _Told(state, check)
    repairs += _complete_samples(folder, told)
    said("writing its rows")
    state.counts, state.holes = told.counts, told.holes
    rows, rule, sentences = _complete_rows(folder, state, told.last_at, check)
    repairs += sentences
    repairs += _put_back(folder, state, told)
    _cover(folder, state, told, rows)
    said("adding up")
    stats = _stats(folder, read_state(folder), told)
    changes = {
        "repairs": repairs,
        "rows": rows,
        "stats": stats.state(),
        "summed": told.last_sequence,
        "mended": (folder / SAMPLES).stat().st_size // RECORD_SIZE,
    }
    state = state.model_copy(update=changes)
    write_state(folder, state)
    return Mended(state, rows, rule, stats, told.last_sequence, told.last_at, told.links)


def close_interrupted(folder: Path, reason: str) -> RunState:
    """Mend a run that nobody goes on with, and close it as interrupted at its last event."""
    mended = mend(folder)
    state = mended.state.model_copy(
        update={"status": "interrupted", "ended_at": mended.last_at, "reason": reason}
    )
    write_summary(folder, state, mended.stats, mended.rows)
    write_state(folder, state)
    try:
        seal(folder)
    except OSError:  # it is closed all the same
        logger.exception("%s could not be sealed", folder)
    return state


def close_ended(folder: Path) -> RunState:
    """Mend a run that had ended and was not sealed, and seal it: its end may have been on the disk before all that it is the end of. Raises OSError."""
    mended = mend(folder)
    ended = mended.state.ended_at
    state = mended.state.model_copy(
        update={"ended_at": mended.last_at if ended is None else min(ended, mended.last_at)}
    )
    write_summary(folder, state, mended.stats, mended.rows)
    write_state(folder, state)
    seal(folder)
    return state


def set_aside(folder: Path, state: RunState, why: str) -> None:
    """Close a run that cannot be mended as interrupted, its files left as they are."""
    rows = csv_files(folder, state.csv)
    end = round(rows[-1].stat().st_mtime * 1e6) if rows else state.begun_at
    repairs = [*state.repairs, f"{why} Its files are as the interruption left them."]
    changes = {
        "status": "interrupted",
        "ended_at": max(end, state.begun_at),
        "reason": why,
        "repairs": repairs,
    }
    write_state(folder, state.model_copy(update=changes))


def _so_many(count: int, what: str) -> str:
    return f"1 {what} was" if count == 1 else f"{count} {what}s were"


# ---- the tape


def _number_and_time(line: bytes) -> tuple[int, int] | None:
    """Of a line of the tape; None where it is none."""
    if b"\0" in line:
        return None
    try:
        fields = json.loads(line)
        return int(fields["n"]), int(fields["t"])
    except (ValueError, KeyError, TypeError, OverflowError, RecursionError):
        return None


def _mend_tape(folder: Path, check: Check | None) -> list[str]:
    """Cut every segment that is not proven behind its last line that proves itself."""
    repairs = []
    number = check.sequence if check is not None else 0
    proven_segment = max((number_of(Path(name).relative_to(TAPE)) for name in _tapes(check)), default=0)
    found = segments(folder / TAPE, proven_segment)
    for place, path in enumerate(found):
        start = check.ends.get(f"{TAPE}/{path.name}", 0) if check is not None else 0
        if path.suffix != ".jsonl":
            continue
        with open(path, "rb") as file:
            file.seek(start)
            data = file.read()
        good, at = 0, 0
        while (end := data.find(b"\n", good)) >= 0:
            line = _number_and_time(data[good:end])
            if line is None or line[0] <= number:
                break
            number, at = line
            good = end + 1
        if good == len(data):
            continue
        _cut(folder, path, start + good)
        repairs.append(f"The tape ended in {len(data) - good} bytes that are no whole line: they were cut.")
        if path != found[-1]:
            # Its next segment goes on: what is between counts as a hole, and links from their next starting states.
            later = next(read_tape(folder / TAPE, number_of(found[place + 1])), None)
            missing = later[0] - number - 1 if later is not None else 0
            with open(path, "ab") as file:
                file.write((tape_line(number + 1, "", Hole(at, number + 1, missing, 0, at)) + "\n").encode())
    return repairs


def _tapes(check: Check | None) -> list[str]:
    return [name for name in check.ends if name.startswith(f"{TAPE}/")] if check is not None else []


def _cut(folder: Path, path: Path, size: int) -> None:
    """Cut a file; what was cut is kept where it is more than a torn line, or nothing."""
    with open(path, "rb") as file:
        file.seek(size)
        gone = file.read()
    if gone.strip(b"\0").count(b"\n") > 1:
        (folder / CUT).mkdir(exist_ok=True)
        (folder / CUT / f"{path.name}.{size}").write_bytes(gone)
    os.truncate(path, size)


# ---- the checks


def _cut_checks(folder: Path, check: Check | None) -> None:
    """Lines that do not hold go: the chain goes on from the one that does."""
    path = folder / CHECKS
    end = end_of(folder, check)
    if path.exists() and path.stat().st_size > end:
        _cut(folder, path, end)


def _cover(folder: Path, state: RunState, told: "_Told", rows: int) -> None:
    """A line of the checks for what stands behind the last one, as it is now that it has been mended."""
    check = told.check
    ends = dict(check.ends) if check is not None else {}
    tapes, place, link = _tape_behind(folder, state.id, check)
    csvs = csv_files(folder, state.csv)
    known = folder / csv_in(ends, state.csv)
    pieces = [
        *tapes,
        *_piece(folder / SAMPLES, ends.get(SAMPLES, 0)),
        *_piece(known, ends.get(known.name, 0)),
    ]
    for path in csvs[csvs.index(known) + 1 :]:
        pieces += _piece(path, 0)
    if not pieces:
        return
    sizes = {
        path.relative_to(folder).as_posix(): path.stat().st_size for path in (folder / SAMPLES, csvs[-1])
    }
    place_name = f"{TAPE}/{place[0]:04d}.jsonl"
    line = check_line(
        told.last_sequence, told.last_at, rows, folder, pieces, {place_name: place[1], **sizes}, link
    )
    file = Appender(folder / CHECKS)
    file.append(line.encode())
    file.close()


def _tape_behind(folder: Path, run: str, check: Check | None) -> tuple[list[Piece], tuple[int, int], str]:
    """What stands on the tape behind a check: a piece of each segment, the place of its end, and the chain's link there."""
    chain = Chain(check.chain if check is not None else first_link(run))
    first, begun = end = place_of(check)
    pieces = []
    tape = TapeBytes(folder, end)
    for number in [number_of(path) for path in segments(folder / TAPE, first)]:
        start = begun if number == first else 0
        size, crc = start, 0
        for data in tape.up_to((number, 1 << 62)):
            chain.add(data)
            size, crc = size + len(data), zlib.crc32(data, crc)
        if size > start:
            pieces.append(Piece(folder / TAPE / f"{number:04d}.jsonl", start, size, crc))
        end = (number, size)
    tape.close()
    return pieces, end, chain.link()


def _piece(path: Path, start: int) -> list[Piece]:
    """What a file has got from this byte on, as one piece; none for nothing."""
    crc, size = 0, start
    with open(path, "rb") as file:
        file.seek(start)
        while data := file.read(1 << 20):
            crc, size = zlib.crc32(data, crc), size + len(data)
    return [Piece(path, start, size, crc)] if size > start else []


# ---- the samples


class _Told:
    """What the tape tells of the time after the last check."""

    def __init__(self, state: RunState, check: Check | None) -> None:
        self.state, self.check = state, check
        self.counts: RunCounts = replace(state.counts)
        self.holes = list(state.holes)
        self.last_sequence, self.last_at = state.counts.sequence, state.begun_at
        self.tape_sequence = 0
        self.links: set[str] = set()
        self.marks: list[Mark] = []
        self.corrected: list[MarkCorrected] = []
        self.points: list[Point] = []
        self.crossings: list[Crossing] = []
        self.unread: set[int] = set()
        self._read: set[str] = {""}

    def events(self, folder: Path) -> Iterator[tuple[int, Batch | None]]:
        """Number and samples of every event, from where starting states stand before what is not proven."""
        base = self.state.counts.sequence
        first = _first_segment(folder, self.check, base)
        leads = bool(self.state.lead_sequence) and first == 1
        for item in reread(folder, first):
            event = item.event
            if leads:
                self._look_for_unread(item)
            self.tape_sequence = max(self.tape_sequence, item.sequence)
            self.last_sequence = max(self.last_sequence, item.sequence)
            self.last_at = max(self.last_at, event.at)
            self.links.add(item.link)
            if isinstance(event, Mark):
                self.marks.append(event)
            elif isinstance(event, MarkCorrected):
                self.corrected.append(event)
            elif isinstance(event, PointTaken):
                self.points.append(Point.model_validate(event.point))
            elif isinstance(event, Crossing):
                self.crossings.append(event)
            if item.sequence > base:
                count(self.counts, item.sequence, event)
                if isinstance(event, Hole):
                    self.holes.append(event)
            yield item.sequence, item.batch

    def _look_for_unread(self, item: Entry) -> None:
        """What a run took along from memory, and what came until its links were read, the tape alone does not give."""
        led = item.sequence <= self.state.lead_sequence
        if isinstance(item.event, Hole):
            self._read = {""}
        elif isinstance(item.event, Start | Opened) and not led:
            self._read.add(item.link)
        elif led or item.link not in self._read:
            self.unread.add(item.sequence)


def _first_segment(folder: Path, check: Check | None, counted: int) -> int:
    """From which segment on the tape is read: starting states stand at the head of each, but for those that began as the
    tape turned, so one more is read. 1 where nothing is proven."""
    if check is None:
        return 1
    first = 1
    for segment in reversed(segments(folder / TAPE)):
        number = first_number(segment)
        if number is not None and number <= min(check.sequence, counted):
            first = number_of(segment) - 1
            break
    return max(first, 1)


def _self_proving(records: Any, after: int, state: RunState) -> Any:
    """The records up to the first that cannot be one: numbers rise, the channel is known, it has a value or a reason."""
    if not len(records):
        return records
    sequences = sequences_of(records).astype(np.int64)
    qualities, values = qualities_of(records), records["value"]
    known = np.isin(channels_of(records), np.array(list(state.numbers.values()), np.uint16))
    good = known & (qualities <= 8) & (np.isfinite(values) == (qualities <= 1))
    good &= (sequences >= max(after, 1)) & (records["time"] > state.begun_at - EARLIER)
    steps = np.diff(sequences)
    good[1:] &= (steps >= 0) & (steps < MAX_STEP)
    bad = np.flatnonzero(~good)
    return records[: bad[0]] if len(bad) else records


def _complete_samples(folder: Path, told: _Told) -> list[str]:
    """Make samples.bin what was proven and, behind it, what the tape gives."""
    path, state, check = folder / SAMPLES, told.state, told.check
    repairs = []
    if torn := trim_records(path, RECORD_SIZE):
        repairs.append(f"The last sample was torn: {torn} bytes were cut.")
    start = check.ends[SAMPLES] if check is not None else 0
    path.touch()
    tail = np.fromfile(path, np.uint8, offset=start).tobytes()
    records = _self_proving(unpack(tail), check.sequence if check is not None else 0, state)
    if strange := len(tail) // RECORD_SIZE - len(records):
        repairs.append(
            f"The samples ended in {strange * RECORD_SIZE} bytes that are no samples: they were cut."
        )
    if check is not None:
        added = _behind_the_check(path, start, tail, records, told, folder, check)
    else:
        added = _behind_the_last(path, start, records, told, folder)
    if added:
        repairs.append(f"{_so_many(added, 'sample')} put back from the tape.")
    return repairs


def _behind_the_check(
    path: Path, start: int, tail: bytes, records: Any, told: _Told, folder: Path, check: Check
) -> int:
    """The tape is right about everything after the check; what it does not reach is kept."""
    pieces = {
        sequence: batch.pack(sequence)
        for sequence, batch in told.events(folder)
        if sequence > check.sequence and batch is not None and len(batch)
    }
    if told.unread:
        sequences = sequences_of(records)
        unread = np.isin(sequences, np.array(sorted(told.unread), np.uint64)) & (sequences > check.sequence)
        for batch, number in zip(
            batches_of(records[unread]), np.unique(sequences[unread]).tolist(), strict=True
        ):
            pieces[number] = batch.pack(number)
    kept = records[sequences_of(records) > max(told.tape_sequence, check.sequence)]
    if len(kept):
        told.last_sequence = max(told.last_sequence, int(sequences_of(kept).max()))
        told.last_at = max(told.last_at, int(kept["time"].max()))
    whole = b"".join(pieces[number] for number in sorted(pieces)) + kept.tobytes()
    if whole != tail:
        same = _common(whole, tail)
        os.truncate(path, start + same)
        file = Appender(path)
        file.append(whole[same:])
        file.close()
    return max(0, len(whole) // RECORD_SIZE - len(records))


def _common(one: bytes, other: bytes) -> int:
    """Of how many first bytes both have the same."""
    size = min(len(one), len(other))
    differs = np.flatnonzero(
        np.frombuffer(one, np.uint8, count=size) != np.frombuffer(other, np.uint8, count=size)
    )
    return int(differs[0]) if len(differs) else size


def _behind_the_last(path: Path, start: int, records: Any, told: _Told, folder: Path) -> int:
    """Nothing is proven, as in runs of before 2026-11-26: what the tape gives after the last sample is added."""
    os.truncate(path, start + records.nbytes)
    last = int(sequences_of(records)[-1]) if len(records) else 0
    have = int(np.count_nonzero(sequences_of(records) == last)) if last else 0  # it may be half written
    told.last_sequence = max(told.last_sequence, last)
    if len(records):  # the tape may have lost more than the samples
        told.last_at = max(told.last_at, int(records["time"].max()))
    added = 0
    appender = Appender(path)
    for sequence, batch in told.events(folder):
        if batch is None or sequence < last:
            continue
        packed = batch.pack(sequence)
        if sequence == last:
            packed = packed[have * RECORD_SIZE :]
        appender.append(packed)
        added += len(packed) // RECORD_SIZE
    appender.close()
    return added


# ---- the rows


def _last_row(path: Path) -> int | None:
    """The time of the last row, None where there is none."""
    with open(path, "rb") as file:
        size = file.seek(0, os.SEEK_END)
        file.seek(max(0, size - 65_536))
        lines = file.read().rstrip(b"\r\n").split(b"\n")
    if size <= 65_536 and len(lines) < 2:
        return None  # the header alone
    return parse(lines[-1].split(b",")[0].decode())


def _count_rows(path: Path) -> int:
    lines = 0
    with open(path, "rb") as file:
        while piece := file.read(1 << 20):
            lines += piece.count(b"\n")
    return max(0, lines - 1)


def _complete_rows(
    folder: Path, state: RunState, last_at: int, check: Check | None
) -> tuple[int, RowMaker, list[str]]:
    """Add the rows that the samples give and the CSV lacks; gives how many there are, what made them, and what was done."""
    repairs = []
    if check is not None:
        before, rows = _cut_rows(folder, state, check), check.rows
    elif len(files := csv_files(folder, state.csv)) > 1:
        before = sum(map(_count_rows, files))  # not one of them is proven: all rows are made again
        _keep_files(files, 1)
        with open(files[0], "rb") as file:
            head = len(file.readline())
        os.truncate(files[0], head)
        rows = 0
    else:
        if torn := trim_lines(folder / state.csv):
            repairs.append(f"The CSV's last row was torn: {torn} bytes were cut.")
        before, rows = 0, _count_rows(folder / state.csv)
    path = csv_files(folder, state.csv)[-1]
    last_row = _newest_row(folder, state)
    rule = make_rule(state, last_row)
    # What a row can need is at most this old.
    longest = max((c.interval_s for c in state.channels), default=1.0)
    oldest = max(longest * 3, 0.3, state.row_rule.age_s)
    since = (last_row or state.begun_at) - round(oldest * 1e6) - 1_000_000
    records = _records_since(folder / SAMPLES, since)
    steady = state.row_rule.kind == "steady rows"
    if check is not None:
        old = sequences_of(records) <= check.sequence
        before_it = _needed_yet(records[old], last_row or 0) if steady else records[:0]
        records = np.concatenate([before_it, records[~old]])
    fresh: list[str] = []
    for batch in batches_of(records):
        fresh += rule.feed(max(batch.times), batch)
    fresh += rule.until(last_at)
    if not steady and check is None:
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
    if state.ends.rows is not None:
        del fresh[max(0, state.ends.rows - rows) :]
    if fresh:
        rows_of = CsvFiles(folder, state)
        rows_of.append(bytearray("".join(fresh).encode()))
        rows_of.close()
    mend_sidecars(folder, state)
    if len(fresh) > before:
        repairs.append(f"{_so_many(len(fresh) - before, 'row')} put back from the samples.")
    return rows + len(fresh), rule, repairs


def _cut_rows(folder: Path, state: RunState, check: Check) -> int:
    """Cut the rows behind the check; gives how many they were."""
    files = csv_files(folder, state.csv)
    name = csv_in(check.ends, state.csv)
    place = files.index(folder / name)
    gone = _rows_behind(files[place], check.ends[name]) + sum(map(_count_rows, files[place + 1 :]))
    _keep_files(files, place + 1)
    os.truncate(files[place], check.ends[name])
    return gone


def _keep_files(files: list[Path], count: int) -> None:
    """The newest goes first: a kill meanwhile leaves a series without a gap."""
    for path in reversed(files[count:]):
        sidecar_of(path).unlink(missing_ok=True)
        path.unlink()


def _newest_row(folder: Path, state: RunState) -> int | None:
    """The time of the newest row, None where there is none."""
    rows = (_last_row(path) for path in reversed(csv_files(folder, state.csv)))
    return next((at for at in rows if at is not None), None)


def _rows_behind(path: Path, start: int) -> int:
    """How many whole rows stand behind a place."""
    with open(path, "rb") as file:
        file.seek(start)
        return file.read().count(b"\r\n")


def _needed_yet(records: Any, last_row: int) -> Any:
    """What a row needs of the time before it: the last two samples of every channel, and all since the row before, in their
    order."""
    if not len(records):
        return records
    keep = records["time"] > last_row
    channels = channels_of(records)
    for number in np.unique(channels):
        keep[np.flatnonzero(channels == number)[-2:]] = True
    return records[keep]


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


def _records_since(path: Path, since: int) -> Any:
    """The records at the end of samples.bin from the first one not older than `since`."""
    size = path.stat().st_size
    pieces: list[bytes] = []
    step = 10_000 * RECORD_SIZE
    with open(path, "rb") as file:
        while size:
            start = max(0, size - step)
            file.seek(start)
            piece = file.read(size - start)
            pieces.append(piece)
            size, step = start, step * 2
            if int(unpack(piece)["time"][0]) < since:
                break
    return unpack(b"".join(reversed(pieces)))


# ---- marks, crossings, the sum of it all


def _mend_crossings(folder: Path) -> list[str]:
    path = folder / CROSSINGS
    if not path.exists():
        return []
    with open(path, "rb") as file:
        data = file.read()
    good = data.rfind(b"\n", 0, data.find(b"\0") if b"\0" in data else len(data)) + 1
    if good == len(data):
        return []
    os.truncate(path, good)
    return [f"{CROSSINGS} ended in {len(data) - good} bytes that are no whole line: they were cut."]


def _put_back(folder: Path, state: RunState, told: _Told) -> list[str]:
    """Marks and crossings that are on the tape, and not in their files."""
    repairs: list[str] = []

    def failed(error: Exception) -> None:
        repairs.append(f"A mark could not be put back: {error}.")

    marks = MarksFile(folder, state.begun_at, HereAndNow(), failed)
    known = {mark.at for mark in marks.marks}
    lost = [mark for mark in told.marks if mark.at not in known]
    for mark in lost:
        marks.add(mark)
    for corrected in told.corrected:
        with suppress(StopIteration):
            if next(m.text for m in marks.marks if m.at == corrected.mark) == corrected.before:
                marks.correct(corrected.mark, corrected.text)
    marks.close()
    if lost:
        repairs.append(f"{_so_many(len(lost), 'mark')} put back from the tape.")
    repairs += _put_back_points(folder, state, told, failed)
    repairs += mend_curves(folder, told.last_at)
    path = folder / CROSSINGS
    if path.exists() and told.crossings:
        there = set(path.read_bytes().decode("utf-8").split("\r\n"))
        lines = [crossing_row(one, state.begun_at) for one in told.crossings]
        missing = [line for line in lines if line.rstrip("\r\n") not in there]
        if missing:
            file = Appender(path)
            file.append("".join(missing).encode())
            file.close()
            repairs.append(f"{_so_many(len(missing), 'crossing')} put back from the tape.")
    return repairs


def _put_back_points(
    folder: Path, state: RunState, told: _Told, failed: Callable[[Exception], None]
) -> list[str]:
    points = PointsFile(folder, state.begun_at, HereAndNow(), failed)
    known = {(point.number, point.version) for point in points.points}
    lost = [point for point in told.points if (point.number, point.version) not in known]
    for point in lost:
        points.add(point)
    points.write_table()
    points.release()
    return [f"{_so_many(len(lost), 'test point')} put back from the tape."] if lost else []


def _stats(folder: Path, before: RunState, told: _Told) -> RunStats:
    """Of all samples: those that the state of before knew of, and what came since. Where some of those were lost, of all
    anew."""
    stats = RunStats(before.channels)
    if before.summed and told.check is not None and told.last_sequence >= before.summed:
        stats.restore(before.stats)
        stats.add(_records_after(folder / SAMPLES, before.summed).tobytes())
        return stats
    with open(folder / SAMPLES, "rb") as file:
        while piece := file.read(CHUNK * RECORD_SIZE):
            stats.add(piece)
    return stats


def _records_after(path: Path, sequence: int) -> Any:
    """The records at the end of samples.bin whose number is higher."""
    size = path.stat().st_size
    pieces: list[bytes] = []
    with open(path, "rb") as file:
        while size:
            start = max(0, size - 10_000 * RECORD_SIZE)
            file.seek(start)
            piece = file.read(size - start)
            pieces.append(piece)
            size = start
            if int(sequences_of(unpack(piece[:RECORD_SIZE]))[0]) <= sequence:
                break
    records = unpack(b"".join(reversed(pieces)))
    return records[sequences_of(records) > sequence]
