"""Where a switching point would lie, and how often it would have switched."""

import numpy as np

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, StretchOverlay, answered, said
from tidybench.core.analysis.scatter import sampled
from tidybench.core.analysis.stretch import AnalysisError, Array, Stretch

BARS = 256

DRAWN = 400
"""Switchings that are drawn."""


def switching(stretch: Stretch, level: float | None = None, hysteresis: float | None = None) -> StretchAnswer:
    """How often a switch at `level` would have switched: on above it, off again below it by `hysteresis`. None: a level between the two kinds of
    values there are, and six times the scatter of single samples. Raises AnalysisError."""
    stretch.wants(8)
    x, y = stretch.seconds, stretch.values
    if float(np.ptp(y)) == 0:
        raise AnalysisError(f"{stretch.name} is the same all the time: it would never switch.")
    noise = sampled(y)
    proposed = level is None
    at = two_kinds(y) if level is None else level
    width = 6 * noise if hysteresis is None else hysteresis
    if width < 0:
        raise AnalysisError("A hysteresis is at least 0.")
    times = _switchings(y, at, width)
    without = len(_switchings(y, at, 0.0))
    above, below = y[y > at], y[y <= at]
    if not len(above) or not len(below):
        raise AnalysisError(
            f"{stretch.name} is never on both sides of {said(at, stretch.unit)}: it would not have switched. It goes from "
            f"{said(float(y.min()), stretch.unit)} to {said(float(y.max()), stretch.unit)}."
        )
    unit = stretch.unit
    room = float(above.min() - below.max())
    often = {0: "never", 1: "once"}.get(len(times), f"{len(times)} times")
    return answered(
        stretch,
        f"{stretch.name}: at {said(at, unit)}, {said(width, unit)} of hysteresis, it would have switched {often}",
        [
            StretchFigure(name="Switching point", value=at, unit=unit),
            StretchFigure(name="Hysteresis", value=width, unit=unit),
            StretchFigure(name="Switched", value=float(len(times)), decimals=0),
            StretchFigure(name="Switched without hysteresis", value=float(without), decimals=0),
            StretchFigure(name="Nearest value above", value=float(above.min()), unit=unit, decimals=stretch.decimals),
            StretchFigure(name="Nearest value below", value=float(below.max()), unit=unit, decimals=stretch.decimals),
            StretchFigure(name="Free between them", value=room, unit=unit),
        ],
        ("The switching point parts the values into the two groups that differ most for their spread (Otsu, 1979). " if proposed else "")
        + f"On above it; off again {said(width, unit)} below it. " + (f"Six times the scatter of single samples, {said(noise, unit)}, is taken for the hysteresis." if hysteresis is None else ""),
        [
            StretchOverlay(channel=stretch.id, times=[stretch.at(float(x[0])), stretch.at(float(x[-1]))], values=[at, at]),
            StretchOverlay(
                channel=stretch.id, dots=True,
                times=[stretch.at(float(x[one])) for one in times[:DRAWN]], values=[float(y[one]) for one in times[:DRAWN]],
            ),
        ],
    )  # fmt: skip


def two_kinds(values: Array) -> float:
    """The level that parts values into two groups so that the variance between them is the greatest (N. Otsu, IEEE Trans. Syst. Man Cybern. 9, 1979). Where
    several do alike, the middle of them."""
    counts, edges = np.histogram(values, BARS)
    middles = (edges[:-1] + edges[1:]) / 2
    below = np.cumsum(counts)
    above = below[-1] - below
    sums = np.cumsum(counts * middles)
    with np.errstate(divide="ignore", invalid="ignore"):
        between = below * above * (sums / below - (sums[-1] - sums) / above) ** 2
    between = np.nan_to_num(between[:-1])
    best = np.flatnonzero(between >= between.max() * (1 - 1e-9))
    return float(edges[1 + int(best[0])] + edges[1 + int(best[-1])]) / 2


def _switchings(y: Array, level: float, hysteresis: float) -> list[int]:
    """Where it would have switched, on or off: what it is at first switches nothing."""
    state = np.where(y > level, 1, np.where(y <= level - hysteresis, -1, 0))
    known = np.flatnonzero(state)
    changes = np.flatnonzero(np.diff(state[known])) + 1
    return [int(one) for one in known[changes]]
