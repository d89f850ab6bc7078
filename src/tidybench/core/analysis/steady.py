"""When a channel was steady."""

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, StretchOverlay, answered, said
from tidybench.core.analysis.scatter import sampled
from tidybench.core.analysis.stretch import AnalysisError, Stretch
from tidybench.core.plan.steadiness import MIN_SAMPLES, Steadiness

MOST = 400_000
"""Samples that are looked at one by one."""

SPELLS = 8
"""Spells that are told."""


def steady(stretch: Stretch, band: float | None = None, hold_s: float | None = None) -> StretchAnswer:
    """When it was within `band` (highest less lowest) for `hold_s` seconds; None: ten times the scatter of single samples, at least two digits, and a twentieth of the
    stretch. The same notion as at the readouts and ends of runs. Raises AnalysisError."""
    stretch.wants(MIN_SAMPLES)
    taken = stretch.all
    if len(taken.times) > MOST:
        raise AnalysisError(
            f"The stretch has {len(taken.times)} samples of {stretch.name}: choose one with at most {MOST} for this question."
        )
    wide = max(10 * sampled(stretch.values), 2 * 10.0**-stretch.decimals) if band is None else band
    span = stretch.span / 20 if hold_s is None else hold_s
    if wide <= 0 or span <= 0:
        raise AnalysisError("The band and the time are more than 0.")
    if span > stretch.span:
        raise AnalysisError(
            f"The stretch is {said(stretch.span, 's')} long: shorter than the {said(span, 's')} it should be steady for."
        )
    for_us = round(span * 1e6)
    watch = Steadiness(for_us, wide, round(stretch.age * 1e6))
    spells: list[list[int]] = []
    holding = False
    for at, value, quality in zip(
        taken.times.tolist(), taken.values.tolist(), taken.qualities.tolist(), strict=True
    ):
        watch.take(at, quality, value)
        if not watch.holds(at):
            holding = False
        elif holding:
            spells[-1][1] = at
        else:
            spells.append([at - for_us, at])
            holding = True
    meant = f"within {said(wide, stretch.unit)} for {said(span, 's')}"
    method = (
        f"Steady: over {said(span, 's')} every sample was measured, none was missing for longer than {said(stretch.age, 's')}, and highest and lowest were at most "
        f"{said(wide, stretch.unit)} apart: as at the readouts and the ends of runs."
    )
    if not spells:
        return answered(
            stretch,
            f"{stretch.name} was never steady ({meant})",
            [StretchFigure(name="Spells", value=0, decimals=0)],
            method,
        )
    first = stretch.at(0.0)
    held = holding and spells[-1][1] == int(taken.times[-1])
    return answered(
        stretch,
        f"{stretch.name} was steady from {said((spells[-1 if held else 0][0] - first) / 1e6, 's')} after the beginning of the stretch" + (", and stayed so" if held else f", {len(spells)} times in all" if len(spells) > 1 else ""),
        [
            StretchFigure(name="Spells", value=float(len(spells)), decimals=0),
            *(StretchFigure(name=f"Steady for (spell {n})", value=(end - start) / 1e6, unit="s", at=start) for n, (start, end) in enumerate(spells[:SPELLS], 1)),
        ],
        method,
        [
            StretchOverlay(channel=stretch.id, times=spell, values=[_mean(stretch, spell)] * 2)
            for spell in spells[:SPELLS]
        ],
    )  # fmt: skip


def _mean(stretch: Stretch, spell: list[int]) -> float:
    begin, end = ((one - stretch.origin) / 1e6 for one in spell)
    inside = (stretch.seconds >= begin) & (stretch.seconds <= end)
    return float(stretch.values[inside].mean())
