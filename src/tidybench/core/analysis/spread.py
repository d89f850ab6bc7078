"""Extremes, histogram, outliers: how values are spread."""

import math

import numpy as np

from tidybench.core.analysis.answer import (
    StretchAnswer,
    StretchFigure,
    StretchOverlay,
    StretchPlot,
    answered,
    said,
)
from tidybench.core.analysis.stretch import AnalysisError, Stretch

MOST_BARS = 60

NEIGHBOURS = 5
"""To either side of a sample: what it is compared with."""

OUTSIDE = 4.0
"""Deviations by which an outlier stands off the median of its neighbours."""

SHOWN = 500
"""Outliers that are drawn."""


def extremes(stretch: Stretch) -> StretchAnswer:
    """The lowest and the highest, and when. Raises AnalysisError."""
    stretch.wants(1)
    x, y = stretch.seconds, stretch.values
    low, high = int(np.argmin(y)), int(np.argmax(y))
    unit, decimals = stretch.unit, stretch.decimals
    times = [stretch.at(float(x[one])) for one in (low, high)]
    return answered(
        stretch,
        f"{stretch.name}: {said(float(y[low]), unit, digits=15)} to {said(float(y[high]), unit, digits=15)}",
        [
            StretchFigure(name="Lowest", value=float(y[low]), unit=unit, at=times[0], decimals=decimals),
            StretchFigure(name="Highest", value=float(y[high]), unit=unit, at=times[1], decimals=decimals),
            StretchFigure(name="From lowest to highest", value=float(y[high] - y[low]), unit=unit, decimals=decimals),
        ],
        f"Of {len(y)} samples; where a value comes more than once, its first time.",
        [StretchOverlay(channel=stretch.id, times=times, values=[float(y[low]), float(y[high])], dots=True)],
    )  # fmt: skip


def histogram(stretch: Stretch) -> StretchAnswer:
    """How often which values come. Raises AnalysisError."""
    stretch.wants(8)
    y = stretch.values
    low, high = float(y.min()), float(y.max())
    if low == high:
        raise AnalysisError(
            f"{stretch.name} is {said(low, stretch.unit, digits=15)} all the time: there is nothing to be spread."
        )
    digit = 10.0**-stretch.decimals
    first, third = np.quantile(y, (0.25, 0.75))
    width = 2 * float(third - first) / len(y) ** (1 / 3) or (high - low) / math.sqrt(len(y))
    width = max(width, (high - low) / MOST_BARS)
    # Whole digits: else bars of a coarse instrument hold now one of its steps, now two.
    width = max(1, round(width / digit)) * digit if width > digit / 2 else width
    left = math.floor(low / width + 0.5) * width - width / 2
    count = max(1, math.ceil((high - left) / width + 1e-9))
    edges = left + width * np.arange(count + 1)
    counts, _ = np.histogram(y, edges)
    mean, deviation = float(y.mean()), float(y.std(ddof=1))
    unit = stretch.unit
    return answered(
        stretch,
        f"{stretch.name}: median {said(float(np.median(y)), unit)}, deviation {said(deviation, unit)}",
        [
            StretchFigure(name="Mean", value=mean, unit=unit),
            StretchFigure(name="Median", value=float(np.median(y)), unit=unit),
            StretchFigure(name="Standard deviation", value=deviation, unit=unit),
            StretchFigure(name="Middle half, from", value=float(first), unit=unit),
            StretchFigure(name="Middle half, to", value=float(third), unit=unit),
            StretchFigure(name="Skewness", value=float(np.mean((y - mean) ** 3)) / float(y.std()) ** 3),
        ],
        f"{len(y)} samples in {count} bars of {said(width, unit)} (Freedman and Diaconis, 1981, in whole digits of the channel). Skewness: third moment over the cube of the deviation.",
        plot=StretchPlot(
            kind="bars", over=stretch.name, over_unit=unit, quantity="Samples", unit="",
            xs=(edges[:-1] + width / 2).tolist(), ys=[float(one) for one in counts],
        ),
    )  # fmt: skip


def outliers(stretch: Stretch) -> StretchAnswer:
    """Samples far off their neighbours: they are shown, never taken out. Raises AnalysisError."""
    from scipy.ndimage import median_filter  # takes its time to come

    stretch.wants(2 * NEIGHBOURS + 1)
    y = stretch.values
    size = 2 * NEIGHBOURS + 1
    middle = median_filter(y, size, mode="nearest")
    off = np.abs(y - middle)
    # Of all samples: within a few neighbours of a coarse instrument the deviation is often nothing.
    own = 1.4826 * np.maximum(median_filter(off, size, mode="nearest"), float(np.median(off)))
    least = 0.5 * 10.0**-stretch.decimals
    found = np.flatnonzero(off > OUTSIDE * np.maximum(own, least))
    farthest = found[np.argsort(off[found])[::-1]]
    unit = stretch.unit
    words = {0: "no sample stands", 1: "one sample stands"}.get(len(found), f"{len(found)} samples stand")
    return answered(
        stretch,
        f"{stretch.name}: {words} far off its neighbours",
        [
            StretchFigure(name="Outliers", value=float(len(found)), decimals=0),
            *(
                StretchFigure(name=f"Off by {said(float(y[one] - middle[one]), unit)}", value=float(y[one]), unit=unit, decimals=stretch.decimals,
                              at=stretch.at(float(stretch.seconds[one])))
                for one in farthest[:8]
            ),
        ],
        f"More than {OUTSIDE:g} deviations off the median of {NEIGHBOURS} neighbours to either side; the deviation is 1.4826 times the median distance from it (Hampel, 1974), at least "
        "half a digit. Nothing is taken out anywhere.",
        [
            StretchOverlay(
                channel=stretch.id, dots=True,
                times=[stretch.at(float(stretch.seconds[one])) for one in np.sort(farthest[:SHOWN])],
                values=[float(y[one]) for one in np.sort(farthest[:SHOWN])],
            )
        ] if len(found) else [],
    )  # fmt: skip
