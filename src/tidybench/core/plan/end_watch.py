"""Watches a run for what ends it."""

from collections.abc import Callable, Mapping

from tidybench.core.batch import Batch
from tidybench.core.plan.condition import ConditionWatch
from tidybench.core.plan.ends import Ends, clock_time
from tidybench.core.plan.steadiness import Steadiness
from tidybench.core.plan.watched import Watched
from tidybench.core.values.figure import figure


class EndWatch:
    """Feed it every batch of the run, in order, and look now and then. `begun_at`: when it was begun, in microseconds since 1970 UTC; `channels`: those that
    `ends.channels` names, by id; `gone`: those of them that are none. `given_at`: when the ends were given, where that was later. What must hold for a time begins again where the recorder was restarted."""

    def __init__(self, ends: Ends, begun_at: int, channels: Mapping[str, Watched], given_at: int = 0) -> None:
        self.ends = ends
        self._after = begun_at + round(ends.after_s * 1e6) if ends.after_s is not None else None
        self._clock = clock_time(ends.at, max(begun_at, given_at)) if ends.at is not None else None
        self.at = min((one for one in (self._after, self._clock) if one is not None), default=None)
        self.gone = [key for key in dict.fromkeys(ends.channels) if key not in channels]
        self._when = [
            (one, channels[one.channel], ConditionWatch(one, channels[one.channel].patience))
            for one in ends.when
            if one.channel in channels
        ]
        self._steady: list[tuple[Watched, Steadiness]] = []
        if ends.settled is not None:
            span = round(ends.settled.for_s * 1e6)
            for key, band in ends.settled.bands.items():
                one = channels.get(key, Watched(0, key, "", 0))  # one that is gone never settles
                self._steady.append((one, Steadiness(span, band, one.patience)))
        self._takers: dict[int, list[Callable[[int, int, float], None]]] = {}
        for condition, channel, watch in self._when:
            if condition.value is not None:
                self._takers.setdefault(channel.number, []).append(watch.take)
        for channel, steady in self._steady:
            self._takers.setdefault(channel.number, []).append(steady.take)

    def take(self, batch: Batch) -> None:
        """The samples of one event."""
        takers = self._takers
        if not takers:
            return
        for word, time, value in zip(batch.words, batch.times, batch.values, strict=True):
            for take in takers.get(word >> 8, ()):
                take(time, word & 0xFF, value)

    def look(self, now: int, rows: int, beyond: Callable[[int, int], bool]) -> str:
        """Why the run ends now; “” where it goes on. `rows`: of its CSV. `beyond`: whether a channel, by its number, is beyond its
        limits by a sample not older than its patience, in microseconds."""
        ends = self.ends
        if ends.rows is not None and rows >= ends.rows:
            return f"{ends.rows} rows"
        for condition, channel, watch in self._when:
            if condition.value is None:
                watch.judged(now, beyond(channel.number, channel.patience))
            if watch.fulfilled_at is not None:
                return condition.words(channel.name, channel.unit)
        if self._steady and all(steady.holds(now) for _, steady in self._steady):
            assert ends.settled is not None
            names = ", ".join(channel.name for channel, _ in self._steady)
            return f"settled for {figure(ends.settled.for_s)} s: {names}"
        if self.at is not None and now >= self.at:
            return f"at {ends.at}" if self.at == self._clock else f"after {_span(ends.after_s or 0)}"
        return ""

    def unsettled(self, now: int) -> list[str]:
        """The channels, by name, that keep it from ending as settled."""
        return [channel.name for channel, steady in self._steady if not steady.holds(now)]


def _span(seconds: float) -> str:
    for size, unit in ((86_400, "d"), (3600, "h"), (60, "min")):
        if seconds >= size and seconds % size == 0:
            return f"{figure(seconds / size)} {unit}"
    return f"{figure(seconds)} s"
