"""Numbers that are the device's own time: found by how they rise beside the arrival of their messages."""

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.reading.moment import has_date, seconds_of

TICKS = (1.0, 10.0, 100.0, 1000.0, 1e6)
"""Counts a second that devices use."""

OF_UNIT = {"s": 1.0, "sec": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6}
"""Seconds of a time's unit, as it stands behind it or as it is called."""

NAMED = {**OF_UNIT, "millis": 1e-3, "micros": 1e-6, "seconds": 1.0, "secs": 1.0}
EXPLICIT = frozenset([*NAMED, "time", "uptime", "up", "ts", "tick", "ticks", "timestamp"])
"""Names that nothing but a time has."""
SURE_FROM = 1000.0
"""Counts a second from which on a number that has no name, and runs with the time, is hardly anything else."""
SHARE = 0.02
"""What a device's clock may run too fast or too slow."""

LATE = 600_000
"""Microseconds that messages may be late by chance."""

FEWEST, SPAN = 8, 2_000_000
"""Messages, and microseconds between the first and the last, from which on a count is compared with the time."""

DAY = 86_400.0
YEAR = 366 * DAY


@dataclass(slots=True, frozen=True)
class Clock:
    """How a field is the device's own time: seconds of one of its steps, and after how many seconds it begins again."""

    tick: float = 1.0
    wraps: float | None = None


def tick_of(values: Sequence[float], times: Sequence[int]) -> float | None:
    """Seconds of one step of a count that runs with the time, from what stood in messages and when they arrived (microseconds,
    0: not known); None where it does not run so, or nobody knows."""
    pairs = [(at, value) for value, at in zip(values, times, strict=True) if at]
    for (_, one), (_, other) in itertools.pairwise(pairs):
        if other < one:
            return None
    if len(pairs) < FEWEST or pairs[-1][0] - pairs[0][0] < SPAN:
        return None
    (first, begun), (last, ended) = pairs[0], pairs[-1]
    for rate in TICKS:
        elapsed = (ended - begun) / rate * 1e6
        loose = LATE + 1e6 / rate
        if abs(elapsed - (last - first)) > SHARE * (last - first) + loose or ended == begun:
            continue
        off = [(value - begun) / rate * 1e6 - (at - first) for at, value in pairs]
        if max(off) - min(off) <= SHARE * (last - first) + loose:
            return 1.0 / rate
    return None


def is_date(values: Sequence[float], tick: float, times: Sequence[int]) -> bool:
    """Whether a count is the time since 1970, give or take a year: nothing else is."""
    known = [(value, at) for value, at in zip(values, times, strict=True) if at]
    return bool(known) and all(abs(value * tick - at / 1e6) < YEAR for value, at in known)


def glued(texts: Sequence[bytes]) -> str | None:
    """The layout of times of day without anything between their digits (“093005.50”); None where they may as well be plain
    numbers, "" where nobody can know."""
    if not all(re.fullmatch(rb"\d{6}(?:\.\d+)?", text) for text in texts):
        return None
    layout = "hhmmss.f" if b"." in texts[0] else "hhmmss"
    if any(seconds_of(layout, text) is None for text in texts):
        return None
    minutes = {text[:4] for text in texts}
    return layout if len(minutes) > 1 or texts[0].startswith(b"0") else ""


def layout_of(texts: Sequence[bytes]) -> str | None:
    """The layout of dates with a time of day, as the kind datetime has it ("" for ISO 8601); None where it is not certain."""
    if all(seconds_of("", text) is not None for text in texts):
        return ""
    found = [
        re.fullmatch(rb"(\d+)([-/.])(\d+)\2(\d+) (\d\d:\d\d)(:\d\d)?(?:([.,])\d+)?", text) for text in texts
    ]
    good = [match for match in found if match is not None]
    shapes = {(m[2], len(m[1]), len(m[4]), bool(m[6]), m[7]) for m in good}
    if len(good) < len(texts) or len(shapes) != 1:
        return None
    [(sign, first, last, seconds, point)] = shapes
    part = sign.decode()
    time = " hh:mm" + (":ss" if seconds else "") + (f"{point.decode()}f" if point else "")
    if first == 4:
        days = [f"YYYY{part}MM{part}DD"]
    else:
        year = "YYYY" if last == 4 else "YY"
        days = [f"DD{part}MM{part}{year}", f"MM{part}DD{part}{year}"]
        if sign == b".":
            days = days[:1]
    fits = [day + time for day in days if all(seconds_of(day + time, text) is not None for text in texts)]
    return fits[0] if len(fits) == 1 else None


def wraps_after(layout: str) -> float | None:
    """Seconds after which a time in this layout begins again."""
    return None if has_date(layout) else DAY
