"""Which channels have settled just now: the sign at their readouts. Steady in the one sense there is, within a band over some time."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.plan.steadiness import MIN_SAMPLES, Steadiness
from tidybench.core.plan.watched import Watched

SPAN_S = 20.0
"""Seconds over which a channel is watched; longer for one whose values come slowly."""


def settled_band(stated: float | None, decimals: int) -> float:
    """The band within which a channel counts as settled: the one that is stated, else ten of its last digit."""
    return stated if stated is not None else float(f"1e{1 - decimals}")


@dataclass(slots=True, frozen=True)
class SettledChannel:
    """A channel to watch, how often it has a value (seconds; 0: not known), and its band."""

    watched: Watched
    interval_s: float
    band: float


class SettledWatch:
    """Feed it every batch, in order. Not for several threads."""

    def __init__(self) -> None:
        self._all: dict[int, tuple[SettledChannel, Steadiness]] = {}
        self._takers: dict[int, Callable[[int, int, float], None]] = {}

    def employ(self, channels: Iterable[SettledChannel]) -> None:
        """These channels from here on; what is known of one that stays as it was is kept."""
        before, self._all = self._all, {}
        for one in channels:
            number = one.watched.number
            old = before.get(number)
            if old is not None and old[0] == one:
                self._all[number] = old
            else:
                span = max(SPAN_S, one.interval_s * MIN_SAMPLES)
                self._all[number] = one, Steadiness(round(span * 1e6), one.band, one.watched.patience)
        self._takers = {number: steady.take for number, (_, steady) in self._all.items()}

    def take(self, batch: Batch) -> None:
        """The samples of one event."""
        takers = self._takers
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            take = takers.get(word >> 8)
            if take is not None:
                take(at, word & 0xFF, value)

    def settled(self, now: int) -> frozenset[int]:
        """The numbers of those that are settled at `now`."""
        return frozenset(number for number, (_, steady) in self._all.items() if steady.holds(now))
