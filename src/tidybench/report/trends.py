"""The curves of a run as drawings with axes, a strip for each channel, in SVG."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo
from math import floor, log10
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from tidybench.core.quality import Quality
from tidybench.core.samples import DTYPE
from tidybench.core.thinning import thin
from tidybench.core.values.figure import figure
from tidybench.runs.folder import SAMPLES
from tidybench.runs.run_channel import RunChannel

WIDE, HIGH = 1000, 112
"""Of a strip, in its own units."""
LEFT, RIGHT, TOP, BOTTOM = 74, 8, 8, 22

POINTS = 900

PIECE = 500_000
"""Samples that are looked through at once: memory does not grow with the run."""

STEPS_S = (
    1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200, 86_400, 172_800, 604_800, 1_209_600,
)  # fmt: skip
"""Seconds between two times of the axis."""

INKS = 6
"""Inks of curves in one strip; with more of them they begin again."""

GAP = 3.0
"""Usual intervals by which neighbours may stand apart without a gap."""


@dataclass(slots=True)
class Pace:
    """How a channel's samples came: `usual` seconds between two (the median), how far 99 % of them lie off that, in seconds, and the `gaps`: how many, and
    the longest in seconds. None with fewer than three samples."""

    usual: float | None = None
    off: float | None = None
    gaps: int = 0
    longest: float = 0.0


@dataclass(slots=True)
class Series:
    """What a channel's strip is drawn from: thinned to the lowest and highest of each pixel. Times in microseconds since 1970 UTC."""

    times: npt.NDArray[np.int64]
    values: npt.NDArray[np.float64]
    qualities: npt.NDArray[np.int64]
    pace: Pace = field(default_factory=Pace)


def series_of(folder: Path, channels: Sequence[RunChannel]) -> dict[int, Series]:
    """Of each channel, by its number; from samples.bin, a piece at a time. Raises OSError."""
    numbers = [channel.number for channel in channels]
    thinned: dict[int, list[Any]] = {number: [] for number in numbers}
    spacings: dict[int, list[Any]] = {number: [] for number in numbers}
    last: dict[int, int] = {}
    size = (folder / SAMPLES).stat().st_size // DTYPE.itemsize
    pieces = max(1, -(-size // PIECE))
    with open(folder / SAMPLES, "rb") as file:
        while len(records := np.fromfile(file, DTYPE, PIECE)):
            own = ((records["word"] >> np.uint64(8)) & np.uint64(0xFFFF)).astype(np.uint16)
            order = np.argsort(own, kind="stable")
            known = np.array(numbers, np.uint16)
            firsts = np.searchsorted(own, known, "left", sorter=order)
            behind = np.searchsorted(own, known, "right", sorter=order)
            for number, begin, end in zip(numbers, firsts, behind, strict=True):
                mine = order[begin:end]
                if not len(mine):
                    continue
                times, values = records["time"][mine], records["value"][mine]
                qualities = (records["word"][mine] & np.uint64(0xFF)).astype(np.int64)
                apart = np.diff(times, prepend=last.get(number, times[0]))
                spacings[number].append(apart if number in last else apart[1:])
                last[number] = int(times[-1])
                kept = thin(times, values, qualities, max(20, POINTS // pieces))
                thinned[number].append((times[kept], values[kept], qualities[kept]))
    found = {}
    for channel in channels:
        parts = thinned[channel.number]
        times, values, qualities = (
            (np.concatenate([part[n] for part in parts]) for n in range(3))
            if parts
            else (np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64))
        )
        every = np.concatenate(spacings[channel.number]) if spacings[channel.number] else np.empty(0)
        found[channel.number] = Series(times, values, qualities, _pace(every / 1e6, channel.interval_s))
    return found


def _pace(apart: npt.NDArray[np.float64], interval: float) -> Pace:
    if len(apart) < 3:
        return Pace()
    usual = float(np.median(apart))
    longer = apart > GAP * max(usual, interval, 1e-6)
    near = apart[~longer] if longer.any() else apart
    off = float(np.quantile(np.abs(near - usual), 0.99)) if len(near) else None
    return Pace(usual, off, int(longer.sum()), float(apart[longer].max()) if longer.any() else 0.0)


@dataclass(slots=True, frozen=True)
class Drawn:
    """Over a curve: times in microseconds since 1970 UTC."""

    times: Sequence[int]
    values: Sequence[float]
    dots: bool = False


@dataclass(slots=True, frozen=True)
class Axis:
    """The stretch of time that all strips share, and what stands along it."""

    start: int
    end: int
    zone: tzinfo
    marks: Sequence[int] = ()

    def place(self, at: float) -> float:
        """Where a time lies, in a strip's units."""
        return LEFT + (at - self.start) / max(self.end - self.start, 1) * (WIDE - LEFT - RIGHT)

    def ticks(self) -> list[tuple[float, str]]:
        """Places and words of the axis, at whole times of its zone."""
        seconds = (self.end - self.start) / 1e6
        step = STEPS_S[min(bisect_left(STEPS_S, seconds / 7), len(STEPS_S) - 1)]
        shift = datetime.fromtimestamp(self.start / 1e6, self.zone).utcoffset()
        offset = shift.total_seconds() if shift is not None else 0.0
        first = -(-(self.start / 1e6 + offset) // step) * step - offset
        found = []
        day = ""
        at = first
        while at * 1e6 <= self.end:
            local = datetime.fromtimestamp(at, self.zone)
            words = local.strftime("%H:%M:%S" if step < 60 else "%H:%M")
            if local.strftime("%Y-%m-%d") != day:
                day = local.strftime("%Y-%m-%d")
                words = f"{day} {words}"
            found.append((self.place(at * 1e6), words))
            at += step
        return found


def strip(
    channel: RunChannel,
    series: Series,
    axis: Axis,
    over: Sequence[Drawn] = (),
    beside: Sequence[Series] = (),
    inks: Sequence[int] = (),
) -> str:
    """One channel over time: its curve, broken where nothing was measured, its limits, what was asked of it; and the curves of other runs `beside` it, at its times. `inks`: the
    number of each curve's ink, in order where none are given."""
    if channel.states:
        low, high = -0.5, max(len(channel.states) - 0.5, 0.5)
        ticks = [(float(n), word) for n, word in enumerate(channel.states)]
    else:
        shown = np.concatenate([one.values[_measured(one)] for one in (series, *beside)])
        low, high = _range(shown, channel.decimals)
        ticks = [(value, figure(round(value, 9)).replace("-", "−")) for value in round_values(low, high)]

    def up(value: float) -> float:
        return TOP + (high - value) / (high - low) * (HIGH - TOP - BOTTOM)

    out = [f'<svg class="strip" viewBox="0 0 {WIDE} {HIGH}" role="img" aria-label="{escaped(channel.name)}">']
    out.append(
        f'<rect class="field" x="{LEFT}" y="{TOP}" width="{WIDE - LEFT - RIGHT}" height="{HIGH - TOP - BOTTOM}"/>'
    )
    for value, words in ticks:
        out.append(
            f'<line class="grid" x1="{LEFT}" x2="{WIDE - RIGHT}" y1="{up(value):.1f}" y2="{up(value):.1f}"/>'
        )
        out.append(
            f'<text x="{LEFT - 6}" y="{up(value) + 4:.1f}" text-anchor="end">{escaped(words[:12])}</text>'
        )
    out += [
        f'<line class="grid" x1="{x:.1f}" x2="{x:.1f}" y1="{TOP}" y2="{HIGH - BOTTOM}"/>'
        for x, _ in axis.ticks()
    ]
    for limit in (channel.low, channel.high):
        if limit is not None and low <= limit <= high:
            out.append(
                f'<line class="limit" x1="{LEFT}" x2="{WIDE - RIGHT}" y1="{up(limit):.1f}" y2="{up(limit):.1f}"/>'
            )
    out += [
        f'<line class="mark" x1="{axis.place(at):.1f}" x2="{axis.place(at):.1f}" y1="{TOP}" y2="{HIGH - BOTTOM}"/>'
        for at in axis.marks
    ]
    out += [
        f'<path class="curve c{(inks[place] if inks else place) % INKS}" d="{_path(channel, one, _measured(one), axis, up)}"/>'
        for place, one in reversed(list(enumerate((series, *beside))))
    ]
    for one in over:
        places = [(axis.place(at), up(value)) for at, value in zip(one.times, one.values, strict=True)]
        if one.dots:
            out += [f'<circle class="over" cx="{x:.1f}" cy="{y:.1f}" r="4"/>' for x, y in places]
        else:
            out.append(
                '<path class="over" d="'
                + "".join(f"{'L' if n else 'M'}{x:.1f} {y:.1f}" for n, (x, y) in enumerate(places))
                + '"/>'
            )
    out += _times(axis)
    out.append("</svg>")
    return "".join(out)  # fmt: skip


def _measured(series: Series) -> npt.NDArray[np.bool_]:
    return (series.qualities <= Quality.FLAGGED) & np.isfinite(series.values)


def _times(axis: Axis) -> list[str]:
    """The axis of time below a curve."""
    out = []
    free = 0.0
    for x, words in axis.ticks():
        half = 3.1 * len(words)
        at = min(max(x, half), WIDE - half)
        if at - half >= free:
            out.append(f'<text x="{at:.1f}" y="{HIGH - 6}" text-anchor="middle">{words}</text>')
            free = at + half + 8
    return out


def _path(channel: RunChannel, series: Series, measured: npt.NDArray[np.bool_], axis: Axis, up: Any) -> str:
    pixel = (axis.end - axis.start) / (WIDE - LEFT - RIGHT)
    patience = max(GAP * channel.interval_s * 1e6, 1.5e6, 2.5 * pixel)
    out: list[str] = []
    before = None
    for at, value, good in zip(series.times.tolist(), series.values.tolist(), measured.tolist(), strict=True):
        if not good:
            before = None
            continue
        x, y = axis.place(at), up(value)
        joined = before is not None and at - before <= patience
        if joined and channel.states:
            out.append(f"H{x:.1f}V{y:.1f}")
        elif joined:
            out.append(f"L{x:.1f} {y:.1f}")
        else:
            out.append(f"M{x:.1f} {y:.1f}h.01")  # one alone is a dot
        before = at
    return "".join(out)


def _range(shown: npt.NDArray[np.float64], decimals: int) -> tuple[float, float]:
    if not len(shown):
        return 0.0, 1.0
    low, high = float(shown.min()), float(shown.max())
    least = 20 * 10.0**-decimals
    if high - low < least:
        middle = (high + low) / 2
        low, high = middle - least / 2, middle + least / 2
    room = (high - low) * 0.06
    return low - room, high + room


def round_values(low: float, high: float) -> list[float]:
    """Some round numbers between two others."""
    span = high - low
    power = 10.0 ** floor(log10(span / 4))
    step = next(power * n for n in (1, 2, 5, 10) if power * n >= span / 4)
    first = -(-low // step) * step
    return [first + step * n for n in range(8) if first + step * n <= high]


def escaped(text: str) -> str:
    """As it stands in SVG."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace('"', "&quot;")
