"""Watches for what begins a run."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.plan.begins import Begins
from tidybench.core.plan.condition import ConditionWatch
from tidybench.core.plan.ends import clock_time
from tidybench.core.plan.watched import Watched
from tidybench.core.quality import Quality


@dataclass(slots=True, frozen=True)
class Occasion:
    """What begins a run, in words, and when it came, in microseconds since 1970 UTC."""

    words: str
    at: int


class BeginWatch:
    """Feed it every batch, in order, and look now and then. `armed_at` in microseconds since 1970 UTC: nothing of before counts;
    `channels`: those that `begins.channels` names, by id. What must hold for a time begins again where the recorder was restarted."""

    def __init__(self, begins: Begins, armed_at: int, channels: Mapping[str, Watched]) -> None:
        self._begins, self._armed_at = begins, armed_at
        self.at = clock_time(begins.at, armed_at) if begins.at is not None else None
        self.gone = [key for key in begins.channels if key not in channels]
        self._channel = next((channels[key] for key in begins.channels if key in channels), None)
        self._watch: ConditionWatch | None = None
        if begins.when is not None and self._channel is not None:
            self._watch = ConditionWatch(begins.when, self._channel.patience)
        self._read_at: int | None = None

    def take(self, batch: Batch) -> None:
        """The samples of one event."""
        channel, begins = self._channel, self._begins
        if channel is None:
            return
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            if word >> 8 != channel.number or at < self._armed_at:
                continue
            if self._watch is not None and begins.when is not None and begins.when.value is not None:
                self._watch.take(at, word & 0xFF, value)
            elif begins.reading is not None and self._read_at is None and word & 0xFF <= Quality.FLAGGED:
                self._read_at = at

    def look(self, now: int, beyond: Callable[[int, int], bool]) -> Occasion | None:
        """What begins it; None where it still waits. `beyond`: whether a channel, by its number, is beyond its limits by a sample not
        older than its patience, in microseconds."""
        if self.at is not None:
            return Occasion(f"at {self._begins.at}", self.at) if now >= self.at else None
        channel, when = self._channel, self._begins.when
        if channel is None:
            return None
        if self._watch is not None and when is not None:
            if when.value is None:
                self._watch.judged(now, beyond(channel.number, channel.patience))
            if self._watch.fulfilled_at is None:
                return None
            return Occasion(when.words(channel.name, channel.unit), self._watch.fulfilled_at)
        if self._read_at is None:
            return None
        return Occasion(f"a reading of {channel.name}", self._read_at)
