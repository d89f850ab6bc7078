"""Runs the measurements: python -m measure [--json] [ROW …]."""

import json
import os
import platform
import sys
import time
from dataclasses import asdict

from measure.acquisition import poll, poll_destinations, poll_plan, stream, wire
from measure.calculated import calculated
from measure.captures import capture
from measure.clerk import clerk
from measure.command import read_start
from measure.curves import curve
from measure.disk import slow_disk
from measure.flood import flood_32, flood_32_destinations, flood_32_plan
from measure.forward import forward
from measure.growth import growth
from measure.lateness import jitter, jitter_64, jitter_destinations, jitter_plan, jitter_user
from measure.logbook import logbook
from measure.long_run import compare_8, run_150m
from measure.machine import calmest, with_stolen
from measure.page import bundle, first_load, render, web_32
from measure.procedure import procedure
from measure.reaction import reaction
from measure.reading import hostile, propose_200, propose_odd, read_binary, read_eight, read_four
from measure.recovery import recovery, tape_size
from measure.report import report_day
from measure.result import Result, Row
from measure.runs import rows, seal_row
from measure.screen import frames, frames_many, page_memory, pixel_latency, window_30d
from measure.timing import socket_latency

ROWS: dict[str, Row] = {
    "poll": poll,
    "poll-plan": poll_plan,
    "poll-destinations": poll_destinations,
    "procedure": procedure,
    "reaction": reaction,
    "stream": stream,
    "wire": wire,
    "jitter": jitter,
    "jitter-64": jitter_64,
    "jitter-user": jitter_user,
    "jitter-plan": jitter_plan,
    "jitter-destinations": jitter_destinations,
    "socket-latency": socket_latency,
    "flood-32": flood_32,
    "flood-32-plan": flood_32_plan,
    "flood-32-destinations": flood_32_destinations,
    "slow-disk": slow_disk,
    "recovery": recovery,
    "tape-size": tape_size,
    "rows": rows,
    "seal": seal_row,
    "clerk": clerk,
    "report": report_day,
    "logbook-10k": logbook,
    "run-150m": run_150m,
    "compare-8": compare_8,
    "read-four": read_four,
    "read-eight": read_eight,
    "read-binary": read_binary,
    "hostile": hostile,
    "propose": propose_200,
    "propose-odd": propose_odd,
    "read-start": read_start,
    "calculated": calculated,
    "capture": capture,
    "curve": curve,
    "forward": forward,
    "frames": frames,
    "frames-128": frames_many,
    "window-30d": window_30d,
    "pixel-latency": pixel_latency,
    "page-memory": page_memory,
    "web-32": web_32,
    "render": render,
    "first-load": first_load,
    "bundle": bundle,
    "growth": growth,
}

LATENESS = {
    "socket-latency",
    "pixel-latency",
    "frames",
    "frames-128",
    "first-load",
    "capture",
    "slow-disk",
}
"""Rows that a host which takes the cores away spoils altogether."""


def main() -> int:
    """Measure, print, and give 1 where a target was missed."""
    names = [argument for argument in sys.argv[1:] if not argument.startswith("-")]
    unknown = [name for name in names if name not in ROWS]
    if unknown:
        print(f"There is no row “{unknown[0]}”. Rows: {', '.join(ROWS)}.", file=sys.stderr)
        return 2
    results = []
    as_json = "--json" in sys.argv
    for name in names or list(ROWS):
        result = (calmest if name in LATENESS else with_stolen)(ROWS[name], time.monotonic)
        results.append(result)
        if not as_json:
            print(line(result), flush=True)
    if as_json:
        print(json.dumps([asdict(result) for result in results], indent=1, ensure_ascii=False))
    else:
        print(f"({platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()})")
    return 0 if all(result.met for result in results) else 1


def line(result: Result) -> str:
    """A row as text."""
    beside = ", ".join(
        f"{result.ratios[name]:.2f} x {name} ({value:,.4g})" for name, value in result.baselines.items()
    )
    stolen = f"{result.stolen:.1%} of the cores stolen by the host" if result.stolen >= 0.001 else ""
    parts = [f"{result.name:15s} {result.value:12,.2f} {result.unit:15s}", beside, result.note, stolen]
    return f"{'met   ' if result.met else 'MISSED'} {' | '.join(p for p in parts if p)} | target: {result.target}"


if __name__ == "__main__":
    sys.exit(main())
