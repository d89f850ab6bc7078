"""Rows `rows` and `seal`: what a run's row rule takes, and how fast its files are summed up."""

import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

from measure.result import Result
from tidybench.core.batch import Batch
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState, write_state
from tidybench.runs.seal import seal, verify

CHANNELS, SECONDS, ROUNDS = 100, 60, 5
BEGUN = 1_795_416_792_000_000
SEALED = 1 << 30


def _state(rule: RowRule) -> RunState:
    channels = [
        RunChannel(
            number=n, id=f"c{n}", name=f"Channel {n}", unit="V", decimals=3, interval_s=0.1, instrument="i",
            instrument_name="I", scale=1, offset=0, low=None, high=None,
        )
        for n in range(1, CHANNELS + 1)
    ]  # fmt: skip
    return RunState(
        id="r", bench="b", name="n", begun_at=BEGUN, csv="c.csv", row_rule=rule, channels=channels
    )


def _batches() -> Iterator[tuple[int, Batch]]:
    """100 channels at 10 Hz for a minute, each with its own message."""
    for n in range(SECONDS * 10):
        for channel in range(1, CHANNELS + 1):
            at = BEGUN + n * 100_000 + channel * 900
            made = Batch()
            made.add(channel, 0, at, (n * channel % 997) / 7)
            yield at, made


def _made(rule: RowRule, batches: list[tuple[int, Batch]]) -> tuple[float, int]:
    """Seconds that the rows took, and how many there were."""
    maker, rows = make_rule(_state(rule)), 0
    begun = time.perf_counter()
    for at, batch in batches:
        rows += len(maker.feed(at, batch))
    rows += len(maker.finish(BEGUN + (SECONDS + 1) * 1_000_000))
    return time.perf_counter() - begun, rows


def rows() -> Result:
    """Rows of mean, minimum and maximum every second, beside the plain rule's (the latest at the channels' own 10 Hz), of the same
    samples."""
    batches = list(_batches())
    means = RowRule(every_s=1, values=["mean", "minimum", "maximum"])
    ours, plain = [], []
    for _ in range(ROUNDS):
        took, count = _made(means, batches)
        ours.append(took)
        plain.append(_made(RowRule(), batches)[0])
        assert SECONDS <= count <= SECONDS + 2
    ratio = median(ours) / median(plain)
    return Result(
        "rows",
        CHANNELS * SECONDS * 10 / median(ours) / 1000,
        "k samples/s",
        "under 1.5 x the plain rule's time",
        ratio < 1.5,
        {"the plain rule, s": median(plain)},
        {"the plain rule, s": ratio},
        f"{CHANNELS} channels at 10 Hz",
    )


def seal_row() -> Result:
    """A run of 1 GB sealed, beside sha256sum of the same files."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_state(folder, _state(RowRule()))
        piece = bytes(range(256)) * 4096
        for file, share in (("samples.bin", 0.4), ("tape.jsonl", 0.35), ("c.csv", 0.25)):
            with open(folder / file, "wb") as out:
                for _ in range(int(SEALED * share) // len(piece)):
                    out.write(piece)
        ours, bare = [], []
        for _ in range(3):
            begun = time.perf_counter()
            manifest = seal(folder)
            ours.append(time.perf_counter() - begun)
            names = [one.path for one in manifest.files]
            begun = time.perf_counter()
            subprocess.run(["sha256sum", *names], cwd=folder, check=True, stdout=subprocess.DEVNULL)
            bare.append(time.perf_counter() - begun)
        assert verify(folder).problems == []
    size = sum(one.size for one in manifest.files) / 1e6
    speed, beside = size / median(ours), size / median(bare)
    return Result(
        "seal",
        speed,
        "MB/s",
        "at least 0.8 x sha256sum",
        speed >= 0.8 * beside,
        {"sha256sum": beside},
        {"sha256sum": speed / beside},
    )
