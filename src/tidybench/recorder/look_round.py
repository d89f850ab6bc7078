"""The look round before a run begins."""

from collections.abc import Callable, Collection, Sequence
from pathlib import Path

from tidybench.core.plan.ends import Ends, clock_time
from tidybench.core.plan.glance import (
    Room,
    SleepState,
    of_calibrations,
    of_clock,
    of_disk,
    of_paths,
    of_sleep,
)
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.finding import Finding
from tidybench.recorder.clock_sync import clock_state
from tidybench.recorder.ring import SampleRing, TapeRing
from tidybench.runs.need import Need
from tidybench.runs.run_channel import RunChannel
from tidybench.wire.instruments import InstrumentStatus
from tidybench.wire.status import Status

WINDOW = 20_000_000
"""Microseconds of memory that rates are measured over."""

MOST = 2_000
"""Samples that rows are made of for it."""


class LookRound:
    """Any thread."""

    def __init__(
        self,
        runs: Path,
        samples: SampleRing,
        tape: TapeRing,
        free_bytes: Callable[[], int],
        sleep: Callable[[], SleepState],
    ) -> None:
        self._runs, self._samples, self._tape = runs, samples, tape
        self._free_bytes, self._sleep = free_bytes, sleep

    def __call__(
        self,
        plan: RunPlan,
        status: Status,
        channels: Sequence[RunChannel],
        numbers: Collection[int],
        same_since: int,
    ) -> list[Finding]:
        """What is found. `channels`: those that are to have columns; `numbers` of all channels; `same_since`: from when on what is in memory
        means what it means now, in microseconds."""
        return [
            of_paths([one.name for one in status.instruments], _stopped(status.instruments)),
            of_calibrations([one.words for one in status.overdue]),
            of_disk(self._room(plan, status.at, channels, numbers, same_since)),
            of_clock(clock_state()),
            of_sleep(self._sleep()),
        ]

    def _room(
        self,
        plan: RunPlan,
        now: int,
        channels: Sequence[RunChannel],
        numbers: Collection[int],
        same_since: int,
    ) -> Room:
        since, samples = self._samples.records(max(now - WINDOW, same_since), numbers, MOST)
        need = Need(channels, plan.row_rule, samples, self._tape.since(since), since, now)
        seconds = _planned(plan.ends, now, need.rows_per_s)
        return Room(str(self._runs), self._free_bytes(), need.bytes_per_s, seconds)


def _stopped(instruments: Sequence[InstrumentStatus]) -> list[str]:
    """A sentence for each instrument that gives no readings."""
    found = []
    for one in instruments:
        stage = next((stage for stage in one.stages if stage.state == "stopped"), None)
        if stage is not None:
            found.append(f"{one.name}: {stage.sentence}")
    return found


def _planned(ends: Ends, now: int, rows_per_s: float | None) -> float | None:
    """How many seconds it is at the most; None where nothing limits it."""
    limits = [ends.after_s] if ends.after_s is not None else []
    if ends.at is not None:
        limits.append((clock_time(ends.at, now) - now) / 1e6)
    if ends.rows is not None and rows_per_s:
        limits.append(ends.rows / rows_per_s)
    return min(limits, default=None)
