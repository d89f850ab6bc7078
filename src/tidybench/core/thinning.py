"""Fewer samples for a picture: the lowest and highest of each stretch, and every break."""

import numpy as np
import numpy.typing as npt

from tidybench.core.quality import Quality


def thin(
    times: npt.NDArray[np.int64],
    values: npt.NDArray[np.float64],
    qualities: npt.NDArray[np.integer],
    most: int,
) -> npt.NDArray[np.intp]:
    """Indices of at most about 2 `most` samples that look the same in `most` stretches of equal time.

    times: microseconds, rising. Of each stretch the lowest and the highest measured sample are kept,
    and the first that was not measured, so that no spike and no break is lost.
    """
    count = len(times)
    if count <= 2 * most or most < 1:
        return np.arange(count)
    span = max(1, int(times[-1] - times[0]) + 1)
    stretch = (times - times[0]) * most // span
    measured = qualities <= Quality.FLAGGED
    keep: list[npt.NDArray[np.intp]] = []
    index = np.flatnonzero(measured)
    if len(index):
        own, shown = (stretch, values) if len(index) == count else (stretch[index], values[index])
        if (own[1:] >= own[:-1]).all() and np.isfinite(shown).all():
            low, high = _extremes(own, shown)
            keep += [index[low], index[high]]
        else:  # out of order: by sorting
            order = index[np.lexsort((shown, own))]
            own = stretch[order]
            first = np.flatnonzero(np.r_[True, own[1:] != own[:-1]])
            keep += [order[first], order[np.r_[first[1:] - 1, len(order) - 1]]]
    broken = np.flatnonzero(~measured)
    if len(broken):
        keep.append(broken[np.unique(stretch[broken], return_index=True)[1]])
    return np.unique(np.concatenate(keep))


def _extremes(
    stretch: npt.NDArray[np.int64], values: npt.NDArray[np.float64]
) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
    """Of each stretch, in order, the first of the lowest and the last of the highest."""
    starts = np.flatnonzero(np.r_[True, stretch[1:] != stretch[:-1]])
    counts = np.diff(np.r_[starts, len(values)])
    group = np.repeat(np.arange(len(starts)), counts)
    lowest = np.flatnonzero(values == np.minimum.reduceat(values, starts)[group])
    highest = np.flatnonzero(values == np.maximum.reduceat(values, starts)[group])
    low, high = np.empty(len(starts), np.intp), np.empty(len(starts), np.intp)
    low[group[lowest[::-1]]] = lowest[::-1]  # the first is written last
    high[group[highest]] = highest
    return low, high
