"""What a run's samples come to: counts by quality, lowest, highest and mean of each channel."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of, unpack


@dataclass(slots=True)
class ChannelStats:
    """One channel so far. Times in microseconds."""

    measured: int = 0
    total: float = 0.0
    low: float = float("inf")
    high: float = float("-inf")
    first: int = 0
    last: int = 0
    by_quality: list[int] = field(default_factory=lambda: [0] * len(Quality))

    def summary(self) -> dict[str, Any]:
        """As JSON; figures that do not exist are null."""
        some = self.measured > 0
        return {
            "samples": sum(self.by_quality),
            "measured": self.measured,
            "minimum": self.low if some else None,
            "maximum": self.high if some else None,
            "mean": self.total / self.measured if some else None,
            "first": self.first or None,
            "last": self.last or None,
            "qualities": {Quality(q).code: n for q, n in enumerate(self.by_quality) if n},
        }


class RunStats:
    """Grows with the packed samples of a run."""

    def __init__(self) -> None:
        self.channels: dict[int, ChannelStats] = {}

    def add(self, packed: bytes) -> None:
        """Take in records as they were appended to samples.bin."""
        records = unpack(packed)
        numbers, qualities = channels_of(records), qualities_of(records)
        for number in np.unique(numbers):
            mine = numbers == number
            stats = self.channels.setdefault(int(number), ChannelStats())
            times, values, quality = records["time"][mine], records["value"][mine], qualities[mine]
            good = values[quality <= Quality.FLAGGED]
            stats.first = stats.first or int(times[0])
            stats.last = int(times[-1])
            for code, count in zip(*np.unique(quality, return_counts=True), strict=True):
                stats.by_quality[int(code)] += int(count)
            if len(good):
                stats.measured += len(good)
                stats.total += float(good.sum())
                stats.low = min(stats.low, float(good.min()))
                stats.high = max(stats.high, float(good.max()))
