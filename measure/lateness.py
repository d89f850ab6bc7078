"""Rows `jitter…`: how late polls begin, beside a bare writer on as many pseudo-terminals, on the same grid, with the same priority, before the
same peer, with the same other work on, in turn with it.

Two distances are told apart. A stamp is what the writer itself says of when it wrote; heard is when the other end had it, which passes a
worker of the kernel and the other end's own waking: of that the program can only save what it is late itself.
"""

import subprocess
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import psycopg

from measure.bench import setup, wait_for
from measure.browser import browser
from measure.peers import FLOOD, MANY, peer
from measure.plan import Beside, beside, full_plan
from measure.result import Result, median, percentile
from measure.stack import Stack, stack
from tidybench.runs.tape import read_tape
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.setups import ApplySetups
from tidybench.wire.status import GetStatus, Status

EVERY = 100_000
"""Microseconds between two polls of an instrument."""

ROUNDS, SECONDS = 5, 8.0

WRITER = """
import os, select, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
except OSError:
    pass
fds = [os.open(path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK) for path in sys.argv[1:]]
every = 100_000_000
due = (time.time_ns() // every + 1) * every
while True:
    left = due - time.time_ns()
    if left > 0:
        for fd in select.select(fds, (), (), left / 1e9)[0]:
            os.read(fd, 4096)
        continue
    stamps = []
    for fd in fds:
        stamps.append(time.time_ns())
        os.write(fd, b"V?\\n")
    print(*stamps, flush=True)
    due += every
"""
"""The baseline: writes, stamps and reads, and does nothing else."""

ORDINARY = ["setpriv", "--bounding-set=-sys_nice", "--inh-caps=-sys_nice"]
"""Before a command: without the right to any priority, as an ordinary user has none."""

QUERY = """
import sys, psycopg
with psycopg.connect(sys.argv[1], autocommit=True) as connection:
    while True:
        connection.execute("SELECT sum(sqrt(n)) FROM generate_series(1, 400000) AS n")
"""


class _Said:
    """What a process prints, read while it does: a pipe that is full would hold it up."""

    def __init__(self, process: "subprocess.Popen[str]") -> None:
        self._process, self._text = process, ""
        self._thread = threading.Thread(target=self._read)
        self._thread.start()

    def _read(self) -> None:
        assert self._process.stdout is not None
        self._text = self._process.stdout.read()

    def numbers(self) -> list[int]:
        """All numbers of whole lines; the process has ended."""
        self._thread.join()
        whole, _, _ = self._text.rpartition("\n")
        return [int(word) for word in whole.split()]


@dataclass(slots=True, frozen=True)
class _Late:
    """How late polls were, milliseconds, as the writer stamped them and as the other end heard them."""

    stamped: list[float]
    heard: list[float]

    @property
    def worst(self) -> tuple[float, float]:
        """99 % of either."""
        return percentile(self.stamped, 0.99), percentile(self.heard, 0.99)


def _late(stamps: Sequence[int]) -> list[float]:
    # The grid lies at whole multiples of the interval since 1970 UTC.
    return sorted(at % (EVERY * 1000) / 1e6 for at in stamps)


@contextmanager
def _database_query(url: str) -> Iterator[None]:
    psycopg.connect(url).close()
    process = subprocess.Popen(["nice", "-n", "5", sys.executable, "-c", QUERY, url])
    try:
        yield
    finally:
        process.kill()
        process.wait()


def _bare(count: int, before: Sequence[str]) -> _Late:
    with peer(MANY, count=count) as (paths, many):
        heard = _Said(many)
        command = [*before, sys.executable, "-c", WRITER, *paths]
        writer = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        stamped = _Said(writer)
        time.sleep(SECONDS)
        for process in (writer, many):
            process.kill()
            process.wait()
        return _Late(_late(stamped.numbers()), _late(heard.numbers()))


def _status(bench: Stack) -> Status:
    answer, _ = bench.client.ask(GetStatus())
    assert answer.status is not None
    return answer.status


def _ours(bench: Stack, count: int, what: Beside) -> tuple[_Late, int]:
    """The same of the recorder's polls, a run on; and how many were missed."""
    kept = [one for one in bench.setups if one.id == "flood"]
    with peer(MANY, count=count) as (paths, many):
        heard = _Said(many)
        mine = [setup(f"p{n}", path, "<v>", query="V?\n", every=EVERY / 1e6) for n, path in enumerate(paths)]
        bench.client.ask(ApplySetups(setups=[*kept, *mine]))
        wait_for(lambda: all(i.stages[0].state == "passing" for i in _status(bench).instruments), 30)
        channels = [one.id for one in _status(bench).channels]
        plan = full_plan(channels).model_dump() if what == "plan" else {"name": "jitter"}
        answer, _ = bench.client.ask(BeginRun(**plan))
        assert answer.run is not None, answer.why
        time.sleep(1)  # what a run begins with is done once
        began = time.time_ns()
        with beside(what, bench.places, channels):
            time.sleep(SECONDS)
        run = _status(bench).run
        assert run is not None
        many.kill()
        many.wait()
        bench.client.ask(EndRun(run=run.id))
        bench.client.ask(ApplySetups(setups=kept))
        stamped = [
            event.at * 1000
            for _, _, event in read_tape(Path(answer.run.folder) / "tape")
            if event.kind == "out"
        ]
        return _Late(
            _late([at for at in stamped if at > began]), _late([at for at in heard.numbers() if at > began])
        ), run.counts.missed


def _jitter(name: str, what: Beside = "nothing", count: int = 16, before: Sequence[str] = ()) -> Result:
    missed = 0
    stamped: list[float] = []
    heard: list[float] = []
    bare_stamped: list[float] = []
    bare_heard: list[float] = []
    polls: list[float] = []
    with peer(FLOOD, "460800", nice=5) as (flooded, _):
        flood = setup("flood", flooded[0], "<a>,<b>,<c>,<d>", baud=460_800)
        with stack([flood], before=before) as bench, browser(bench.page), _database_query(bench.database):
            for _ in range(ROUNDS):
                bare = _bare(count, before)
                ours, gone = _ours(bench, count, what)
                missed += gone
                polls += ours.stamped
                for mine, theirs, by, hand in zip(
                    (stamped, heard), (bare_stamped, bare_heard), ours.worst, bare.worst, strict=True
                ):
                    mine.append(by)
                    theirs.append(hand)
    # Ratios within one round: the machine's mood changes between them.
    of_stamps = median([a / b for a, b in zip(stamped, bare_stamped, strict=True)])
    of_heard = median([a / b for a, b in zip(heard, bare_heard, strict=True)])
    aim = 1.1 if not before else 3.0
    return Result(
        name, median(stamped), "ms late (99 %)", f"stamps at most 3 x, heard at most {aim:g} x a bare writer's", of_stamps <= 3 and of_heard <= aim and missed == 0,
        {"bare writer, stamped": median(bare_stamped), "bare writer, heard": median(bare_heard)},
        {"bare writer, stamped": of_stamps, "bare writer, heard": of_heard},
        f"{len(polls)} polls of {count} instruments, median {percentile(sorted(polls), 0.5):.2f} ms, heard {median(heard):.2f} ms late (99 %), {missed} missed",
    )  # fmt: skip


def jitter() -> Result:
    """16 polls at 10 Hz, with a browser listening, a query running and one link flooded."""
    return _jitter("jitter")


def jitter_64() -> Result:
    """64 of them."""
    return _jitter("jitter-64", count=64)


def jitter_user() -> Result:
    """16, recorder and bare writer without the right to any priority."""
    return _jitter("jitter-user", before=ORDINARY)


def jitter_plan() -> Result:
    """The same with a plan, test points, fifty reactions and a procedure on."""
    return _jitter("jitter-plan", "plan")


def jitter_destinations() -> Result:
    """The same with four destinations on."""
    return _jitter("jitter-destinations", "destinations")
