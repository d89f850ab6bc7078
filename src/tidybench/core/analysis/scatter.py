"""How far a figure is uncertain by the scatter of samples that are alike to their neighbours."""

import math

import numpy as np

from tidybench.core.analysis.stretch import Array


def independent(residuals: Array) -> float:
    """So many of these are independent of each other: fewer than there are, where neighbours are alike. By their correlation r with the next one,
    n (1 - r) / (1 + r), at least 3 (Bayley and Hammersley, J. Roy. Statist. Soc. Suppl. 8, 1946, for a chain of first order)."""
    n = len(residuals)
    own = float(residuals @ residuals)
    if n < 4 or own <= 0:
        return float(n)
    alike = float(residuals[1:] @ residuals[:-1]) / own
    if alike <= 0:
        return float(n)
    return max(3.0, n * (1 - alike) / (1 + alike))


def straight(x: Array, y: Array) -> tuple[float, float, float, float, float, float]:
    """The straight line through points by least squares: slope, its standard uncertainty, the value at the mean of x, its standard uncertainty, the share of
    variance that it explains (r squared), and the standard deviation about it. x must not be all the same."""
    n = len(x)
    middle, mean = float(x.mean()), float(y.mean())
    apart, off = x - middle, y - mean
    wide = float(apart @ apart)
    slope = float(apart @ off) / wide
    residuals = off - slope * apart
    left, whole = float(residuals @ residuals), float(off @ off)
    count = independent(residuals)
    about = math.sqrt(left / max(n - 2, 1))
    spread = about * math.sqrt(n / count) if n > 2 else 0.0
    explained = 1 - left / whole if whole > 0 else 1.0
    return slope, spread / math.sqrt(wide), mean, spread / math.sqrt(n), explained, about


def sampled(values: Array) -> float:
    """The scatter of single samples, whatever slow change is under it: from the median distance of neighbours (1.4826 / sqrt 2 of it is the standard
    deviation, where it is normal)."""
    if len(values) < 2:
        return 0.0
    return float(np.median(np.abs(np.diff(values)))) * 1.4826 / math.sqrt(2)
