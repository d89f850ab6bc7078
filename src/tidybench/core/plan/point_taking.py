"""Takes a test point: waits until all is steady, averages, says what came of it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.steadiness import Steadiness
from tidybench.core.plan.watched import Watched
from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.core.values.point import Point, PointMean
from tidybench.core.values.sample_statistics import SampleStatistics
from tidybench.core.values.scatter import Scatter, expanded

LATE = 500_000
"""Microseconds that samples of the stretch may come after its end."""


@dataclass(slots=True, frozen=True)
class Averaged:
    """A channel that a point averages. `uncorrected`: from its value back to the one before its correction and zero; NaN where that
    is not known. None where it is not asked for. `stated`: the standard uncertainty of its mean that certificates state, from the means of
    channels by id; None where none does."""

    watched: Watched
    decimals: int
    uncorrected: Callable[[float], float] | None = None
    stated: Callable[[Mapping[str, float]], float | None] | None = None


class PointTaking:
    """Feed it every batch of the run, in order, and look now and then. Where a channel leaves its band while it is averaged, waiting
    begins again."""

    def __init__(
        self,
        order: PointOrder,
        number: int,
        channels: Mapping[str, Averaged],
        at: int,
        beside: Mapping[str, int] | None = None,
    ) -> None:
        """`channels`: those of the order's rule, by id. `at`: when it was ordered, in microseconds since 1970 UTC. `beside`: the numbers, by id, of
        channels that others' uncertainties depend on."""
        self.order, self.number, self.begun_at = order, number, at
        self.gives_up_at = at + round(order.rule.give_up_s * 1e6)
        self._channels = dict(channels)
        self._beside = {key: number for key, number in (beside or {}).items() if key not in channels}
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
        self._scatter: dict[int, Scatter] = {}
        self._before: dict[int, tuple[Callable[[float], float], SampleStatistics]] = {}
        if not self._steady:
            self._begin(at)

    def _begin(self, now: int) -> None:
        self.since, self.until = now, now + round(self.order.rule.average_s * 1e6)
        every = self._channels.values()
        numbers = [*(one.watched.number for one in every), *self._beside.values()]
        self._gathered = {number: SampleStatistics() for number in numbers}
        self._scatter = {one.watched.number: Scatter() for one in every if one.stated is not None}
        self._before = {
            one.watched.number: (one.uncorrected, SampleStatistics())
            for one in every
            if one.uncorrected is not None
        }

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
                scatter = self._scatter.get(number)
                if scatter is not None and quality <= Quality.FLAGGED:
                    scatter.add(value)
                before = self._before.get(number)
                if before is not None and quality <= Quality.FLAGGED:
                    found_before = before[0](value)
                    known = Quality.OK if found_before == found_before else Quality.NO_READING
                    before[1].add(at, known, found_before)

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
        return given_up(self.order, self.number, now, why)

    def _taken(self, now: int) -> Point:
        assert self.since is not None
        assert self.until is not None
        means = [self._mean(key) for key in self.order.rule.channels]
        steady = self._insists and bool(self._steady)
        given = {"since": self.since, "until": self.until, "means": means, "steady": steady}
        return given_up(self.order, self.number, now, "").model_copy(update=given)

    def _mean(self, key: str) -> PointMean:
        one, part = self._channels[key], self.order.rule.channels[key]
        found = self._gathered[one.watched.number].statistics
        type_a, type_b = self._uncertainty(one)
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
            uncorrected=self._mean_before(one.watched.number),
            type_a=type_a,
            type_b=type_b,
            expanded=expanded(type_a, type_b) if type_a is not None and type_b is not None else None,
        )

    def _uncertainty(self, one: Averaged) -> tuple[float | None, float | None]:
        """Standard uncertainties of its mean: by its scatter, and as stated; both None where none is stated."""
        if one.stated is None:
            return None, None
        numbers = {key: each.watched.number for key, each in self._channels.items()} | self._beside
        means = {key: self._gathered[number].statistics.mean for key, number in numbers.items()}
        stated = one.stated({key: mean for key, mean in means.items() if mean is not None})
        return (
            (self._scatter[one.watched.number].standard_uncertainty, stated)
            if stated is not None
            else (None, None)
        )

    def _mean_before(self, number: int) -> float | None:
        """Of a channel that is calibrated; None where it is not known of every sample."""
        if number not in self._before:
            return None
        found = self._before[number][1].statistics
        return found.mean if found.measured == found.samples else None


def given_up(order: PointOrder, number: int, at: int, why: str) -> Point:
    """A point without means; `at`: when it was given up."""
    return Point(
        number=number,
        name=order.name,
        by=order.by,
        note=order.note,
        at=at,
        stage=order.stage,
        sets=order.sets,
        typed=order.typed,
        gave_up=why,
    )
