"""Row `report`: a day of a run as one page that prints."""

import json
import tempfile
import time
from pathlib import Path

import numpy as np

from measure.clerk import BEGUN, CHANNELS, DAY, RATE, ended_run
from measure.result import Result, median
from tidybench.core.samples import DTYPE
from tidybench.report.run_report import report
from tidybench.runs.folder import SAMPLES, SUMMARY

WITHIN = 2.0
"""Seconds."""


def _bare(folder: Path) -> float:
    """Seconds for reading the same samples, and each channel's lowest, highest and mean, by NumPy."""
    begun = time.perf_counter()
    records = np.fromfile(folder / SAMPLES, DTYPE)
    number = (records["word"] >> np.uint64(8)) & np.uint64(0xFFFF)
    for n in range(1, CHANNELS + 1):
        own = records["value"][number == n]
        assert own.min() <= own.mean() <= own.max()
    return time.perf_counter() - begun


def report_day() -> Result:
    """Sixteen channels at 10 Hz for 24 hours, from the folder to the page; beside NumPy over the same samples."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "run"
        ended_run(folder, DAY)
        channels = [
            {"id": f"c{n}", "samples": RATE * DAY, "measured": RATE * DAY} for n in range(1, CHANNELS + 1)
        ]
        (folder / SUMMARY).write_text(json.dumps({"channels": channels}))
        ours, bare = [], []
        for _ in range(3):
            begun = time.perf_counter()
            page = report(folder, at=BEGUN)
            ours.append(time.perf_counter() - begun)
            bare.append(_bare(folder))
        if page.count('class="strip"') != CHANNELS:
            raise RuntimeError("a channel is missing")
    took, beside = median(ours), median(bare)
    return Result(
        "report",
        took,
        "s",
        f"24 h of {CHANNELS} channels at {RATE} Hz in {WITHIN:.0f} s",
        took <= WITHIN,
        {"reading and three figures a channel by NumPy": beside},
        {"reading and three figures a channel by NumPy": took / beside},
        f"{CHANNELS * RATE * DAY / 1e6:.1f} M samples",
    )
