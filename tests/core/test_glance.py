"""The look round before a run begins, in words."""

import pytest

from tidybench.core.plan.glance import (
    ClockState,
    Room,
    SleepState,
    of_calibrations,
    of_clock,
    of_disk,
    of_paths,
    of_sleep,
    size,
)
from tidybench.core.values.finding import Finding


@pytest.mark.parametrize(
    ("found", "well", "words"),
    [
        (of_paths(["Flow", "Power"], []), True, "Readings come from 2 instruments."),
        (of_paths(["Flow"], []), True, "Readings come from Flow."),
        (of_paths(["Flow"], ["Flow: no reply."]), False, "Flow: no reply."),
        (of_calibrations([]), True, "No calibration is overdue."),
        (of_calibrations(["A was due.", "B was due."]), False, "A was due. B was due."),
        (of_disk(Room("/r", 10**9, 1e3, 3600)), True, "The run needs about 3.6 MB; 1 GB are free."),
        (of_disk(Room("/r", 10**9, 1e6, 1000)), False, "The run needs about 1 GB; 1 GB are free."),
        (
            of_disk(Room("/r", 10**9, 1e3, None)),
            True,
            "The run needs about 86.4 MB a day; 1 GB are free, enough for 12 days.",
        ),
        (
            of_disk(Room("/r", 10**9, 1e5, None)),
            False,
            "The run needs about 8.64 GB a day; 1 GB are free, enough for 3 hours.",
        ),
        (of_disk(Room("/r", 10**12, 1, None)), True, "The run needs about 86.4 kB a day; 1 TB are free."),
        (of_disk(Room("/r", 10**9, 0.0, None)), True, "The run needs about 0 bytes a day; 1 GB are free."),
        (of_clock(ClockState(True, 0.0123)), True, "The computer's clock is synchronised, within 0.012 s."),
        (of_sleep(SleepState(False, "there is no x")), True, "This computer does not sleep."),
        (of_sleep(SleepState(True)), True, "The computer is kept awake while the run is on."),
    ],
)
def test_its_words(found: Finding, well: bool, words: str) -> None:
    assert (found.well, found.words) == (well, words)
    assert bool(found.todo) is not well


def test_what_is_not_known_stands_against_nothing() -> None:
    for found in (of_disk(Room("/r", 10**9, None, 60)), of_clock(ClockState(None))):
        assert found.well
        assert "known" in found.words


def test_each_that_is_not_well_says_what_to_do() -> None:
    assert "Make room in /runs" in of_disk(Room("/runs", 100, 1e3, 60)).todo
    assert "clock you trust" in of_clock(ClockState(False)).todo
    found = of_sleep(SleepState(True, "there is no systemd-inhibit"))
    assert not found.well
    assert "cannot be kept awake: there is no systemd-inhibit." in found.words
    assert "Turn its sleep off" in found.todo


def test_sizes_as_a_person_says_them() -> None:
    assert [size(one) for one in (12, 3_400, 41_200_000_000, 2e12)] == [
        "12 bytes",
        "3.4 kB",
        "41.2 GB",
        "2 TB",
    ]
