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
        order = index[np.lexsort((values[index], stretch[index]))]
        own = stretch[order]
        first = np.flatnonzero(np.r_[True, own[1:] != own[:-1]])
        keep += [order[first], order[np.r_[first[1:] - 1, len(order) - 1]]]
    broken = np.flatnonzero(~measured)
    if len(broken):
        keep.append(broken[np.unique(stretch[broken], return_index=True)[1]])
    return np.unique(np.concatenate(keep))
