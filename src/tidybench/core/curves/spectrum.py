"""The spectrum of a curve that was sampled over time."""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tidybench.core.curves.analysis import CurveError
from tidybench.core.values.curve import CurveColumn

Array = npt.NDArray[np.float64]

LEAST = 16
"""Samples that a spectrum wants."""

UNEVEN = 0.5
"""Share of the mean spacing by which samples may stand off an even grid, as a standard deviation."""

PEAKS = 5
"""Peaks that are told."""

SECONDS = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "us": 1e-6, "min": 60.0, "h": 3600.0}


@dataclass(slots=True, frozen=True)
class SpectrumOf:
    """`amplitudes` of sines, over `frequencies` in Hz; `peaks`: the frequencies of the highest, the highest first."""

    frequencies: Array
    amplitudes: Array
    peaks: list[float]
    method: str


def spectrum(x: Array, y: Array, over: CurveColumn, quantity: CurveColumn) -> SpectrumOf:
    """Amplitudes by Welch's method (P. D. Welch, IEEE Trans. Audio Electroacoust. 15, 1967): Hann windows that overlap by half, each with its mean
    taken off, scaled so that a sine stands with its amplitude. Raises CurveError."""
    from scipy.signal import find_peaks, welch  # takes its time to come

    second = SECONDS.get(over.unit)
    if second is None:
        raise CurveError(f"The curve is over {over.name}, not over time: it has no spectrum.")
    good = np.isfinite(x) & np.isfinite(y)
    missing = int(len(x) - good.sum())
    x, y = x[good] * second, y[good]
    if len(x) < LEAST:
        raise CurveError(f"{len(x)} samples are too few for a spectrum: it wants {LEAST}.")
    span = float(x[-1] - x[0])
    if span <= 0 or (np.diff(x) < 0).any():
        raise CurveError(f"{over.name} does not rise from row to row: there is no spectrum.")
    rate = (len(x) - 1) / span
    off = float(np.std(x - np.linspace(x[0], x[-1], len(x)))) * rate
    if off > UNEVEN and missing:
        raise CurveError(
            f"{missing} samples are missing: those that are there are too uneven for a spectrum."
        )
    size = len(y) if len(y) < 512 else max(256, 2 ** int(math.log2(len(y) / 4)))
    frequencies, power = welch(y, rate, "hann", size, detrend="constant", scaling="spectrum")
    amplitudes = np.sqrt(2 * power)
    amplitudes[0] = math.sqrt(power[0])
    found, _ = find_peaks(amplitudes, prominence=0.05 * float(amplitudes[1:].max() or 1.0))
    peaks = sorted((int(one) for one in found), key=lambda n: -amplitudes[n])[:PEAKS]
    windows = max(1, 1 + (len(y) - size) // (size // 2))
    words = (
        f"{quantity.name}: {len(y)} samples, {rate:.5g} a second on the mean; Welch, {'1 Hann window' if windows == 1 else f'{windows} Hann windows'} of "
        f"{size}, lines {rate / size:.3g} Hz apart. A sine stands with its amplitude. What is faster than {rate / 2:.4g} Hz is folded "
        "into it (aliasing) and cannot be told from what is slower."
    )
    if missing:
        words += (
            " 1 sample that was not measured is"
            if missing == 1
            else f" {missing} samples that were not measured are"
        )
        words += " left out."
    if off > UNEVEN / 5:
        words += f" The samples stand off an even grid by {off:.2g} of their spacing (arrival times do): peaks are blurred by that."
    return SpectrumOf(frequencies, amplitudes, [float(frequencies[n]) for n in peaks], words)
