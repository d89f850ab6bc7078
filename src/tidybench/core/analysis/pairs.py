"""Two channels: one against the other, and by how much one is later."""

import math

import numpy as np

from tidybench.core.analysis.answer import (
    StretchAnswer,
    StretchFigure,
    StretchPlot,
    answered,
    said,
)
from tidybench.core.analysis.scatter import straight
from tidybench.core.analysis.stretch import AnalysisError, Array, Stretch

DRAWN = 2000
"""Pairs that are drawn."""

MOST = 200_000
"""Places of the grid on which two channels are laid."""

LATEST = 0.5
"""Share of the stretch by which one channel may be later."""

ALIKE = 0.6
"""Correlation below which two channels do not move alike: by chance two slow ones reach a good part of that."""


def beside(stretch: Stretch, other: Stretch) -> tuple[Array, Array, Array]:
    """Times (seconds after the stretch's origin) and values of a channel where the other one's is known: between two of its measured samples in a
    straight line, never across a gap. Raises AnalysisError."""
    stretch.wants(3)
    x = stretch.seconds
    theirs, use = between(other, x, stretch.origin)
    if use.sum() < 3:
        raise AnalysisError(
            f"{stretch.name} and {other.name} have no samples at the same time in this stretch."
        )
    return x[use], stretch.values[use], theirs[use]


def between(
    other: Stretch, x: Array, origin: int
) -> tuple[Array, "np.ndarray[tuple[int], np.dtype[np.bool_]]"]:
    """Values of a channel at `x` seconds after `origin` (microseconds since 1970 UTC), between its measured samples in a straight line, and where they are known: never across a gap.
    Raises AnalysisError."""
    other.wants(3)
    theirs = other.seconds + (other.origin - origin) / 1e6
    after = np.searchsorted(theirs, x, side="left")
    known = (after > 0) & (after < len(theirs))
    exact = theirs[np.minimum(after, len(theirs) - 1)] == x
    bridged = np.zeros(len(x), np.bool_)
    bridged[known] = (theirs[after[known]] - theirs[after[known] - 1]) <= other.age
    return np.interp(x, theirs, other.values), exact | bridged


def against(stretch: Stretch, other: Stretch) -> StretchAnswer:
    """A channel over another one, with a straight line. Raises AnalysisError."""
    _, y, x = beside(stretch, other)
    if float(np.ptp(x)) == 0:
        raise AnalysisError(f"{other.name} is the same all the time: nothing can be drawn over it.")
    steep, steep_u, mean, mean_u, explained, about = straight(x, y)
    zero = mean - steep * float(x.mean())
    zero_u = math.hypot(mean_u, steep_u * float(x.mean()))
    few = np.linspace(0, len(x) - 1, min(len(x), DRAWN)).astype(int)
    ends = [float(x.min()), float(x.max())]
    rate = f"{stretch.unit or '1'}/{other.unit}" if other.unit else stretch.unit
    return answered(
        stretch,
        f"{stretch.name} over {other.name}: {said(steep, rate, steep_u)}, r² {explained:.3g}",
        [
            StretchFigure(name="Slope", value=steep, unit=rate, uncertainty=steep_u),
            StretchFigure(name=f"At {other.name} = 0", value=zero, unit=stretch.unit, uncertainty=zero_u),
            StretchFigure(name="r²", value=explained),
            StretchFigure(name="Deviation about the line", value=about, unit=stretch.unit),
        ],
        f"{len(x)} pairs: {stretch.name} as sampled, {other.name} between its samples in a straight line, never across a gap of more than {said(other.age, 's')}. Straight line by "
        f"least squares, all scatter counted to {stretch.name}.",
        plot=StretchPlot(
            kind="dots", over=other.name, over_unit=other.unit, quantity=stretch.name, unit=stretch.unit,
            xs=x[few].tolist(), ys=y[few].tolist(),
            line_xs=ends, line_ys=[zero + steep * one for one in ends],
        ),
    )  # fmt: skip


def delay(stretch: Stretch, other: Stretch) -> StretchAnswer:
    """By how much a channel is later than another one. Raises AnalysisError."""
    stretch.wants(20)
    other.wants(20)
    offset = (other.origin - stretch.origin) / 1e6
    begin = max(float(stretch.seconds[0]), float(other.seconds[0]) + offset)
    end = min(float(stretch.seconds[-1]), float(other.seconds[-1]) + offset)
    spacing = max(stretch.interval, other.interval)
    if end - begin < 20 * spacing or spacing <= 0:
        raise AnalysisError(
            f"{stretch.name} and {other.name} have fewer than twenty samples in common. Choose a longer stretch."
        )
    grid_step = max(spacing / 4, (end - begin) / MOST)
    count = int((end - begin) / grid_step) + 1
    grid = begin + grid_step * np.arange(count)
    mine = np.interp(grid, stretch.seconds, stretch.values)
    theirs = np.interp(grid, other.seconds + offset, other.values)
    for one, values in ((stretch, mine), (other, theirs)):
        if float(np.ptp(values)) == 0:
            raise AnalysisError(
                f"{one.name} does not change in this stretch: it can be neither sooner nor later."
            )
    lags, alike = _correlation(mine, theirs)
    best = int(np.argmax(np.abs(alike)))
    if best in (0, len(alike) - 1) or abs(alike[best]) < ALIKE:
        raise AnalysisError(
            f"{stretch.name} and {other.name} do not move alike in this stretch (correlation at most {abs(alike[best]):.2f}): there is no delay."
        )
    left, middle, right = np.abs(alike[best - 1 : best + 2])
    curve = left - 2 * middle + right
    late = (float(lags[best]) + (0.5 * (left - right) / curve if curve else 0.0)) * grid_step
    opposite = "" if alike[best] > 0 else ", in the other direction"
    within = spacing / math.sqrt(12)
    if abs(late) <= within:
        order = f"{stretch.name} and {other.name} move at the same time, within {said(within, 's', digits=2)}"
    elif late > 0:
        order = f"{stretch.name} comes {said(late, 's', within)} after {other.name}"
    else:
        order = f"{stretch.name} comes {said(-late, 's', within)} before {other.name}"
    few = np.linspace(0, len(lags) - 1, min(len(lags), DRAWN)).astype(int)
    return answered(
        stretch,
        f"{order}{opposite} (correlation {float(alike[best]):.2f})".replace("-", "−"),
        [
            StretchFigure(name=f"{stretch.name} later by", value=late, unit="s", uncertainty=within),
            StretchFigure(name="Correlation there", value=float(alike[best])),
        ],
        f"Highest correlation of both, each less its mean, on a grid of {said(grid_step, 's')} (samples joined by straight lines, across gaps too), the maximum by a parabola. Its uncertainty is that of when "
        f"samples are taken: the longer interval, {said(spacing, 's')}, over √12.",
        plot=StretchPlot(
            kind="line", over=f"{stretch.name} later by", over_unit="s", quantity="Correlation", unit="",
            xs=(lags[few] * grid_step).tolist(), ys=alike[few].tolist(),
        ),
    )  # fmt: skip


def _correlation(mine: Array, theirs: Array) -> tuple[Array, Array]:
    """The correlation coefficient for each lag of the first, up to half the stretch; over the places that both have at that lag."""
    from scipy.signal import fftconvolve  # takes its time to come

    count = len(mine)
    most = int(count * LATEST)
    lags = np.arange(-most, most + 1)

    def sums(first: Array, second: Array) -> Array:
        whole: Array = fftconvolve(first, second[::-1])
        return whole[count - 1 - most : count + most]

    one = np.ones(count)
    mine, theirs = mine - mine.mean(), theirs - theirs.mean()
    both = count - np.abs(lags)
    first, second = sums(mine, one), sums(one, theirs)
    cross = sums(mine, theirs) - first * second / both
    own = np.maximum(sums(mine**2, one) - first**2 / both, 0)
    other = np.maximum(sums(one, theirs**2) - second**2 / both, 0)
    scale = np.sqrt(own * other)
    least = 1e-9 * float(scale.max() or 1.0)
    return lags.astype(float), np.where(scale > least, cross / np.maximum(scale, least), 0.0)
