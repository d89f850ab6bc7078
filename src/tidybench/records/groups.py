"""The lowest and highest of each few neighbours of a block: what pictures between single samples and summaries are made of."""

import numpy as np
import numpy.typing as npt

from tidybench.core.quality import Quality

GROUP = 64
"""Neighbours in one group; the last one of a block may have fewer."""

WIDE = 8
"""Groups in a wide group, of which a block keeps a second, shorter list: what it holds stands in the row itself, and is an eighth to read."""

GROUPS = np.dtype(
    [
        ("time", "<i8"),
        ("low_at", "<i8"),
        ("high_at", "<i8"),
        ("low", "<f8"),
        ("high", "<f8"),
        ("worst", "<i2"),
    ]
)
"""A group as a block keeps it: the time of its first sample (microseconds since 1970 UTC), its lowest and highest measured value with their times (NaN where nothing was measured),
and the worst of its qualities. With their times they are samples as they were logged: a group may reach over a pause."""

Groups = npt.NDArray[np.void]


def groups_of(
    times: npt.NDArray[np.int64], values: npt.NDArray[np.float64], qualities: npt.NDArray[np.int64]
) -> Groups:
    """Of the samples of a block, at least one."""
    whole = len(times) // GROUP * GROUP
    if whole == len(times):
        return _groups(times, values, qualities, GROUP)
    rest = _groups(times[whole:], values[whole:], qualities[whole:], len(times) - whole)
    if not whole:
        return rest
    return np.concatenate([_groups(times[:whole], values[:whole], qualities[:whole], GROUP), rest])


def wider(groups: Groups) -> Groups:
    """Wide groups, each of `WIDE` groups, the last one of what is left: as if they had been made of the samples."""
    whole = len(groups) // WIDE * WIDE
    made = [_wider(groups[:whole].reshape(-1, WIDE))] if whole else []
    if whole < len(groups):
        made.append(_wider(groups[whole:].reshape(1, -1)))
    return np.concatenate(made) if len(made) != 1 else made[0]


def _wider(rows: Groups) -> Groups:
    """Of each row of groups."""
    wide = np.empty(len(rows), GROUPS)
    wide["time"], wide["worst"] = rows["time"][:, 0], rows["worst"].max(axis=1)
    empty = np.isnan(rows["low"])
    each = np.arange(len(rows))
    for name, none, find in (("low", np.inf, np.argmin), ("high", -np.inf, np.argmax)):
        place = find(np.where(empty, none, rows[name]), axis=1)
        wide[name], wide[f"{name}_at"] = rows[name][each, place], rows[f"{name}_at"][each, place]
    return wide


def _groups(
    times: npt.NDArray[np.int64],
    values: npt.NDArray[np.float64],
    qualities: npt.NDArray[np.int64],
    size: int,
) -> Groups:
    """All of one size."""
    good = (qualities <= Quality.FLAGGED) & np.isfinite(values)
    every = bool(good.all())
    rows = np.arange(len(times) // size)
    groups = np.empty(len(rows), GROUPS)
    stamps = times.reshape(-1, size)
    groups["time"] = stamps[:, 0]
    groups["worst"] = qualities.reshape(-1, size).max(axis=1)
    for name, none, find in (("low", np.inf, np.argmin), ("high", -np.inf, np.argmax)):
        shown = (values if every else np.where(good, values, none)).reshape(-1, size)
        place = find(shown, axis=1)
        groups[name], groups[f"{name}_at"] = shown[rows, place], stamps[rows, place]
    if not every:
        nothing = ~good.reshape(-1, size).any(axis=1)
        groups["low"][nothing] = groups["high"][nothing] = np.nan
    return groups
