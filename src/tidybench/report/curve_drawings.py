"""The curves of a run that are not against time of day, as drawings with axes, in SVG."""

from collections.abc import Sequence
from math import ceil, floor, log10
from pathlib import Path

import numpy as np
import numpy.typing as npt
from markupsafe import Markup

from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.core.values.figure import figure
from tidybench.report.trends import escaped, round_values
from tidybench.runs.curves import read_rows

WIDE, HIGH = 1000, 204
"""Of a drawing, in its own units."""
LEFT, RIGHT, TOP, BOTTOM = 74, 8, 24, 34

MOST_POINTS = 2000
MOST_QUANTITIES = 6
"""Quantities of one curve that are drawn."""

Array = npt.NDArray[np.float64]


def curve_drawings(folder: Path, curve: Curve) -> list[Markup]:
    """One for each quantity of a curve, over its first column. Raises OSError, ValueError."""
    rows = read_rows(folder, curve)
    over, quantities = curve.columns[0], curve.columns[1:]
    return [
        Markup(_drawing(over, rows[0], one, _unwrapped(one, rows[place])))
        for place, one in enumerate(quantities[:MOST_QUANTITIES], 1)
    ]


def _unwrapped(column: CurveColumn, values: Array) -> Array:
    """Without jumps by a whole turn, where it is drawn so."""
    if not column.unwrap:
        return values
    turn = 2 * np.pi if column.unit in ("rad", "") else 360.0
    out, good = values.copy(), np.isfinite(values)
    out[good] = np.unwrap(values[good], period=turn)
    return out


def _drawing(over: CurveColumn, xs: Array, quantity: CurveColumn, ys: Array) -> str:
    xlog, ylog = over.scale == "logarithmic", quantity.scale == "logarithmic"
    good = np.isfinite(xs) & np.isfinite(ys)
    good &= (xs > 0) | (not xlog)
    good &= (ys > 0) | (not ylog)
    title = f"{quantity.title} over {over.title}"
    if good.sum() < 1:
        return f'<p class="quiet">{escaped(title)}: nothing was measured.</p>'
    x, y = _axis(xs[good], xlog), _axis(ys[good], ylog)

    def place(value: float, horizontal: bool) -> float:
        (low, high), log = (x, xlog) if horizontal else (y, ylog)
        share = (
            (log10(value) - log10(low)) / (log10(high) - log10(low)) if log else (value - low) / (high - low)
        )
        return (
            LEFT + share * (WIDE - LEFT - RIGHT)
            if horizontal
            else HIGH - BOTTOM - share * (HIGH - TOP - BOTTOM)
        )

    out = [f'<svg class="strip" viewBox="0 0 {WIDE} {HIGH}" role="img" aria-label="{escaped(title)}">']
    out.append(
        f'<rect class="field" x="{LEFT}" y="{TOP}" width="{WIDE - LEFT - RIGHT}" height="{HIGH - TOP - BOTTOM}"/>'
    )
    for value in _ticks(y, ylog):
        at = place(value, False)
        out.append(f'<line class="grid" x1="{LEFT}" x2="{WIDE - RIGHT}" y1="{at:.1f}" y2="{at:.1f}"/>')
        out.append(f'<text x="{LEFT - 6}" y="{at + 4:.1f}" text-anchor="end">{_words(value)}</text>')
    for value in _ticks(x, xlog):
        at = place(value, True)
        out.append(f'<line class="grid" x1="{at:.1f}" x2="{at:.1f}" y1="{TOP}" y2="{HIGH - BOTTOM}"/>')
        out.append(f'<text x="{at:.1f}" y="{HIGH - 19}" text-anchor="middle">{_words(value)}</text>')
    out.append(f'<text x="{LEFT}" y="{TOP - 7}">{escaped(quantity.title)}</text>')
    out.append(f'<text x="{WIDE - RIGHT}" y="{HIGH - 4}" text-anchor="end">{escaped(over.title)}</text>')
    few = np.unique(np.linspace(0, len(xs) - 1, min(len(xs), MOST_POINTS)).astype(int))
    path, joined = [], False
    for n in few:
        if not good[n]:
            joined = False
            continue
        spot = f"{place(float(xs[n]), True):.1f} {place(float(ys[n]), False):.1f}"
        path.append(f"L{spot}" if joined else f"M{spot}h.01")
        joined = True
    out.append(f'<path class="curve c0" d="{"".join(path)}"/></svg>')
    return "".join(out)


def _axis(values: Array, log: bool) -> tuple[float, float]:
    low, high = float(values.min()), float(values.max())
    if log:
        return (low / 1.1, high * 1.1) if low == high else (low, high)
    if low == high:
        room = abs(low) * 0.05 or 1.0
        return low - room, high + room
    return low, high


def _ticks(axis: tuple[float, float], log: bool) -> Sequence[float]:
    low, high = axis
    if not log:
        return round_values(low, high)
    decades = [10.0**n for n in range(ceil(log10(low) - 1e-9), floor(log10(high) + 1e-9) + 1)]
    if len(decades) > 1:
        return decades
    return [one for n in range(floor(log10(low)), ceil(log10(high)) + 1) for k in (1, 2, 5) if low <= (one := k * 10.0**n) <= high]  # fmt: skip


def _words(value: float) -> str:
    return figure(float(f"{value:.9g}")).replace("-", "−")
