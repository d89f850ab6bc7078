"""Rows `recovery` and `tape-size`: how soon polls go on after a kill, however much was logged; what a poll takes on the disk."""

import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from measure.bench import setup, wait_for
from measure.peers import MANY, peer
from measure.result import Result, median
from tidybench.core.batch import RECORD_SIZE
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.tape.events import Event, Note, Opened, Received, Sent, Start
from tidybench.core.values.origin import Asked
from tidybench.core.values.row_rule import RowRule
from tidybench.recorder.state import RecorderState
from tidybench.runs.entry import Entry
from tidybench.runs.folder import SAMPLES
from tidybench.runs.log import RunLog
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import run_channel
from tidybench.runs.tape import segments
from tidybench.wire.client import Client, RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.setups import SetupText
from tidybench.wire.status import GetStatus

POLLS, EVERY = 16, 100_000
HOUR, MONTH = 3600, 30 * 86_400
STARTS = 3
SYNC = 30
"""Slots between two syncs: 3 s."""


@dataclass(slots=True)
class _Bench:
    places: Places
    setups: list[SetupText]
    folder: Path
    tape_bytes: float  # a poll, compressed
    plain_bytes: float


def _numbers() -> dict[str, int]:
    return {f"p{n}-v": n + 1 for n in range(POLLS)}


def _logged(runs: Path, setups: list[SetupText], seconds: int, sparse: int = 0) -> RunLog:
    """A run of 16 polls at 10 Hz up to now, as a recorder that is killed leaves it. `sparse`: so many seconds more stand
    before, as files of the same length without content: nothing may need to read them."""
    parts = [load(one.text) for one in setups]
    numbers = _numbers()
    now = time.time_ns() // 1000 // EVERY * EVERY
    begun = now - (seconds + sparse) * 1_000_000
    log = RunLog.begin(
        runs, bench="b", name="long", item="", operator="", row_rule=RowRule(), at=begun,
        channels=[run_channel(one, one.channel[0], numbers) for one in parts],
        setups={one.id: one.text for one in setups},
    )  # fmt: skip
    if sparse:
        log.abandon()
        os.truncate(log.folder / SAMPLES, sparse * 10 * POLLS * RECORD_SIZE)
        os.truncate(log.folder / log.state.csv, sparse * 10 * 180)
        for number in range(1, sparse // 75):
            (log.folder / "tape" / f"{number:04d}.jsonl.gz").write_bytes(b"")
        log.state.counts.sequence = sparse * 10 * POLLS * 2
        log = RunLog.resume(
            log.folder, rows=sparse * 10, stats=log.stats, rule=make_rule(log.state), links=[],
            now=now - seconds * 1_000_000,
        )  # fmt: skip
        log.state.counts.sequence = sparse * 10 * POLLS * 2
    readers = [(plan.key, LinkReader(plan)) for plan in plan_links(parts, numbers)]
    dice = random.Random(1)
    values = [100.0 + n for n in range(POLLS)]
    sequence = log.state.counts.sequence

    def entry(link: str, event: Event, reader: LinkReader | None = None) -> Entry:
        nonlocal sequence
        sequence += 1
        made = Entry(sequence, link, event, reader.feed(event) if reader is not None else None)
        made.seal()
        return made

    began = now - seconds * 1_000_000
    opening = [entry("", Note(began, "begin", "long"))]
    for key, reader in readers:
        opening += [entry(key, Start(began, reader.state())), entry(key, Opened(began, {}), reader)]
    log.write(opening, began)
    for slot in range(seconds * 10):
        at = began + slot * EVERY
        entries = []
        for n, (key, reader) in enumerate(readers):
            values[n] += dice.gauss(0, 0.02)
            reply = f"{values[n]:+09.3f}\n".encode()
            origin = Asked(f"p{n}", "q")
            entries.append(entry(key, Sent(at + dice.randint(50, 400), b"V?\n", slot + 1, origin), reader))
            entries.append(entry(key, Received(at + dice.randint(12_000, 14_000), reply), reader))
        log.write(entries, at + EVERY)
        if log.wants_states:
            log.wants_states = False
            log.write([entry(key, Start(at + EVERY, reader.state())) for key, reader in readers], at + EVERY)
        if slot % SYNC == SYNC - 1:
            log.sync(at + EVERY)
    log.abandon()
    return log


@contextmanager
def _benches(*histories: tuple[int, int]) -> Iterator[tuple[list[_Bench], "subprocess.Popen[str]"]]:
    with (
        tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as base,
        peer(MANY, count=POLLS) as (paths, many),
    ):
        setups = [
            setup(f"p{n}", path, "<v>", query="V?\n", every=EVERY / 1e6) for n, path in enumerate(paths)
        ]
        benches = []
        for number, (seconds, sparse) in enumerate(histories):
            places = Places(Path(base) / str(number))
            places.make()
            log = _logged(places.runs, setups, seconds, sparse)
            state = RecorderState(setups=setups, numbers=_numbers(), run=str(log.folder))
            places.recorder_state.write_text(state.model_dump_json())
            full = [
                path for path in segments(log.folder / "tape") if path.suffix == ".gz" and path.stat().st_size
            ]
            polls = log.state.counts.polls or 1
            newest = segments(log.folder / "tape")[-1].stat().st_size
            plain = len(full) * 8 * 2**20 + newest
            share = 1 - newest / plain if full else 1.0
            size = sum(path.stat().st_size for path in full) / (polls * share) if full else 0.0
            benches.append(_Bench(places, setups, log.folder, size, plain / polls))
        yield benches, many


def _to_the_first_poll(bench: _Bench, many: "subprocess.Popen[str]") -> tuple[float, float]:
    """Seconds from the start of a recorder that goes on to its first query, and until its run is in order. It is killed."""
    os.environ["TIDY_DATA"] = str(bench.places.data)
    began = time.time_ns()
    process = subprocess.Popen(
        [sys.executable, "-m", "tidybench.recorder", "--carry-on"], stdin=subprocess.DEVNULL
    )
    client = Client(bench.places.control, patience=5)
    try:
        assert many.stdout is not None
        first = next(at for line in many.stdout if (at := int(line)) > began)

        def in_order() -> bool:
            try:
                status = client.ask(GetStatus())[0].status
            except RecorderAway:
                return False
            return status is not None and status.run is not None and not status.run.troubles

        wait_for(in_order)
        order = time.time_ns()
        time.sleep(1)
    finally:
        client.close()
        process.kill()
        process.wait()
        time.sleep(0.5)  # what it wrote last still arrives: not to be taken for the next one's first query
    return (first - began) / 1e9, (order - began) / 1e9


def recovery() -> Result:
    """From the start of a recorder after kill -9 to its first poll, with an hour logged and with 30 days; beside nothing."""
    with _benches((3, 0), (HOUR, 0), (600, MONTH)) as (benches, many):
        seen: list[list[tuple[float, float]]] = [[], [], []]
        for _ in range(STARTS):
            for told, bench in zip(seen, benches, strict=True):
                told.append(_to_the_first_poll(bench, many))
    plain, hour, month = (median([first for first, _ in told]) for told in seen)
    orders = [median([order for _, order in told]) for told in seen]
    return Result(
        "recovery", hour, "s to the first poll", "2 x with nothing logged, the same with 30 days; 2 s is the aim",
        hour <= 2 * plain and month <= 2 * plain,
        {"nothing logged": plain}, {"nothing logged": hour / plain},
        f"30 days {month:.2f} s; the run is in order after {orders[0]:.1f}, {orders[1]:.1f} and {orders[2]:.1f} s",
    )  # fmt: skip


def tape_size() -> Result:
    """Bytes of tape on the disk for a poll, compressed: a short query and a reply of nine characters that wanders."""
    with _benches((HOUR // 2, 0)) as ([bench], _):
        value, plain = bench.tape_bytes, bench.plain_bytes
    return Result(
        "tape-size", value, "bytes a poll", "under 40", 0 < value < 40, {"plain": plain}, {"plain": value / plain},
        "samples.bin takes 24 more, the CSV one cell",
    )  # fmt: skip
