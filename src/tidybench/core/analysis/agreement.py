"""Whether a run is like another one: its difference, and whether it stays within a band about it."""

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
from tidybench.core.analysis.pairs import beside
from tidybench.core.analysis.stretch import AnalysisError, Stretch

DRAWN = 1500


def agreement(
    stretch: Stretch, reference: Stretch, allowed: float | None = None, percent: float | None = None
) -> StretchAnswer:
    """A channel less that of a reference, both by the reference's time. `allowed`: how far it may lie off, in its unit, and `percent`: of the reference's value; of both
    whichever is more. Without any there is no verdict. Raises AnalysisError."""
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
    overlays: list[StretchOverlay] = []
    words = f"{stretch.name}: {said(float(apart.mean()), unit)} off on the mean, {said(float(apart[farthest]), unit)} at most"
    band = ""
    few = np.unique(np.linspace(0, len(x) - 1, min(len(x), DRAWN)).astype(int))
    if allowed is not None or percent is not None:
        wide = np.maximum(allowed or 0.0, np.abs(expected) * (percent or 0.0) / 100)
        outside = np.flatnonzero(np.abs(apart) > wide)
        share = 1 - len(outside) / len(x)
        results.insert(0, StretchFigure(name="Inside the band", value=_floored(share * 100), unit="%"))
        band = " and ".join(
            one for one in (said(allowed, unit) if allowed is not None else "", f"{percent:g} %" if percent is not None else "") if one
        )  # fmt: skip
        if len(outside):
            first = stretch.at(float(x[outside[0]]))
            results.insert(
                1,
                StretchFigure(
                    name="First outside",
                    value=float(apart[outside[0]]),
                    unit=unit,
                    decimals=decimals,
                    at=first,
                ),
            )
            words = f"{stretch.name}: outside ± {band}, inside for {_floored(share * 100):g} %"
        else:
            words = f"{stretch.name}: within ± {band}"
        times = [stretch.at(float(one)) for one in x[few]]
        overlays = [
            StretchOverlay(channel=reference.id, times=times, values=(expected + sign * wide)[few].tolist())
            for sign in (-1, 1)
        ]
    return answered(
        stretch,
        words,
        results,
        f"{len(x)} samples less the reference, which is taken between its measured samples in a straight line, never across a gap of more than {said(reference.age, 's')}; "
        f"{len(stretch.seconds) - len(x)} samples have no reference beside them."
        + (f" The band: ± {band} of the reference{', whichever is more' if allowed is not None and percent is not None else ''}." if band else ""),
        overlays,
        StretchPlot(
            kind="line", over="Time after the beginning of the stretch", over_unit="s", quantity="Difference", unit=unit,
            xs=(x[few] - x[0]).tolist(), ys=apart[few].tolist(),
        ),
    )  # fmt: skip


def _floored(percent: float) -> float:
    """All of it is said only where it is all of it."""
    return 100.0 if percent == 100 else min(99.99, math.floor(percent * 100) / 100)
