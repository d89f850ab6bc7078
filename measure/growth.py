"""Row `growth`: what more instruments, channels, browsers and hours cost, as a table, with the slope of each cost.

A slope is the exponent between the first size and the last: 1 where the cost doubles with its cause, 0 where it stays, above 1 where it grows faster than
its cause. A cost that stays below `NOTHING` of its kind says nothing and has none.
"""

import json
import math
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

import psycopg

from measure.bench import setup, wait_for
from measure.clerk import DAY, HOUR, ended_run
from measure.long_run import POINTS, Server, took
from measure.page import cpu_seconds, listener
from measure.peers import MANY, WIDE, peer
from measure.result import Result, median, percentile
from measure.stack import Stack, stack
from tidybench.core.batch import RECORD_SIZE
from tidybench.runs.folder import SAMPLES
from tidybench.runs.run_state import read_state
from tidybench.runs.tape import read_tape
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.setups import SetupText
from tidybench.wire.status import GetStatus, Status

INSTRUMENTS, CHANNELS, BROWSERS, HOURS = (1, 4, 16, 64), (10, 100, 1000), (1, 10, 50), (1, 24, 720)
SETTLES, SECONDS = 3.0, 12.0
EVERY = 100_000
"""Microseconds between two polls, and between two lines of those that talk."""

LINKS = 10
"""That the channels are spread over."""

MOST_SLOPE = 1.1
"""What grows faster than its cause has more."""

NOTHING = {"% of a core": 5.0, "MB": 10.0, "ms": 5.0, "kB/s": 5.0, "s": 0.5}
"""Below these a cost is as good as none."""

STARTS = 3


@dataclass(slots=True)
class _Cost:
    """What something costs at each size of its cause."""

    cause: str
    cost: str
    unit: str
    sizes: tuple[int, ...]
    values: list[float]

    @property
    def slope(self) -> float:
        """The exponent between the first size that costs anything and the last."""
        least = NOTHING[self.unit]
        if self.values[-1] < least:
            return 0.0
        size, value = next(
            (s, v) for s, v in zip(self.sizes, self.values, strict=True) if v >= least or s == self.sizes[-1]
        )
        if size == self.sizes[-1]:
            size, value = self.sizes[0], least
        return math.log(self.values[-1] / value) / math.log(self.sizes[-1] / size)

    @property
    def line(self) -> str:
        """As a row of the table."""
        values = "  ".join(f"{value:10.1f}" for value in self.values)
        return f"{self.cause:12s} {self.cost:30s} {self.unit:12s} {values}   slope {self.slope:5.2f}"


def _memory(pid: int) -> float:
    status = Path(f"/proc/{pid}/status").read_text()
    return float(status.split("VmRSS:")[1].split()[0]) / 1024


def _status(bench: Stack) -> Status:
    answer, _ = bench.client.ask(GetStatus())
    assert answer.status is not None
    return answer.status


def _written(database: str) -> float:
    """Bytes that the database has written: its log, and pages (pg_stat_wal, pg_stat_bgwriter)."""
    with psycopg.connect(database.replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("CHECKPOINT")
        row = connection.execute(
            "SELECT (SELECT wal_bytes FROM pg_stat_wal) + 8192 * (buffers_checkpoint + buffers_clean + buffers_backend) FROM pg_stat_bgwriter"
        ).fetchone()
        assert row is not None
        return float(row[0])


@dataclass(slots=True)
class _Seen:
    recorder: float
    web: float
    recorder_mb: float
    web_mb: float
    late: float
    disk: float
    database: float
    amplified: float


def _seen(bench: Stack) -> _Seen:
    """A run for some seconds, and what it takes."""
    wait_for(lambda: all(one.stages[0].state == "passing" for one in _status(bench).instruments), 60)
    answer, _ = bench.client.ask(BeginRun(name="growth"))
    assert answer.run is not None, answer.why
    folder = Path(answer.run.folder)
    time.sleep(SETTLES)
    pids = bench.recorder.pid, bench.web.pid
    before, size, database = [cpu_seconds(pid) for pid in pids], _size(folder), _written(bench.database)
    samples, begun, at = (folder / SAMPLES).stat().st_size, time.monotonic(), time.time_ns()
    time.sleep(SECONDS)
    span = time.monotonic() - begun
    recorder, web = (100 * (cpu_seconds(pid) - old) / span for pid, old in zip(pids, before, strict=True))
    grown = _size(folder) - size
    measured = (folder / SAMPLES).stat().st_size - samples
    bytes_written = _written(bench.database) - database
    recorder_mb, web_mb = (_memory(pid) for pid in pids)
    bench.client.ask(EndRun(run=answer.run.id))
    late = sorted(
        event.at * 1000 % (EVERY * 1000) / 1e6
        for _, _, event in read_tape(folder / "tape")
        if event.kind == "out" and event.at * 1000 > at
    )
    return _Seen(
        recorder, web, recorder_mb, web_mb, percentile(late, 0.99) if late else 0.0, grown / span / 1000, bytes_written / span / 1000,
        bytes_written / max(1, measured),
    )  # fmt: skip


def _size(folder: Path) -> int:
    return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())


def _costs(cause: str, sizes: tuple[int, ...], seen: list[_Seen], *, late: bool) -> list[_Cost]:
    told = [
        ("recorder, processor", "% of a core", [one.recorder for one in seen]),
        ("web server, processor", "% of a core", [one.web for one in seen]),
        ("recorder, memory", "MB", [one.recorder_mb for one in seen]),
        ("web server, memory", "MB", [one.web_mb for one in seen]),
        ("run folder", "kB/s", [one.disk for one in seen]),
        ("database, written", "kB/s", [one.database for one in seen]),
    ]
    if late:
        told.append(("polls late by, 99 %", "ms", [one.late for one in seen]))
    return [_Cost(cause, cost, unit, sizes, values) for cost, unit, values in told]


def _asked(paths: list[str]) -> list[SetupText]:
    return [setup(f"p{n}", path, "<v>", query="V?\n", every=EVERY / 1e6) for n, path in enumerate(paths)]


def _instruments() -> tuple[list[_Cost], float]:
    seen = []
    for count in INSTRUMENTS:
        with peer(MANY, count=count) as (paths, many):
            drain = subprocess.Popen(["cat"], stdin=many.stdout, stdout=subprocess.DEVNULL)
            with stack(_asked(paths)) as bench:
                seen.append(_seen(bench))
            drain.kill()
            drain.wait()
    return _costs("instruments", INSTRUMENTS, seen, late=True), seen[-1].amplified


def _channels() -> list[_Cost]:
    seen = []
    for count in CHANNELS:
        fields = count // LINKS
        pattern = ",".join(f"<f{n}>" for n in range(fields))
        with peer(WIDE, str(fields), count=LINKS) as (paths, _):
            setups = [setup(f"w{n}", path, pattern, baud=921_600) for n, path in enumerate(paths)]
            with stack(setups) as bench:
                seen.append(_seen(bench))
    return _costs("channels", CHANNELS, seen, late=False)


def _browsers() -> list[_Cost]:
    seen = []
    with peer(MANY, count=16) as (paths, many):
        drain = subprocess.Popen(["cat"], stdin=many.stdout, stdout=subprocess.DEVNULL)
        with stack(_asked(paths)) as bench, ExitStack() as open_ones:
            before = 0
            for count in BROWSERS:
                for _ in range(count - before):
                    open_ones.enter_context(listener(bench))
                before = count
                seen.append(_seen(bench))
        drain.kill()
        drain.wait()
    return [one for one in _costs("browsers", BROWSERS, seen, late=True) if one.unit != "kB/s"]


def _runs() -> tuple[list[_Cost], float]:
    """Runs of 16 channels, a sample a second each."""
    opened, zooms, folders, kept = [], [], [], []
    with stack([]) as bench:
        server = Server(bench)
        for hours in HOURS:
            made = bench.places.data / "made"
            count = ended_run(made, hours * HOUR, rate=1)
            folder = bench.places.runs / "2026-11-26" / f"run-{hours}"
            folder.parent.mkdir(parents=True, exist_ok=True)
            before = _written(bench.database)
            made.rename(folder)
            key = read_state(folder).id
            wait_for(lambda key=key: server.complete(key), 3600)  # type: ignore[misc]
            kept.append((_written(bench.database) - before) / (count * RECORD_SIZE))
            run = f"/api/runs/{key}"
            opened.append(median([took(server, run, f"{run}/trend?points={POINTS}") for _ in range(5)]))
            begun = read_state(folder).begun_at
            part = f"start={begun}&end={begun + 600 * 1_000_000}"
            zooms.append(median([took(server, f"{run}/trend?points={POINTS}&{part}") for _ in range(5)]))
            folders.append(_size(folder) / 1e6)
    return [
        _Cost("hours", "run page, first requests", "ms", HOURS, opened),
        _Cost("hours", "ten minutes of it", "ms", HOURS, zooms),
        _Cost("hours", "run folder, samples alone", "MB", HOURS, folders),
    ], kept[-1]


@contextmanager
def _data() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        yield Path(folder) / "data"


def _starts() -> tuple[float, float]:
    """Seconds until `up` says ready: the first time with a data folder, and each further time."""
    seen = []
    with _data() as data:
        environment = {**os.environ, "TIDY_DATA": str(data)}
        for _ in range(1 + STARTS):
            begun = time.monotonic()
            up = subprocess.Popen(
                [sys.executable, "-m", "tidybench.cli", "up"], env=environment, stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
            )  # fmt: skip
            assert up.stdout is not None
            for line in up.stdout:
                if b"token=" in line:
                    break
            seen.append(time.monotonic() - begun)
            up.send_signal(signal.SIGTERM)
            up.wait(60)
        cluster = json.loads((data / "database.json").read_text())["folder"]
        shutil.rmtree(cluster, ignore_errors=True)
    return seen[0], median(seen[1:])


def growth() -> Result:
    """A table of every cost at every size; the value is the steepest slope."""
    costs, live = _instruments()
    costs += _channels()
    costs += _browsers()
    more, imported = _runs()
    costs += more
    first, again = _starts()
    steepest = max(costs, key=lambda one: one.slope)
    table = "\n".join(
        f"  {cause}: {', '.join(map(str, sizes))}\n"
        + "\n".join(f"    {one.line}" for one in costs if one.cause == cause)
        for cause, sizes in {one.cause: one.sizes for one in costs}.items()
    )
    return Result(
        "growth", steepest.slope, "steepest slope", f"nothing grows faster than its cause (slope at most {MOST_SLOPE}); second start 2 s",
        steepest.slope <= MOST_SLOPE and again <= 2.0,
        {}, {},
        f"steepest: {steepest.cost} by {steepest.cause}; started in {again:.1f} s, the first time in {first:.1f} s; the database writes {live:.1f} bytes a byte of samples live, {imported:.1f} of a run of 30 days; runs of {16 * DAY // 1000} 000 samples a day\n{table}\n",
    )  # fmt: skip
