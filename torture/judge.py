"""What must hold of a run, whatever was done to it. Each thing is found a second way: from the tape, from the CSV, from the records, from what the peers sent."""

import csv
import json
import math
import uuid
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import psycopg
from tests.runs import from_the_docs as docs

from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.runs.chain import broken
from tidybench.runs.csv_files import csv_files
from tidybench.runs.reread import reread
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.seal import verify
from torture.peers import CountingPeer

Records = npt.NDArray[Any]

MEASURED = 1
"""The worst quality of a sample that has a number."""


@dataclass(slots=True)
class Verdict:
    """`faults`: sentences, none where all is well; and what was looked at."""

    faults: list[str] = field(default_factory=list)
    samples: int = 0
    rows: int = 0
    numbers: int = 0
    holes: int = 0
    commands: int = 0
    points: int = 0
    handed_on: int = 0
    curves: int = 0


def judged(
    folder: Path, peers: dict[str, CountingPeer], database: str, *, cut: bool, synced: dict[str, int]
) -> Verdict:
    """Look at a run that has ended. `cut`: the power was cut in it; `synced`: how long its files were for certain."""
    verdict = Verdict()
    state = read_state(folder)
    data = (folder / "samples.bin").read_bytes()
    records = unpack(data[: len(data) // RECORD_SIZE * RECORD_SIZE])
    verdict.samples = len(records)
    if state.status == "logging":
        verdict.faults.append("the run says that it goes on")
    if len(data) % RECORD_SIZE:
        verdict.faults.append("samples.bin does not end with a whole record")
    for sentence in (
        *_tape(folder, data, cut=cut),
        *_synced(folder, synced),
        *_seal(folder, state),
        *_in_records(records, state, database),
    ):
        verdict.faults.append(sentence)
    verdict.faults += _rows(folder, state, records, verdict)
    if not cut:  # a point may outlive samples that were lost with the power
        verdict.faults += _points(folder, state, records, verdict)
    for channel, peer in peers.items():
        verdict.faults += _numbers(state, records, channel, peer, verdict)
    return verdict


def _since(folder: Path) -> int:
    """From which line on everything can be read again: where something came along from memory, that is behind the starting states of all links."""
    led = read_state(folder).lead_sequence
    first: dict[str, int] = {}
    for line in docs.tape(folder) if led else ():
        if line["k"] in ("start", "open") and line["n"] > led:
            first.setdefault(line["l"], line["n"])
    return max(first.values(), default=0)


def _tape(folder: Path, data: bytes, *, cut: bool) -> list[str]:
    since = _since(folder)
    told = b"".join(
        one.batch.pack(one.sequence)
        for one in reread(folder)
        if one.batch is not None and one.sequence > since
    )
    faults = []
    if since:
        records = unpack(data[: len(data) // RECORD_SIZE * RECORD_SIZE])
        data = records[sequences_of(records) > since].tobytes()
    same = next(
        (n for n, (a, b) in enumerate(zip(told, data, strict=False)) if a != b), min(len(told), len(data))
    )
    # With the power a tape may have lost more than the samples: what was measured is kept all the same, and the run may have gone on behind it.
    behind = len(told) - same // RECORD_SIZE * RECORD_SIZE
    lost = cut and len(data) > len(told) and data.endswith(told[len(told) - behind :])
    if told != data and not lost:
        faults.append(
            f"the tape read again gives other samples: {len(told)} bytes beside {len(data)}, the first difference at {same}"
        )
    sequences = sequences_of(unpack(data[: len(data) // RECORD_SIZE * RECORD_SIZE])).astype(np.int64)
    if (np.diff(sequences) < 0).any():
        faults.append("the samples are not in their order")
    if (link := broken(folder, read_state(folder).id, ended=True)) is not None:
        faults.append(f"the chain of the tape is broken: {link}")
    return faults


def _synced(folder: Path, synced: dict[str, int]) -> list[str]:
    """Nothing that was on the disk for certain is gone."""
    faults = []
    for name in ("samples.bin", "marks.csv", "crossings.csv"):
        sure = synced.get(str(folder / name), 0)
        if (size := (folder / name).stat().st_size if (folder / name).exists() else 0) < sure:
            faults.append(f"{name} had {sure} bytes on the disk and has {size}")
    return faults


def _seal(folder: Path, state: RunState) -> list[str]:
    if not (folder / "manifest.json").exists():
        return [] if state.status == "interrupted" else ["it is not sealed"]
    return [f"its seal: {problem}" for problem in verify(folder).problems]


def _in_records(records: Records, state: RunState, database: str) -> list[str]:
    faults = []
    found: dict[int, list[tuple[list[int], list[float], list[int]]]] = {}
    with psycopg.connect(database.replace("+psycopg", "")) as connection:
        rows = connection.execute(
            'SELECT number, times, "values", qualities FROM sample_block WHERE run_id = %s ORDER BY number, first_record',
            (uuid.UUID(state.id),),
        )
        for number, times, values, qualities in rows:
            found.setdefault(number, []).append((times, values, qualities))
    for channel in state.channels:
        own = records[channels_of(records) == channel.number]
        blocks = found.get(channel.number, [])
        times = np.array([one for block in blocks for one in block[0]], np.int64)
        values = np.array([one for block in blocks for one in block[1]], np.float64)
        qualities = np.array([one for block in blocks for one in block[2]], np.int64)
        if not (
            np.array_equal(times, own["time"])
            and np.array_equal(values, own["value"], equal_nan=True)
            and np.array_equal(qualities, qualities_of(own))
        ):
            faults.append(f"the records have other samples of {channel.name}: {len(times)} beside {len(own)}")
    return faults


def _rows(folder: Path, state: RunState, records: Records, verdict: Verdict) -> list[str]:
    files = csv_files(folder, state.csv)
    rows: list[list[str]] = []
    for path in files:
        data = path.read_bytes()
        if not data.endswith(b"\r\n"):
            return [f"{path.name} ends in the middle of a row"]
        rows += list(csv.reader(data.decode("utf-8").splitlines()))[1:]
    verdict.rows = len(rows)
    if state.row_rule.kind == "each reading":
        return _each_reading(state, records, rows)
    if len(files) > 1:
        return []
    told = json.loads((folder / "state.json").read_text())
    by_channel = {c.number: docs.samples(folder, c.number) for c in state.channels}
    made = docs.steady_rows(told, by_channel)
    _, cells = docs.table(folder)
    for row in made.values():
        for place, channel in enumerate(state.channels):
            if channel.states and row[place]:
                row[place] = channel.states[int(row[place])]
    wrong = [time for time, row in cells.items() if not _same(row, made.get(time, []))]
    return [f"{len(wrong)} of {len(cells)} rows are not what the samples say, the first at {wrong[0]}: {cells[wrong[0]]} where it is {made.get(wrong[0])}"] if wrong else []  # fmt: skip


def _same(cells: list[str], made: list[str]) -> bool:
    """Whether these are the same cells. A number that an instrument sent in 32 bits is written with the digits it has."""
    if len(cells) != len(made):
        return False
    for one, other in zip(cells, made, strict=True):
        if one == other:
            continue
        try:
            if not math.isclose(float(one), float(other), rel_tol=1e-7):
                return False
        except ValueError:
            return False
    return True


def _each_reading(state: RunState, records: Records, rows: list[list[str]]) -> list[str]:
    """All measured values of each channel, in their order."""
    faults = []
    for place, channel in enumerate(state.channels):
        own = records[(channels_of(records) == channel.number) & (qualities_of(records) <= MEASURED)]
        if channel.states:
            continue
        have = [row[2 + place] for row in rows if row[2 + place]]
        want = [f"{value:.15g}" for value in own["value"]]
        if state.ends.rows is not None and len(rows) == state.ends.rows:
            want = want[: len(have)]  # the last row is the last that there is room for
        if not _same(have, want):
            faults.append(
                f"the CSV has {len(have)} values of {channel.name}, the samples {len(want)}, or others"
            )
    return faults


def _numbers(state: RunState, records: Records, key: str, peer: CountingPeer, verdict: Verdict) -> list[str]:
    """Every number was sent, none twice but where its peer doubled it, and what is missing between two is a hole that was counted."""
    channel = next((one for one in state.channels if one.id == key), None)
    if channel is None:
        return []
    own = records[channels_of(records) == channel.number]
    qualities = qualities_of(own)
    faults, last, hole = [], 0, False
    told = sorted(peer.told)
    for value, quality in zip(own["value"].tolist(), qualities.tolist(), strict=True):
        if quality > MEASURED or math.isnan(value):
            hole, verdict.holes = True, verdict.holes + 1
            continue
        number = int(value)
        verdict.numbers += 1
        if number not in peer.told and number not in peer.halves:
            faults.append(f"{channel.name}: {value} was never sent")
        if last and number < last:
            faults.append(f"{channel.name}: {number} came after {last}")
        lost = (
            int(np.searchsorted(told, number)) - int(np.searchsorted(told, last, side="right")) if last else 0
        )
        if lost > 0 and not hole:
            faults.append(
                f"{channel.name}: {lost} numbers between {last} and {number} are neither there nor counted"
            )
        last, hole = number, False
    return faults[:5]


def _points(folder: Path, state: RunState, records: Records, verdict: Verdict) -> list[str]:
    """The mean of each point is that of the samples of its stretch, by NumPy."""
    path = folder / "points.jsonl"
    faults = []
    numbers = {one.id: one.number for one in state.channels}
    lines = path.read_bytes().splitlines() if path.exists() else []
    for point in map(json.loads, lines):
        for mean in point["means"]:
            verdict.points += 1
            own = records[channels_of(records) == numbers[mean["id"]]]
            there = own[(own["time"] > point["since"]) & (own["time"] <= point["until"])]
            values = there["value"][qualities_of(there) <= MEASURED]
            told = mean["count"], mean["missing"], mean["mean"], mean["minimum"], mean["maximum"]
            made = (len(values), len(there) - len(values)) + (
                (float(values.mean()), float(values.min()), float(values.max()))
                if len(values)
                else (None, None, None)
            )
            same = told[:2] == made[:2] and all(
                a == b or (a is not None and b is not None and math.isclose(a, b, rel_tol=1e-12))
                for a, b in zip(told[2:], made[2:], strict=True)
            )
            if not same:
                faults.append(f"the point {point['name']} says {told} of {mean['name']}, its samples {made}")
    return faults


def handed_on(file: Path, peer: CountingPeer) -> list[str]:
    """What a destination was given of a peer: numbers that it sent, in their order."""
    lines = file.read_bytes().split(b"\n")[:-1]
    numbers = [int(float(line)) for line in lines if line.strip() and line.strip() != b"-"]
    faults = [f"{file.name}: {n} was handed on, and never sent" for n in numbers if n not in peer.halves]
    faults += [f"{file.name}: {b} was handed on after {a}" for a, b in pairwise(numbers) if b < a]
    return faults[:5]
