"""What a channel's samples come to."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel, model_validator

from tidybench.core.quality import Quality
from tidybench.core.values.figure import figure
from tidybench.core.values.state_name import state_name

Numbers = np.ndarray[Any, Any]


class Statistics(BaseModel):
    """Counts and figures of a channel over a stretch. The figures are None where nothing was measured; `first` and
    `last`: times of the outermost samples, microseconds since 1970 UTC; `qualities`: how many samples of each. A channel of
    states has no minimum, maximum and mean but `states`: how many samples of each word (of its number, where it has none)."""

    samples: int = 0
    measured: int = 0
    minimum: float | None = None
    maximum: float | None = None
    mean: float | None = None
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
        self._measured = 0
        self._total = 0.0
        self._low, self._high = float("inf"), float("-inf")
        self._first: int | None = None
        self._last: int | None = None

    def add(self, times: Numbers, values: Numbers, qualities: Numbers) -> None:
        """Take in samples: times in microseconds, values, qualities; arrays of one length, at least 1."""
        if self._first is None:
            self._first = int(times[0])
        self._last = int(times[-1])
        for code, count in zip(*np.unique(qualities, return_counts=True), strict=True):
            self._by_quality[int(code)] += int(count)
        good = values[qualities <= Quality.FLAGGED]
        if len(good):
            self._measured += len(good)
            if self._words:
                for value, count in zip(*np.unique(good, return_counts=True), strict=True):
                    word = state_name(self._words, float(value)) or figure(float(value))
                    self._by_state[word] = self._by_state.get(word, 0) + int(count)
            self._total += float(good.sum())
            self._low = min(self._low, float(good.min()))
            self._high = max(self._high, float(good.max()))

    def state(self) -> list[Any]:
        """What has come until now, as JSON."""
        some = self._measured > 0
        return [
            self._by_quality, self._measured, self._total, self._low if some else None, self._high if some else None,
            self._first, self._last, self._by_state,
        ]  # fmt: skip

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave."""
        by_quality, self._measured, self._total, low, high, self._first, self._last, *more = state
        self._by_state = dict(more[0]) if more else {}
        self._by_quality = [*by_quality, *([0] * len(Quality))][: len(Quality)]
        self._low = float("inf") if low is None else low
        self._high = float("-inf") if high is None else high

    @property
    def statistics(self) -> Statistics:
        """What has come until now."""
        some = self._measured > 0 and not self._words
        return Statistics(
            samples=sum(self._by_quality),
            measured=self._measured,
            minimum=self._low if some else None,
            maximum=self._high if some else None,
            mean=self._total / self._measured if some else None,
            first=self._first,
            last=self._last,
            qualities={Quality(q).code: n for q, n in enumerate(self._by_quality) if n},
            states=dict(self._by_state),
        )
