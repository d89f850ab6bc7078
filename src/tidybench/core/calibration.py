"""What a calibration by points comes to: deviations as found and as left, the correction that its points make, what that leaves."""

from collections.abc import Sequence
from math import sqrt

from tidybench.core.channels.correction import CorrectionError, Fit, correction
from tidybench.core.channels.scaling import fitted, words
from tidybench.core.plan.calibration_plan import REFERENCE, CalibrationPlan
from tidybench.core.setup.scaling import PointsStep
from tidybench.core.units import conversion, unit_of
from tidybench.core.values.exact import Exact
from tidybench.core.values.point import Point, PointMean, Stage, Verdict
from tidybench.core.values.scatter import COVERAGE, expanded

ROUNDING = 1e-12
"""Of the values compared: a deviation that is the allowed one but for the last binary digit is within."""


class CalibrationRow(Exact):
    """One point. `reference`: the true value; `shown`: the channel's mean; `deviation`: shown less reference; `allowed`: how far it may be off; all in
    the channel's unit. `uncorrected`: the mean before the correction and the zero that were in force. `residual`: what the correction made of the points
    leaves here, true less corrected; only of points as found."""

    number: int
    stage: Stage
    name: str
    note: str
    by: str
    at: int
    void: bool
    gave_up: str
    reference: float | None
    shown: float | None
    sd: float | None
    count: int
    deviation: float | None
    allowed: float | None
    verdict: Verdict
    uncorrected: float | None
    residual: float | None = None

    @property
    def pair(self) -> tuple[float, float] | None:
        """Before the correction, and true; None where it makes no correction."""
        if self.void or self.stage != "as found" or self.reference is None or self.uncorrected is None:
            return None
        return self.uncorrected, self.reference


class StageResult(Exact):
    """What the points of a stage come to. `largest`: the largest deviation, whichever way; `verdict`: of all that count."""

    stage: Stage
    points: int
    largest: float | None
    verdict: Verdict


class Correction(Exact):
    """A correction that the points as found make. `largest`: what it leaves at most; `residual_sd`: the residuals' standard deviation by the degrees
    of freedom that are left, None for none. `expanded`: the expanded uncertainty (k = 2) of the reference and the residuals together,
    None where the reference's is not known or nothing is left to judge the residuals by."""

    step: PointsStep
    words: str
    largest: float
    residual_sd: float | None
    expanded: float | None


class Calibration(Exact):
    """A calibration by points. `no_correction`: why the points make none."""

    rows: list[CalibrationRow]
    stages: list[StageResult]
    correction: Correction | None
    no_correction: str


def calibration(
    plan: CalibrationPlan,
    unit: str,
    points: Sequence[Point],
    fit: Fit = "straight line",
    degree: int = 2,
    taken: PointsStep | None = None,
) -> Calibration:
    """`unit`: the channel's; `points`: the newest version of each; `fit`, `degree`: what is fitted to those as found; `taken`: the correction that was taken
    in, in its place."""
    rows = [_row(plan, unit, point) for point in points]
    pairs = [pair for row in rows if (pair := row.pair) is not None]
    found, why = None, ""
    try:
        step = taken if taken is not None else correction(pairs, fit, degree)
        found = _found(step, pairs, plan) if pairs else None
        scale = fitted(step)
        rows = [
            row.model_copy(update={"residual": row.pair[1] - scale(row.pair[0])})
            if row.pair is not None
            else row
            for row in rows
        ]
    except CorrectionError as error:
        why = str(error)
    stages = [one for stage in ("as found", "as left") if (one := _stage(stage, rows)) is not None]
    return Calibration(rows=rows, stages=stages, correction=found, no_correction=why)


def _row(plan: CalibrationPlan, unit: str, point: Point) -> CalibrationRow:
    mean = next((one for one in point.means if one.id == plan.channel), None)
    reference = _reference(plan, unit, point)
    shown = mean.mean if mean is not None else None
    deviation = shown - reference if shown is not None and reference is not None else None
    allowed = plan.allowed_at(reference) if reference is not None else None
    verdict: Verdict = ""
    if allowed is not None and deviation is not None:
        assert shown is not None
        assert reference is not None
        slack = ROUNDING * max(abs(shown), abs(reference))
        verdict = "within" if abs(deviation) <= allowed + slack else "beyond"
    elif plan.allowed is not None or plan.allowed_percent is not None:
        verdict = "not known"
    return CalibrationRow(
        number=point.number,
        stage=point.stage,
        name=point.name,
        note=point.note,
        by=point.by,
        at=point.until or point.at,
        void=point.void,
        gave_up=point.gave_up,
        reference=reference,
        shown=shown,
        sd=mean.sd if mean is not None else None,
        count=mean.count if mean is not None else 0,
        deviation=deviation,
        allowed=allowed,
        verdict=verdict,
        uncorrected=mean.uncorrected if mean is not None else None,
    )


def _reference(plan: CalibrationPlan, unit: str, point: Point) -> float | None:
    """The true value, in the channel's unit."""
    if plan.reference is None:
        return next((one.value for one in point.sets if one.name == REFERENCE), None)
    mean: PointMean | None = next((one for one in point.means if one.id == plan.reference), None)
    if mean is None or mean.mean is None:
        return None
    scale, offset = conversion(unit_of(mean.unit), unit_of(unit))
    return mean.mean * scale + offset


def _found(step: PointsStep, pairs: Sequence[tuple[float, float]], plan: CalibrationPlan) -> Correction:
    scale = fitted(step)
    left = [true - scale(before) for before, true in pairs]
    freedom = len(pairs) - (len(step.points) if step.fit == "between points" else step.needed)
    sd = sqrt(sum(one * one for one in left) / freedom) if freedom > 0 else None
    together = None
    if plan.reference_expanded is not None and sd is not None:
        together = expanded(plan.reference_expanded / COVERAGE, sd)
    return Correction(
        step=step, words=words(step), largest=max(map(abs, left)), residual_sd=sd, expanded=together
    )


def _stage(stage: Stage, rows: Sequence[CalibrationRow]) -> StageResult | None:
    own = [row for row in rows if row.stage == stage and not row.void]
    if not own:
        return None
    off = [abs(row.deviation) for row in own if row.deviation is not None]
    found = {row.verdict for row in own if not row.gave_up}
    order: tuple[Verdict, ...] = ("beyond", "not known", "within")
    return StageResult(
        stage=stage,
        points=len(off),
        largest=max(off) if off else None,
        verdict=next((one for one in order if one in found), ""),
    )
