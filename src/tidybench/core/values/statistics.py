"""What a channel's samples come to."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel, model_validator

from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.core.values.moments import Moments, Numbers
from tidybench.core.values.state_name import state_name


class Statistics(BaseModel):
    """Counts and figures of a channel over a stretch. The figures are None where nothing was measured, `sd`
    (standard deviation of a sample) and `slope_per_h` (change per hour, by least squares) also where too little was. `first` and
    `last`: times of the outermost samples, microseconds since 1970 UTC; `qualities`: how many samples of each. A channel of
    states has no minimum, maximum and mean but `states`: how many samples of each word (of its number, where it has none)."""

    samples: int = 0
    measured: int = 0
    minimum: float | None = None
    maximum: float | None = None
    mean: float | None = None
    sd: float | None = None
    slope_per_h: float | None = None
    first: int | None = None
    last: int | None = None
    qualities: dict[str, int] = {}
    states: dict[str, int] = {}

    @model_validator(mode="before")
    @classmethod
    def _as_it_was_written(cls, data: Any) -> Any:
        """Versions of a run that were written before 2026-11-25 count only what was not understood."""
        if isinstance(data, dict) and "not_understood" in data:
            code = Quality.NOT_UNDERSTOOD.code
            return {**data, "qualities": {code: data["not_understood"]} if data["not_understood"] else {}}
        return data


class Gathering:
    """Statistics of one channel as its samples come: those of weeks need no memory. `states`: its words, where it has such."""

    def __init__(self, states: Sequence[str] = ()) -> None:
        self._words = list(states)
        self._by_state: dict[str, int] = {}
        self._by_quality = [0] * len(Quality)
        self._moments = Moments()
        self._first: int | None = None
        self._last: int | None = None
        self._whole = True  # nothing was taken up that an older version kept, without spread and slope

    def add(self, times: Numbers, values: Numbers, qualities: Numbers) -> None:
        """Take in samples: times in microseconds, values, qualities; arrays of one length, at least 1."""
        counts = np.bincount(qualities, minlength=len(Quality))
        good = qualities <= Quality.FLAGGED
        values = values[good]
        self.add_sums(Moments.of(times[good], values), counts, int(times[0]), int(times[-1]))
        if self._words and len(values):
            for value, count in zip(*np.unique(values, return_counts=True), strict=True):
                self.add_state(float(value), int(count))

    def add_sums(self, moments: Moments, by_quality: Sequence[int] | Numbers, first: int, last: int) -> None:
        """Take in what was summed up elsewhere: of measured samples, how many of each quality, outermost times."""
        self._first = first if self._first is None else min(self._first, first)
        self._last = last if self._last is None else max(self._last, last)
        for quality, count in enumerate(by_quality):
            self._by_quality[quality] += int(count)
        self._moments.join(moments)

    def add_state(self, value: float, count: int) -> None:
        """Take in how many measured samples have a value, of a channel of states."""
        word = state_name(self._words, value) or figure(value)
        self._by_state[word] = self._by_state.get(word, 0) + count

    def state(self) -> list[Any]:
        """What has come until now, as JSON."""
        made, some = self._moments, self._moments.count > 0
        return [
            self._by_quality, made.count, made.mean * made.count, made.low if some else None, made.high if some else None,
            self._first, self._last, self._by_state,
            [made.mean, made.spread, made.origin, made.time, made.times, made.both, self._whole],
        ]  # fmt: skip

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave."""
        by_quality, count, total, low, high, self._first, self._last, *more = state
        self._by_quality = [*by_quality, *([0] * len(Quality))][: len(Quality)]
        self._by_state = dict(more[0]) if more else {}
        made = Moments(count, total / count if count else 0.0)
        if count:
            made.low, made.high = low, high
        if len(more) > 1:
            made.mean, made.spread, made.origin, made.time, made.times, made.both, self._whole = more[1]
        else:
            self._whole = not count
        self._moments = made

    @property
    def statistics(self) -> Statistics:
        """What has come until now."""
        made = self._moments
        some = made.count > 0 and not self._words
        return Statistics(
            samples=sum(self._by_quality),
            measured=made.count,
            minimum=made.low if some else None,
            maximum=made.high if some else None,
            mean=made.mean if some else None,
            sd=made.sd if some and self._whole else None,
            slope_per_h=made.slope if some and self._whole else None,
            first=self._first,
            last=self._last,
            qualities={Quality(q).code: n for q, n in enumerate(self._by_quality) if n},
            states=dict(self._by_state),
        )
