"""Slope, and the fit of an exponential."""

import math

import numpy as np

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, StretchOverlay, answered, said
from tidybench.core.analysis.scatter import independent, straight
from tidybench.core.analysis.stretch import AnalysisError, Stretch

EXPLAINED = 0.5
"""Share of the variance that a fit must explain, else it is none."""

DRAWN = 120
"""Points of a line that is drawn."""

SCATTER = (
    "Uncertainties are standard (k = 1), by the scatter about the line; neighbours that are alike count for less (r of one sample with the next, n (1 − r) / (1 + r) "
    "independent ones; Bayley and Hammersley, 1946)."
)


def per(span: float) -> tuple[str, float]:
    """The unit of time that a change over so many seconds is told by, and its seconds."""
    if span >= 1800:
        return "h", 3600.0
    return ("min", 60.0) if span >= 30 else ("s", 1.0)


def slope(stretch: Stretch) -> StretchAnswer:
    """By least squares. Raises AnalysisError."""
    stretch.wants(3)
    x, y = stretch.seconds, stretch.values
    if stretch.span <= 0:
        raise AnalysisError(f"All samples of {stretch.name} have the same time: there is no slope.")
    steep, steep_u, mean, mean_u, explained, about = straight(x, y)
    unit, seconds = per(stretch.span)
    rate = f"{stretch.unit or '1'}/{unit}"
    middle = float(x.mean())
    ends = np.array([x[0], x[-1]])
    change, change_u = steep * stretch.span, steep_u * stretch.span
    return answered(
        stretch,
        f"{stretch.name}: {said(steep * seconds, rate, steep_u * seconds)}, r² {explained:.3g}",
        [
            StretchFigure(name="Slope", value=steep * seconds, unit=rate, uncertainty=steep_u * seconds),
            StretchFigure(
                name="Change over the stretch", value=change, unit=stretch.unit, uncertainty=change_u
            ),
            StretchFigure(name="Mean", value=mean, unit=stretch.unit, uncertainty=mean_u),
            StretchFigure(name="r²", value=explained),
            StretchFigure(name="Deviation about the line", value=about, unit=stretch.unit),
        ],
        f"Straight line by least squares through {len(x)} samples. {SCATTER}",
        [
            StretchOverlay(
                channel=stretch.id,
                times=[stretch.at(float(one)) for one in ends],
                values=(mean + steep * (ends - middle)).tolist(),
            )
        ],
    )


def exponential(stretch: Stretch) -> StretchAnswer:
    """y = end + (start - end) exp(-t / tau): how a system of first order goes to its end value. Raises AnalysisError."""
    from scipy.optimize import curve_fit  # takes its time to come

    stretch.wants(8)
    x, y = stretch.seconds, stretch.values
    span = stretch.span
    if span <= 0 or float(np.ptp(y)) == 0:
        raise AnalysisError(f"{stretch.name} does not change in this stretch: there is nothing to fit.")

    def model(t: np.ndarray, start: float, end: float, rate: float) -> np.ndarray:
        return end + (start - end) * np.exp(-t * rate)

    head, tail = float(np.median(y[: max(1, len(y) // 20)])), float(np.median(y[-max(1, len(y) // 10) :]))
    best = None
    for rate in (1 / span, 3 / span, 10 / span, 40 / span):
        try:
            found, covariance = curve_fit(model, x, y, (head, tail, rate), maxfev=4000)
        except RuntimeError:
            continue
        left = float(np.sum((y - model(x, *found)) ** 2))
        if best is None or left < best[0]:
            best = (left, found, covariance)
    whole = float(np.sum((y - y.mean()) ** 2))
    none = (
        f"No exponential fits {stretch.name} in this stretch. Choose one that begins where the change begins and goes on until it is nearly "
        "over, without a second step in it."
    )
    if best is None or not np.isfinite(best[2]).all():
        raise AnalysisError(none)
    left, (start, end, rate), covariance = best
    explained = 1 - left / whole
    if rate <= 0 or rate * span < 0.3 or explained < EXPLAINED:
        raise AnalysisError(none)
    residuals = y - model(x, start, end, rate)
    wider = math.sqrt(len(x) / independent(residuals))
    start_u, end_u, rate_u = (float(one) * wider for one in np.sqrt(np.diag(covariance)))
    tau, tau_u = 1 / rate, rate_u / rate**2
    unit, seconds = ("s", 1.0) if tau < 300 else ("min", 60.0) if tau < 18_000 else ("h", 3600.0)
    line = np.linspace(float(x[0]), float(x[-1]), DRAWN)
    return answered(
        stretch,
        f"{stretch.name}: time constant {said(tau / seconds, unit, tau_u / seconds)}, to {said(end, stretch.unit, end_u)}",
        [
            StretchFigure(
                name="Time constant τ", value=tau / seconds, unit=unit, uncertainty=tau_u / seconds
            ),
            StretchFigure(name="End value", value=end, unit=stretch.unit, uncertainty=end_u),
            StretchFigure(name="Value at the beginning", value=start, unit=stretch.unit, uncertainty=start_u),
            StretchFigure(name="r²", value=explained),
        ],
        f"y = end + (start − end) · exp(−t/τ), t from the first of {len(x)} samples, by least squares (Levenberg and Marquardt). {SCATTER}",
        [
            StretchOverlay(
                channel=stretch.id,
                times=[stretch.at(float(one)) for one in line],
                values=model(line, start, end, rate).tolist(),
            )
        ],
    )
