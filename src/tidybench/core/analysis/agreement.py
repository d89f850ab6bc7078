"""Whether a run is like another one: its difference, and whether it stays within a band about it."""

import math
from dataclasses import dataclass

import numpy as np

from tidybench.core.analysis.answer import (
    StretchAnswer,
    StretchFigure,
    StretchOverlay,
    StretchPlot,
    answered,
    said,
)
from tidybench.core.analysis.band import Band
from tidybench.core.analysis.pairs import beside
from tidybench.core.analysis.stretch import AnalysisError, Array, Stretch

DRAWN = 1500

OUTSIDE = "First outside"
"""The figure that only an answer has which left its band."""


def has_left(answer: StretchAnswer) -> bool:
    """Whether a band was left."""
    return any(one.name == OUTSIDE for one in answer.results)


def agreement(stretch: Stretch, reference: Stretch, band: Band | None = None) -> StretchAnswer:
    """A channel less that of a reference, both by the reference's time, and whether it stays within a band. Raises AnalysisError."""
    if stretch.unit != reference.unit:
        raise AnalysisError(
            f"{stretch.name} is in {stretch.unit or 'no unit'} and the reference in {reference.unit or 'no unit'}: they cannot be compared."
        )
    x, y, expected = beside(stretch, reference)
    apart = y - expected
    unit, decimals = stretch.unit, stretch.decimals
    farthest = int(np.argmax(np.abs(apart)))
    results = [
        StretchFigure(name="Mean difference", value=float(apart.mean()), unit=unit),
        StretchFigure(name="Deviation of the difference", value=float(apart.std(ddof=1)), unit=unit),
        StretchFigure(
            name="Farthest off", value=float(apart[farthest]), unit=unit, decimals=decimals, at=stretch.at(float(x[farthest])),
        ),
    ]  # fmt: skip
    words = f"{stretch.name}: {said(float(apart.mean()), unit)} off on the mean, {said(float(apart[farthest]), unit)} at most"
    method = (
        f"{len(x)} samples less the reference, which is taken between its measured samples in a straight line, never across a gap of more than {said(reference.age, 's')}; "
        f"{len(stretch.seconds) - len(x)} samples have no reference beside them."
    )
    overlays: list[StretchOverlay] = []
    if band is not None:
        verdict = _verdict(stretch, x, y, expected, band, reference.id)
        words, overlays = verdict.words, verdict.overlays
        results = [*verdict.results, *results]
        method = f"{method} {verdict.method}"
    xs, ys = _broken(x, apart, max(stretch.age, reference.age))
    return answered(
        stretch,
        words,
        results,
        method,
        overlays,
        StretchPlot(
            kind="line", over="Time after the beginning of the stretch", over_unit="s", quantity="Difference", unit=unit,
            xs=xs, ys=ys,
        ),
    )  # fmt: skip


def within(stretch: Stretch, band: Band, channel: str) -> StretchAnswer:
    """Whether a channel stays within a band that needs no reference. `channel`: the id that its edges are drawn over. Raises AnalysisError."""
    stretch.wants(3)
    verdict = _verdict(stretch, stretch.seconds, stretch.values, stretch.values, band, channel)
    return answered(
        stretch,
        verdict.words,
        verdict.results,
        f"{len(stretch.seconds)} samples. {verdict.method}",
        verdict.overlays,
    )


@dataclass(slots=True, frozen=True)
class _Verdict:
    words: str
    results: list[StretchFigure]
    overlays: list[StretchOverlay]
    method: str


def _verdict(stretch: Stretch, x: Array, y: Array, expected: Array, band: Band, channel: str) -> _Verdict:
    edges = band.over(x, stretch.origin, expected)
    if edges.known.sum() < 3:
        raise AnalysisError(f"{stretch.name} has no samples where there is a band ({band.words}).")
    x, y, lower, upper = (one[edges.known] for one in (x, y, edges.lower, edges.upper))
    outside = np.flatnonzero((y < lower) | (y > upper))
    share = _floored((1 - len(outside) / len(x)) * 100)
    results = [StretchFigure(name="Inside the band", value=share, unit="%")]
    if len(outside):
        first = outside[0]
        beyond = float(y[first] - (lower[first] if y[first] < lower[first] else upper[first]))
        results += [
            StretchFigure(
                name=OUTSIDE,
                value=float(y[first]),
                unit=stretch.unit,
                decimals=stretch.decimals,
                at=stretch.at(float(x[first])),
            ),
            # As many digits as it has to be: a thousandth beyond is not nothing beyond.
            StretchFigure(name="beyond the edge by", value=beyond, unit=stretch.unit),
        ]
        words = f"{stretch.name}: outside {band.words}, inside for {share:g} %"
    else:
        words = f"{stretch.name}: within {band.words}"
    few = _few(len(x))
    times = [stretch.at(float(one)) for one in x[few]]
    overlays = [
        StretchOverlay(channel=channel, times=times, values=edge[few].tolist())
        for edge in (lower, upper)
        if np.isfinite(edge).all()
    ]
    left = len(edges.known) - len(x)
    more = f"; {left} samples lie where there is none" if left else ""
    return _Verdict(words, results, overlays, f"The band: {band.words}{more}.")


def _broken(x: Array, ys: Array, age: float) -> tuple[list[float], list[float | None]]:
    """A line that is not drawn across gaps, in few points: seconds after the first, and values, None where it is broken."""
    few = _few(len(x))
    gaps = np.r_[0, np.cumsum(np.diff(x) > age)][few]
    out_x: list[float] = []
    out_y: list[float | None] = []
    for n, place in enumerate(few.tolist()):
        if n and gaps[n] > gaps[n - 1]:
            out_x.append(float(x[place] - x[0]))
            out_y.append(None)
        out_x.append(float(x[place] - x[0]))
        out_y.append(float(ys[place]))
    return out_x, out_y


def _few(count: int) -> "np.ndarray[tuple[int], np.dtype[np.int64]]":
    return np.unique(np.linspace(0, count - 1, min(count, DRAWN)).astype(np.int64))


def _floored(percent: float) -> float:
    """All of it is said only where it is all of it."""
    return 100.0 if percent == 100 else min(99.99, math.floor(percent * 100) / 100)
