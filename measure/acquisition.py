"""Rows `poll`, `stream` and `wire`: the recorder beside hand-written loops."""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from measure.bench import recorder, setup, wait_for
from measure.loops import bare_polls, bare_polls_at, scripted_polls, scripted_stream
from measure.peers import ECHO, STREAM, peer
from measure.plan import Beside, beside, full_plan
from measure.result import Result, median
from measure.stack import private_cluster
from tidybench.core.compile.load import load
from tidybench.records.database import engine_for
from tidybench.web.clerk import Clerk

QUERY, REPLY = "FL?\n", r"FL=+0148.27 L/min OK\n"
LINE = r"+0148.27,12.345,-7.25,1013.2\n"
LINES = 200_000


def _polls(path: str, seconds: float, what: Beside = "nothing") -> float:
    """Polls a second, with all of that on."""
    plan, texts = None, [setup("flow", path, "FL=<a> L/min <s:word>", query=QUERY, channels=["a"])]
    channels = [part.id for part in load(texts[0].text).channel]
    if what == "plan":
        plan = full_plan(channels)
    with (
        recorder(texts, plan=plan) as bench,
        beside(what, bench.places, channels),
    ):
        wait_for(lambda: bench.log.rows > 100)
        counts = bench.worker(path).reader.counts
        before, began = counts.messages, time.perf_counter()
        time.sleep(seconds)
        return (counts.messages - before) / (time.perf_counter() - began)


def poll() -> Result:
    """Cycles a second with interval 0, tape, CSV and samples on."""
    ours, scripted, bare = [], [], []
    for _ in range(5):
        with peer(ECHO, REPLY) as (paths, _):
            bare.append(bare_polls(paths[0], QUERY.encode(), 1.5))
        with peer(ECHO, REPLY) as (paths, _):
            scripted.append(scripted_polls(paths[0], QUERY.encode(), slice(3, 11), 1.5))
        with peer(ECHO, REPLY) as (paths, _):
            ours.append(_polls(paths[0], 2.0))
    value, a, b = median(ours), median(scripted), median(bare)
    # Ratios within one round: the machine's mood changes between them.
    to_a = median([o / s for o, s in zip(ours, scripted, strict=True)])
    to_b = median([o / s for o, s in zip(ours, bare, strict=True)])
    return Result(
        "poll", value, "cycles/s", "2.5 x script, 0.5 x bare", to_a >= 2.5 and to_b >= 0.5,
        {"script": a, "bare": b}, {"script": to_a, "bare": to_b},
    )  # fmt: skip


def poll_plan() -> Result:
    """The same with a plan, test points, fifty reactions and a procedure on, beside it without."""
    return _polls_beside("poll-plan", "plan")


def poll_destinations() -> Result:
    """The same with four destinations on."""
    return _polls_beside("poll-destinations", "destinations")


def _polls_beside(name: str, what: Beside) -> Result:
    plain, more = [], []
    for _ in range(5):
        with peer(ECHO, REPLY) as (paths, _):
            plain.append(_polls(paths[0], 3.0))
        with peer(ECHO, REPLY) as (paths, _):
            more.append(_polls(paths[0], 3.0, what))
    ratio = median([b / a for a, b in zip(plain, more, strict=True)])
    return Result(
        name, median(more), "cycles/s", "at least 0.9 x without", ratio >= 0.9, {"without": median(plain)}, {"without": ratio},
    )  # fmt: skip


def stream() -> Result:
    """Lines a second of four numbers from the pseudo-terminal to tape, samples and CSV; then to the records."""
    with peer(STREAM, LINE, "20000") as (paths, _):
        scripted = scripted_stream(paths[0], 20_000)
    with private_cluster() as url, peer(STREAM, LINE, str(LINES)) as (paths, _):
        path = paths[0]
        with recorder([setup("s", path, "<a>,<b>,<c>,<d>", baud=12_000_000)]) as bench:
            worker = bench.worker(path)
            wait_for(lambda: worker.trouble == "")
            engine = engine_for(url)
            clerk = Clerk(engine, bench.places.runs)
            clerk.follow()
            wait_for(lambda: len(bench.worker(path).reader.plan.channels) == 4)
            with open(path, "wb", buffering=0) as line:
                began = time.perf_counter()
                line.write(b"g")
                # The line before which the port was opened may be dropped as half heard.
                wait_for(lambda: bench.log.rows >= LINES - 1)
            value = LINES / (time.perf_counter() - began)
            key = bench.log.state.id
            bench.end_run()
            ended = time.perf_counter()
            wait_for(lambda: _complete(clerk, key), 60)
            lag = time.perf_counter() - ended
            engine.dispose()
    return Result(
        "stream", value, "lines/s", "20 x script, records complete within 10 s", value >= 20 * scripted and lag <= 10,
        {"script": scripted}, {"script": value / scripted}, f"records complete after {lag:.1f} s",
    )  # fmt: skip


def _complete(clerk: Clerk, run: str) -> bool:
    clerk.follow()
    return clerk.complete(run)


def wire() -> Result:
    """The poll cycle at 9600 baud: the wire sets the pace, the recorder must not."""
    with tempfile.TemporaryDirectory() as folder:
        shop = subprocess.Popen([sys.executable, "-m", "tidybench.standins", folder])
        try:
            link = Path(folder) / "loop-flow-meter"
            wait_for(link.exists)
            path = str(link.resolve())
            ours, bare = [], []
            for _ in range(3):
                bare.append(bare_polls_at(path, b"FL?\r", 9600, 4))
                with recorder(
                    [setup("flow", path, "FL=<a> L/min <s:word>", query="FL?\r", channels=["a"], end="\r\n")]
                ) as bench:
                    wait_for(lambda b=bench: b.log.rows > 3)  # type: ignore[misc]
                    counts = bench.worker(path).reader.counts
                    before = counts.messages
                    first = counts.last_message
                    time.sleep(4)
                    ours.append((counts.messages - before) / ((counts.last_message - first) / 1e6))
        finally:
            shop.terminate()
            shop.wait()
    ratio = median([o / b for o, b in zip(ours, bare, strict=True)])
    return Result(
        "wire", median(ours), "cycles/s", "within 3 % of bare", ratio >= 0.97, {"bare": median(bare)}, {"bare": ratio}
    )  # fmt: skip
