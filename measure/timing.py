"""Rows `jitter` and `socket-latency`: what must be on time, while everything else goes on."""

import asyncio
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from websockets.asyncio.client import connect

from measure.bench import setup
from measure.browser import browser
from measure.peers import COUNTING, FLOOD, MANY, peer
from measure.plan import Beside, beside, full_plan
from measure.result import Result, percentile
from measure.stack import TOKEN, stack
from tidybench.core.samples import unpack
from tidybench.wire.runs import BeginRun
from tidybench.wire.status import GetStatus

POLLS, EVERY = 16, 100_000
SECONDS = 20

SLEEPER = """
import os, select, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
except OSError:
    pass
every = 100_000_000
due = (time.monotonic_ns() // every + 1) * every
while True:
    select.select((), (), (), max(0, due - time.monotonic_ns()) / 1e9)
    print((time.monotonic_ns() - due) / 1e6, flush=True)
    due += every
"""
"""The baseline: one bare thread that only wakes at 10 Hz, with the recorder's own priority."""

QUERY = """
import sys, psycopg
with psycopg.connect(sys.argv[1], autocommit=True) as connection:
    while True:
        connection.execute("SELECT sum(sqrt(n)) FROM generate_series(1, 400000) AS n")
"""


@contextmanager
def _database_query(url: str) -> Iterator[None]:
    psycopg.connect(url).close()
    process = subprocess.Popen(["nice", "-n", "5", sys.executable, "-c", QUERY, url])
    try:
        yield
    finally:
        process.kill()
        process.wait()


def jitter() -> Result:
    """How late 16 polls at 10 Hz begin, with a browser listening, a query running and one link flooded."""
    return _jitter("jitter", "nothing")


def jitter_plan() -> Result:
    """The same with a plan, test points, fifty reactions and a procedure on."""
    return _jitter("jitter-plan", "plan")


def jitter_destinations() -> Result:
    """The same with four destinations on."""
    return _jitter("jitter-destinations", "destinations")


def _jitter(name: str, what: Beside) -> Result:
    with peer(MANY, count=POLLS) as (paths, many), peer(FLOOD, "460800", nice=5) as (flooded, _):
        setups = [
            setup(f"p{n}", path, "<v>", query="V?\n", every=EVERY / 1e6) for n, path in enumerate(paths)
        ]
        setups.append(setup("flood", flooded[0], "<a>,<b>,<c>,<d>", baud=460_800))
        with stack(setups) as bench, browser(bench.page), _database_query(bench.database):
            sleeper = subprocess.Popen([sys.executable, "-c", SLEEPER], stdout=subprocess.PIPE, text=True)
            status, _ = bench.client.ask(GetStatus())
            assert status.status is not None
            channels = [one.id for one in status.status.channels]
            begin = (
                BeginRun(**full_plan(channels).model_dump()) if what == "plan" else BeginRun(name="jitter")
            )
            answer, _ = bench.client.ask(begin)
            assert answer.run is not None, answer.why
            began = time.time_ns()
            with beside(what, bench.places, channels):
                time.sleep(SECONDS)
            status, _ = bench.client.ask(GetStatus())
            assert status.status is not None
            assert status.status.run is not None
            missed = status.status.run.counts.missed
            many.kill()
            sleeper.kill()
            bare = percentile([float(line) for line in sleeper.communicate()[0].splitlines()], 0.99)
        assert many.stdout is not None
        heard = [int(line) for line in many.stdout.read().split("\n")[:-1]]
    # As the other end saw it: the grid lies at whole multiples of the interval since 1970 UTC.
    late = sorted(at % (EVERY * 1000) / 1e6 for at in heard if at > began)
    worst = percentile(late, 0.99)
    return Result(
        name, worst, "ms late (99 %)", "2 ms", worst <= 2 and missed == 0,
        {"bare sleeper": bare}, {"bare sleeper": worst / bare},
        f"{len(late)} polls, median {percentile(late, 0.5):.2f} ms, worst {late[-1]:.1f} ms, {missed} missed",
    )  # fmt: skip


def socket_latency() -> Result:
    """From a reply's last byte to the browser's socket."""
    with (
        peer(COUNTING, nice=5) as (paths, process),
        stack([setup("n", paths[0], "<v>", query="V?\n", every=0.05)]) as bench,
    ):
        sent: dict[int, int] = {}
        got = asyncio.run(_listen(bench.port, 400))
        process.kill()
        assert process.stdout is not None
        for line in process.stdout.read().splitlines():
            number, at = line.split()
            sent[int(number)] = int(at)
    waits = sorted((at - sent[value]) / 1e6 for value, at in got if value in sent)
    value = percentile(waits, 0.99)
    return Result(
        "socket-latency", value, "ms (99 %)", "30 ms", value <= 30, {}, {},
        f"{len(waits)} replies, median {percentile(waits, 0.5):.1f} ms, worst {waits[-1]:.1f} ms",
    )  # fmt: skip


async def _listen(port: int, count: int) -> list[tuple[int, int]]:
    got: list[tuple[int, int]] = []
    headers = {"Authorization": f"Bearer {TOKEN}"}
    async with connect(f"ws://127.0.0.1:{port}/api/live", additional_headers=headers) as socket:
        while len(got) < count:
            item = await asyncio.wait_for(socket.recv(), 20)
            now = time.time_ns()
            if isinstance(item, bytes):
                got += [(int(value), now) for value in unpack(item)["value"] if value == value]
    return got
