"""Rows `run-150m` and `compare-8`: a run of eleven days opened, zoomed and summed up; eight runs of a day beside each other."""

import json
import os
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from measure.bench import wait_for
from measure.clerk import BEGUN, CHANNELS, DAY, RATE, ended_run
from measure.result import Result, median
from measure.stack import TOKEN, Stack, stack
from tidybench.core.samples import DTYPE
from tidybench.runs.folder import SAMPLES
from tidybench.runs.run_state import read_state

DAYS = int(os.environ.get("TIDY_LONG_DAYS", "11"))
"""Eleven are 152 M samples."""

POINTS = 1500
"""What a run's page asks for."""

DRAWN = 6
"""Lanes of a comparison."""

OPENED_MS, ZOOM_MS, STATISTICS_MS, COMPARED_MS = 300.0, 200.0, 500.0, 500.0
ROUNDS = 5


@dataclass(slots=True)
class Server:
    """A web server that has taken everything in."""

    stack: Stack

    def get(self, path: str) -> bytes:
        """An answer's body."""
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.stack.port}{path}", headers={"Authorization": f"Bearer {TOKEN}"}
        )
        with urllib.request.urlopen(request, timeout=600) as answer:
            return bytes(answer.read())

    def complete(self, key: str) -> bool:
        """Whether the records have all of a run."""
        try:
            return bool(json.loads(self.get(f"/api/runs/{key}"))["complete"])
        except OSError:
            return False
        finally:
            time.sleep(0.5)

    @property
    def memory_mb(self) -> float:
        """Resident memory of the web server."""
        status = Path(f"/proc/{self.stack.web.pid}/status").read_text()
        return float(status.split("VmRSS:")[1].split()[0]) / 1024


def took(server: Server, *paths: str) -> float:
    """Milliseconds until all of these have answered, asked at once, as a page does."""
    begun = time.perf_counter()
    with ThreadPoolExecutor(len(paths)) as pool:
        list(pool.map(server.get, paths))
    return (time.perf_counter() - begun) * 1000


def _stretches(days: int) -> list[tuple[int, int]]:
    """Zooms from the whole run to a second, each a third as long as the one before, somewhere in it; microseconds."""
    dice = np.random.default_rng(3)
    length, found = days * DAY * 1_000_000, []
    part = length
    while part > 1_000_000:
        start = BEGUN + int(dice.integers(0, max(1, length - part)))
        found.append((start, start + part))
        part //= 3
    return found


def _bare_pixels(folder: Path, start: int, end: int) -> float:
    """Milliseconds for the lowest and highest of each pixel of every channel, by NumPy from samples.bin, which is in order of time."""
    begun = time.perf_counter()
    records = np.memmap(folder / SAMPLES, DTYPE, "r")
    first, behind = np.searchsorted(records["time"], [start, end])
    part = np.asarray(records[first:behind])
    numbers = (part["word"] >> np.uint64(8)) & np.uint64(0xFFFF)
    for n in range(1, CHANNELS + 1):
        own = part["value"][numbers == n]
        if len(own) > POINTS:
            edges = np.linspace(0, len(own), POINTS, endpoint=False).astype(np.int64)
            np.minimum.reduceat(own, edges), np.maximum.reduceat(own, edges)
    return (time.perf_counter() - begun) * 1000


def run_150m() -> Result:
    """152 M samples: the page's first requests, every zoom, exact numbers of every stretch; beside NumPy over the same samples."""
    with stack([]) as running:
        server = Server(running)
        folder = running.places.runs / "2026-11-26" / "long"
        count = ended_run(running.places.data / "made", DAYS * DAY)
        folder.parent.mkdir(parents=True)
        (running.places.data / "made").rename(folder)
        key = read_state(folder).id
        wait_for(lambda: server.complete(key), 3600)
        run = f"/api/runs/{key}"
        before = server.memory_mb
        opened = median([took(server, run, f"{run}/trend?points={POINTS}") for _ in range(ROUNDS)])
        zooms, sums, bare = [], [], []
        for start, end in _stretches(DAYS):
            part = f"start={start}&end={end}"
            zooms.append(median([took(server, f"{run}/trend?points={POINTS}&{part}") for _ in range(3)]))
            sums.append(median([took(server, f"{run}/statistics?{part}") for _ in range(3)]))
            bare.append(_bare_pixels(folder, start, end))
        grown = server.memory_mb - before
        slow = int(np.argmax(zooms))
    return Result(
        "run-150m",
        opened,
        "ms",
        f"opened in {OPENED_MS:.0f} ms, any zoom {ZOOM_MS:.0f} ms, any statistics {STATISTICS_MS:.0f} ms",
        opened <= OPENED_MS and max(zooms) <= ZOOM_MS and max(sums) <= STATISTICS_MS,
        {"the same zoom by NumPy": bare[slow], "NumPy over all": max(bare)},
        {"the same zoom by NumPy": zooms[slow] / bare[slow], "NumPy over all": opened / max(bare)},
        f"{count / 1e6:.0f} M samples; zooms {', '.join(f'{one:.0f}' for one in zooms)} ms, statistics {', '.join(f'{one:.0f}' for one in sums)} ms; memory grew by {grown:.0f} MB",
    )


def compare_8() -> Result:
    """Eight runs of a day over each other: what the page asks for at once; beside NumPy over the samples of the eight."""
    with stack([]) as running:
        server = Server(running)
        keys, folders = [], []
        for n in range(8):
            made = running.places.data / "made"
            ended_run(made, DAY)
            folder = running.places.runs / "2026-11-26" / f"day-{n}"
            folder.parent.mkdir(parents=True, exist_ok=True)
            made.rename(folder)
            keys.append(read_state(folder).id)
            folders.append(folder)
        wait_for(lambda: all(server.complete(key) for key in keys), 3600)
        whole = f"start={BEGUN}&end={BEGUN + DAY * 1_000_000}"
        # The page draws six of the channels that they share, and has the numbers of all.
        drawn = "&".join(f"channels={n}" for n in range(1, DRAWN + 1))
        paths = [f"/api/runs/{key}/trend?points={POINTS}&{whole}&{drawn}" for key in keys]
        paths += [f"/api/runs/{key}/statistics?{whole}" for key in keys]
        together = median([took(server, *paths) for _ in range(ROUNDS)])
        bare = sum(_bare_pixels(one, BEGUN, BEGUN + DAY * 1_000_000) for one in folders)
    return Result(
        "compare-8",
        together,
        "ms",
        f"{COMPARED_MS:.0f} ms",
        together <= COMPARED_MS,
        {"NumPy over the samples of the eight": bare},
        {"NumPy over the samples of the eight": together / bare},
        f"8 x {CHANNELS} channels at {RATE} Hz for a day",
    )
