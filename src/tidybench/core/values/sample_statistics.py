"""Statistics of one channel whose samples come one by one."""

from collections.abc import Sequence

import numpy as np

from tidybench.core.values.statistics import Gathering, Statistics

PIECE = 4096
"""Samples that are taken in at once."""


class SampleStatistics:
    """Gathered in pieces: a stretch of hours does not fit into memory. `states`: the channel's words, where it has such."""

    def __init__(self, states: Sequence[str] = ()) -> None:
        self.gathering = Gathering(states)
        self._times: list[int] = []
        self._values: list[float] = []
        self._qualities: list[int] = []

    def add(self, at: int, quality: int, value: float) -> None:
        """One sample; `at` in microseconds."""
        self._times.append(at)
        self._values.append(value)
        self._qualities.append(quality)
        if len(self._values) >= PIECE:
            self._flush()

    def _flush(self) -> None:
        if self._values:
            times, values = np.array(self._times, np.int64), np.array(self._values, np.float64)
            self.gathering.add(times, values, np.array(self._qualities, np.uint8))
            for gathered in (self._times, self._values, self._qualities):
                gathered.clear()

    @property
    def statistics(self) -> Statistics:
        """What has come until now."""
        self._flush()
        return self.gathering.statistics
