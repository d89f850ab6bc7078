"""What the machine itself takes away: time its host gave to other guests while ours wanted it."""

import os
from collections.abc import Callable
from pathlib import Path

from measure.result import Result, Row

CALM = 0.001
"""Share of stolen time up to which a row about lateness says something of the program."""

ATTEMPTS = 5


def stolen_seconds(stat: Path = Path("/proc/stat")) -> float:
    """Seconds stolen from all cores since the start (proc(5), the eighth number of the line `cpu`); 0 where unknown."""
    try:
        numbers = stat.read_text().splitlines()[0].split()[1:]
        return int(numbers[7]) / float(os.sysconf("SC_CLK_TCK"))
    except (OSError, IndexError, ValueError):
        return 0.0


def with_stolen(row: Row, clock: Callable[[], float], stolen: Callable[[], float] = stolen_seconds) -> Result:
    """Run a row; its note says which share of the cores' time the host took meanwhile."""
    began, before = clock(), stolen()
    result = row()
    cores = os.cpu_count() or 1
    result.stolen = max(0.0, stolen() - before) / max(clock() - began, 1e-9) / cores
    return result


def calmest(row: Row, clock: Callable[[], float], stolen: Callable[[], float] = stolen_seconds) -> Result:
    """A row about lateness, again until it is met or the host was calm: what counts is the run with the
    least stolen time, since no program is on time on a core that is not there."""
    results: list[Result] = []
    while len(results) < ATTEMPTS:
        results.append(with_stolen(row, clock, stolen))
        if results[-1].stolen <= CALM:
            break
    best = min(results, key=lambda result: result.stolen)
    if len(results) > 1:
        best.note += f"; the calmest of {len(results)} runs"
    return best
