"""What a question about a stretch found."""

from math import floor, log10
from typing import Literal

from pydantic import BaseModel

from tidybench.core.analysis.stretch import Stretch
from tidybench.core.values.figure import figure


class StretchFigure(BaseModel):
    """One figure: `uncertainty` is standard (k = 1), by the scatter of the samples alone; None where it cannot be told. `at`: the time that it
    belongs to, in microseconds since 1970 UTC. `decimals`: how many are shown; None for as many as it has to be."""

    name: str
    value: float
    unit: str = ""
    uncertainty: float | None = None
    at: int | None = None
    decimals: int | None = None


class StretchOverlay(BaseModel):
    """Drawn over the curve of a channel, by its id: a line through `values` at `times` (microseconds since 1970 UTC), or dots."""

    channel: str
    times: list[int]
    values: list[float]
    dots: bool = False


class StretchPlot(BaseModel):
    """A diagram of its own: `ys` over `xs`, null where a line is broken, with a line through it where there is one."""

    kind: Literal["line", "bars", "dots"]
    over: str
    over_unit: str
    quantity: str
    unit: str
    xs: list[float]
    ys: list[float | None]
    line_xs: list[float] = []
    line_ys: list[float] = []


class StretchAnswer(BaseModel):
    """What was found of `samples` measured ones from `start` to `end` (the outermost that were taken, microseconds since 1970 UTC); `left_out`
    were not measured. `words`: in one line; `method`: how, with its source."""

    words: str
    results: list[StretchFigure]
    method: str
    start: int
    end: int
    samples: int
    left_out: int
    overlays: list[StretchOverlay] = []
    plot: StretchPlot | None = None


def answered(
    stretch: Stretch,
    words: str,
    results: list[StretchFigure],
    method: str,
    overlays: list[StretchOverlay] | None = None,
    plot: StretchPlot | None = None,
) -> StretchAnswer:
    """An answer of these samples, at least one."""
    return StretchAnswer(
        words=words,
        results=results,
        method=method,
        start=stretch.at(float(stretch.seconds[0])),
        end=stretch.at(float(stretch.seconds[-1])),
        samples=len(stretch.seconds),
        left_out=stretch.left_out,
        overlays=overlays or [],
        plot=plot,
    )


def said(value: float, unit: str = "", uncertainty: float | None = None, digits: int = 4) -> str:
    """A figure as it stands in a sentence: with an uncertainty, both to two digits of that."""
    behind = f" {unit}" if unit else ""
    if uncertainty is None or not uncertainty > 0:
        return figure(float(f"{value:.{digits}g}")).replace("-", "−") + behind
    power = floor(log10(max(abs(value), uncertainty)))
    if power < -4 or power > 7:
        return f"({_both(value / 10**power, uncertainty / 10**power)}) × 10{str(power).translate(_RAISED)}{behind}"
    return _both(value, uncertainty) + behind


_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def _both(value: float, uncertainty: float) -> str:
    places = max(0, 1 - floor(log10(uncertainty)))
    return f"{value:.{places}f} ± {uncertainty:.{places}f}".replace("-", "−")
