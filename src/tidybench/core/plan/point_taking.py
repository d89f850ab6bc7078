"""Takes a test point: waits until all is steady, averages, says what came of it."""

from collections.abc import Mapping
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.steadiness import Steadiness
from tidybench.core.plan.watched import Watched
from tidybench.core.values.figure import figure
from tidybench.core.values.point import Point, PointMean
from tidybench.core.values.sample_statistics import SampleStatistics

LATE = 500_000
"""Microseconds that samples of the stretch may come after its end."""


@dataclass(slots=True, frozen=True)
class Averaged:
    """A channel that a point averages."""

    watched: Watched
    decimals: int


class PointTaking:
    """Feed it every batch of the run, in order, and look now and then. Where a channel leaves its band while it is averaged, waiting
    begins again."""

    def __init__(self, order: PointOrder, number: int, channels: Mapping[str, Averaged], at: int) -> None:
        """`channels`: those of the order's rule, by id. `at`: when it was ordered, in microseconds since 1970 UTC."""
        self.order, self.number, self.begun_at = order, number, at
        self.gives_up_at = at + round(order.rule.give_up_s * 1e6)
        self._channels = dict(channels)
        span = round(order.rule.steady_s * 1e6)
        self._steady = {
            channels[key].watched.number: (channels[key].watched, Steadiness(span, part.band, channels[key].watched.patience))
            for key, part in order.rule.channels.items()
            if part.band is not None
        }  # fmt: skip
        self._insists = True
        self.since: int | None = None
        self.until: int | None = None
        self._closed = False  # the stretch is over, and all were steady in it
        self._gathered: dict[int, SampleStatistics] = {}
        if not self._steady:
            self._begin(at)

    def _begin(self, now: int) -> None:
        self.since, self.until = now, now + round(self.order.rule.average_s * 1e6)
        self._gathered = {one.watched.number: SampleStatistics() for one in self._channels.values()}

    def do_not_wait(self, now: int) -> None:
        """Average from now on, steady or not."""
        self._insists = False
        if self.since is None:
            self._begin(now)

    def take(self, batch: Batch) -> None:
        """The samples of one event."""
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            number, quality = word >> 8, word & 0xFF
            found = self._steady.get(number)
            if found is not None:
                found[1].take(at, quality, value)
            if self.since is not None and self.until is not None and self.since < at <= self.until:
                gathered = self._gathered.get(number)
                if gathered is not None:
                    gathered.add(at, quality, value)

    def unsteady(self, now: int) -> list[str]:
        """The channels, by name, that are not steady yet."""
        return [channel.name for channel, steady in self._steady.values() if not steady.holds(now)]

    def look(self, now: int) -> Point | None:
        """The point, where it is taken or given up; None while it goes on."""
        if self.until is not None and now > self.until + LATE:
            return self._taken(now)
        unsteady = [] if self._closed else self.unsteady(now)
        self._closed = not unsteady and self.until is not None and now > self.until
        if self._insists and unsteady:
            self.since = self.until = None
            if now >= self.gives_up_at:
                rule = self.order.rule
                names = ", ".join(unsteady)
                return self.given_up(now, f"not steady for {figure(rule.steady_s)} s: {names}")
        elif self.since is None:
            self._begin(now)
        return None

    def given_up(self, now: int, why: str) -> Point:
        """What stands in the table where there are no means."""
        return self._point(now, gave_up=why, since=0, until=0, means=[])

    def _taken(self, now: int) -> Point:
        assert self.since is not None
        assert self.until is not None
        means = [self._mean(key) for key in self.order.rule.channels]
        return self._point(now, gave_up="", since=self.since, until=self.until, means=means)

    def _point(self, now: int, gave_up: str, since: int, until: int, means: list[PointMean]) -> Point:
        order = self.order
        return Point(
            number=self.number,
            name=order.name,
            by=order.by,
            note=order.note,
            at=now,
            since=since,
            until=until,
            steady=self._insists and bool(self._steady) and not gave_up,
            sets=order.sets,
            typed=order.typed,
            means=means,
            gave_up=gave_up,
        )

    def _mean(self, key: str) -> PointMean:
        one, part = self._channels[key], self.order.rule.channels[key]
        found = self._gathered[one.watched.number].statistics
        return PointMean(
            id=key,
            name=one.watched.name,
            unit=one.watched.unit,
            decimals=one.decimals,
            mean=found.mean,
            sd=found.sd,
            minimum=found.minimum,
            maximum=found.maximum,
            count=found.measured,
            missing=found.samples - found.measured,
            low=part.low,
            high=part.high,
        )
