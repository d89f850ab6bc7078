"""What a channel adds up to over time: energy of a power, volume of a flow."""

import numpy as np

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, answered, said
from tidybench.core.analysis.stretch import AnalysisError, Stretch

PER = {"/s": 1.0, "/min": 60.0, "/h": 3600.0}


def total(stretch: Stretch) -> StretchAnswer:
    """The integral over time between measured neighbours; gaps add nothing, and are told. Raises AnalysisError."""
    stretch.wants(2)
    x, y = stretch.seconds, stretch.values
    apart = np.diff(x)
    joined = apart <= stretch.age
    seconds = float(np.sum((apart * (y[1:] + y[:-1]) / 2)[joined]))
    covered = float(apart[joined].sum())
    if covered <= 0:
        raise AnalysisError(
            f"No two samples of {stretch.name} are near enough to each other to add anything up."
        )
    unit, by = next(
        ((stretch.unit[: -len(end)], by) for end, by in PER.items() if stretch.unit.endswith(end)), ("", 0.0)
    )
    if not by:
        unit, by = f"{stretch.unit}·h" if stretch.unit else "h", 3600.0
    gaps = int((~joined).sum())
    beyond = (
        f", without {said(stretch.span - covered, 's')} in {'one gap' if gaps == 1 else f'{gaps} gaps'}"
        if gaps
        else ""
    )
    return answered(
        stretch,
        f"{stretch.name}: {said(seconds / by, unit, digits=6)} in {said(covered, 's')}{beyond}",
        [
            StretchFigure(name="Total", value=seconds / by, unit=unit),
            StretchFigure(name="Mean over time", value=seconds / covered, unit=stretch.unit),
            StretchFigure(name="Time it covers", value=covered, unit="s"),
            StretchFigure(name="Gaps", value=float(gaps), decimals=0),
        ],
        f"Trapezoids between {len(x)} samples; neighbours more than {said(stretch.age, 's')} apart are a gap, in which nothing is added.",
    )
