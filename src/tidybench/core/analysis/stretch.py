"""The samples of one channel that a question is asked of."""

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from tidybench.core.quality import Quality

Array = npt.NDArray[np.float64]
Whole = npt.NDArray[np.int64]

APART = 3.0
"""Usual intervals by which two measured neighbours may stand apart; what is farther apart is a gap, and nothing is made up across one."""


class AnalysisError(ValueError):
    """What was asked has no answer, and why, in a sentence."""


@dataclass(slots=True, frozen=True)
class Samples:
    """As they were taken, in order of time: `times` in microseconds since 1970 UTC, `values` (NaN where not measured), `qualities`."""

    times: Whole
    values: Array
    qualities: Whole


@dataclass(slots=True, frozen=True)
class Stretch:
    """Of a channel the measured samples, in order of time: `seconds` after `origin` (microseconds since 1970 UTC), `values` in `unit`. `all`: they and
    those that were not measured, `left_out` of them. `states`: the words of a channel of states. `pace_s`: seconds between its readings, 0 where
    nothing is known."""

    id: str
    name: str
    unit: str
    decimals: int
    origin: int
    seconds: Array
    values: Array
    all: Samples
    states: tuple[str, ...] = ()
    pace_s: float = 0.0

    @property
    def left_out(self) -> int:
        """How many samples were not measured."""
        return len(self.all.times) - len(self.seconds)

    @property
    def span(self) -> float:
        """Seconds from the first to the last; 0 without samples."""
        return float(self.seconds[-1] - self.seconds[0]) if len(self.seconds) else 0.0

    @property
    def interval(self) -> float:
        """The usual seconds between two neighbours: the median; 0 with fewer than two samples."""
        return float(np.median(np.diff(self.seconds))) if len(self.seconds) > 1 else 0.0

    @property
    def age(self) -> float:
        """Seconds by which neighbours may stand apart without a gap between them."""
        return max(APART * max(self.interval, self.pace_s), 1e-6)

    def at(self, second: float) -> int:
        """A second after the origin as microseconds since 1970 UTC."""
        return self.origin + round(second * 1e6)

    def moved(self, by: int) -> "Stretch":
        """The same, so many microseconds later."""
        taken = Samples(self.all.times + by, self.all.values, self.all.qualities)
        return replace(self, origin=self.origin + by, all=taken)

    def wants(self, least: int) -> None:
        """Raises AnalysisError where there are fewer measured samples, or where it is a channel of states."""
        if self.states:
            raise AnalysisError(f"{self.name} is a state, not a number. Ask this of a channel with numbers.")
        have = len(self.seconds)
        if have < least:
            had = {0: "no measured sample", 1: "one measured sample"}.get(have, f"{have} measured samples")
            raise AnalysisError(
                f"{self.name} has {had} in this stretch, and {least} are wanted. Choose a longer stretch."
            )


def stretch_of(
    id: str,
    name: str,
    unit: str,
    decimals: int,
    taken: Samples,
    states: tuple[str, ...] = (),
    pace_s: float = 0.0,
) -> Stretch:
    """Of a channel's samples; what came out of order is put in order."""
    order = np.argsort(taken.times, kind="stable")
    taken = Samples(taken.times[order], taken.values[order], taken.qualities[order])
    good = (taken.qualities <= Quality.FLAGGED) & np.isfinite(taken.values)
    times = taken.times[good]
    origin = int(times[0]) if len(times) else 0
    return Stretch(
        id, name, unit, decimals, origin, (times - origin) / 1e6, taken.values[good], taken, states, pace_s
    )
