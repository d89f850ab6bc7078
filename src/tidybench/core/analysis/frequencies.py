"""What a channel swings at."""

from tidybench.core.analysis.answer import StretchAnswer, StretchFigure, StretchPlot, answered, said
from tidybench.core.analysis.scatter import straight
from tidybench.core.analysis.stretch import AnalysisError, Stretch
from tidybench.core.curves.analysis import CurveError
from tidybench.core.curves.spectrum import spectrum
from tidybench.core.values.curve import CurveColumn

MAINS = (50.0, 60.0)
HARMONICS = 10

LOWEST = 2.5
"""Lines of a spectrum from zero below which a peak is slow change, no swing."""


def frequencies(stretch: Stretch) -> StretchAnswer:
    """Its spectrum, with the mains where a peak is theirs. Raises AnalysisError."""
    stretch.wants(16)
    if stretch.span <= 0:
        raise AnalysisError(f"All samples of {stretch.name} have the same time: there is no spectrum.")
    drift, _, mean, _, _, _ = straight(stretch.seconds, stretch.values)
    level = mean + drift * (stretch.seconds - stretch.seconds.mean())
    try:
        found = spectrum(
            stretch.seconds, stretch.values - level, CurveColumn(name="Time", unit="s"),
            CurveColumn(name=stretch.name, unit=stretch.unit),
        )  # fmt: skip
    except CurveError as error:
        raise AnalysisError(str(error)) from None
    rate = (len(stretch.seconds) - 1) / stretch.span
    width = float(found.frequencies[1])
    at = {float(f): float(a) for f, a in zip(found.frequencies, found.amplitudes, strict=True)}
    peaks = [one for one in found.peaks if one > LOWEST * width]
    results = [
        StretchFigure(name=_named(one, rate, width), value=at[one], unit=stretch.unit) for one in peaks
    ]
    highest = f"strongest at {said(peaks[0], 'Hz')}" if peaks else "nothing stands out"
    return answered(
        stretch,
        f"{stretch.name}: {highest}{_mains(peaks[0], rate, width) if peaks else ''}",
        results,
        f"A straight line is taken off first, and what swings fewer than {LOWEST:g} times in a window is no peak. {found.method}",
        plot=StretchPlot(
            kind="line", over="Frequency", over_unit="Hz", quantity=f"Amplitude of {stretch.name}", unit=stretch.unit,
            xs=found.frequencies.tolist(), ys=found.amplitudes.tolist(),
        ),
    )  # fmt: skip


def _named(frequency: float, rate: float, width: float) -> str:
    return f"At {said(frequency, 'Hz')}{_mains(frequency, rate, width)}"


def _mains(frequency: float, rate: float, width: float) -> str:
    """Whether a peak may be the mains' or a harmonic of theirs, folded into what can be seen at this rate or not."""
    for mains in MAINS:
        for harmonic in range(1, HARMONICS + 1):
            true = mains * harmonic
            seen = abs(true - rate * round(true / rate))
            if abs(seen - frequency) <= width / 2 and seen > 2 * width:
                which = f"{mains:g} Hz mains" if harmonic == 1 else f"{true:g} Hz, of {mains:g} Hz mains"
                return f" ({which})" if true <= rate / 2 else f" (may be {which}, folded down)"
    return ""
