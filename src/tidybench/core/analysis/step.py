"""The answer to a step: rise, settling, overshoot."""

import numpy as np

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, StretchOverlay, answered, said
from tidybench.core.analysis.scatter import sampled
from tidybench.core.analysis.stretch import AnalysisError, Array, Stretch

SETTLED = 0.02
"""Share of the step within which it counts as settled, where no band is given."""


def step(stretch: Stretch, band: float | None = None) -> StretchAnswer:
    """Rise time from 10 to 90 per cent, settling time into `band` (in the channel's unit, to either side) about the end value, overshoot; the levels
    are those of the first and the last tenth of the stretch. Raises AnalysisError."""
    stretch.wants(20)
    x, y = stretch.seconds, stretch.values
    tenth = max(2, len(y) // 10)
    low, high = float(np.median(y[:tenth])), float(np.median(y[-tenth:]))
    size = high - low
    noise = sampled(y)
    if abs(size) <= 4 * noise or size == 0:
        raise AnalysisError(
            f"{stretch.name} ends where it began, within its scatter: there is no step. Choose a stretch that begins before the step and ends when "
            "it is over."
        )
    share = (y - low) / size
    begin, half, top = (_passed(x, share, level) for level in (0.1, 0.5, 0.9))
    within = band if band is not None else SETTLED * abs(size)
    outside = np.flatnonzero(np.abs(y - high) > within)
    if not len(outside):
        raise AnalysisError(
            f"{stretch.name} is within {said(within, stretch.unit)} all the time: choose a narrower band."
        )
    last = int(outside[-1])
    if last + 1 >= len(y):
        raise AnalysisError(
            f"{stretch.name} is still outside ± {said(within, stretch.unit)} at the end of the stretch: choose a longer stretch, or a wider band."
        )
    settled = float(x[last + 1])
    onset = max(float(x[0]), begin - (top - begin) / 8)
    over = float(share.max() - 1) if share.max() > 1 else 0.0
    most = int(np.argmax(share))
    unit = stretch.unit
    return answered(
        stretch,
        f"{stretch.name}: rise {said(top - begin, 's')}, settled {said(settled - onset, 's')} after it began, overshoot {said(over * 100, '%', digits=3)}",
        [
            StretchFigure(name="Rise time, 10 to 90 %", value=top - begin, unit="s", at=stretch.at(top)),
            StretchFigure(name="Settling time", value=settled - onset, unit="s", at=stretch.at(settled)),
            StretchFigure(name="Overshoot", value=over * 100, unit="%", at=stretch.at(float(x[most]))),
            StretchFigure(name="Step", value=size, unit=unit),
            StretchFigure(name="Before", value=low, unit=unit),
            StretchFigure(name="After", value=high, unit=unit),
            StretchFigure(name="Half way", value=half, unit="s", at=stretch.at(half)),
        ],
        "Levels: medians of the first and the last tenth of the stretch. Rise: from the first passing of 10 % to that of 90 %, between samples in a straight line "
        "(IEC 60469). The step begins where the line through 10 and 90 % leaves the first level. Settling: until it stays within "
        f"± {said(within, unit)} of the last level{'' if band is not None else ', 2 % of the step'}. Overshoot: the farthest beyond the last level; the "
        f"scatter of single samples, {said(noise, unit)}, is in it.",
        [
            StretchOverlay(channel=stretch.id, times=[stretch.at(begin), stretch.at(top), stretch.at(settled)],
                           values=[low + 0.1 * size, low + 0.9 * size, float(y[last + 1])], dots=True)
        ],
    )  # fmt: skip


def _passed(x: Array, share: Array, level: float) -> float:
    """When it was first at a level, between samples in a straight line."""
    place = int(np.argmax(share >= level))
    if place == 0:
        return float(x[0])
    before, after = float(share[place - 1]), float(share[place])
    return float(x[place - 1] + (x[place] - x[place - 1]) * (level - before) / (after - before))
