"""What happens to a channel's samples after they were read: steps of scaling, zero, filters, thinning."""

from collections.abc import Mapping, Sequence
from math import isfinite
from typing import Any, Protocol

from tidybench.core.batch import NAN, Batch
from tidybench.core.channels.filters import Thinning, make_filter
from tidybench.core.channels.scaling import combined, judged
from tidybench.core.quality import Quality
from tidybench.core.setup.filters import FilterPart, ThinningPart
from tidybench.core.setup.scaling import ScalingStep


class Pipeline(Protocol):
    """What becomes of a channel's samples. Feed it every one, in order."""

    zero: float

    def take(self, quality: int, at: int, value: float, out: Batch) -> None:
        """One sample; the result is appended to `out`."""

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave."""


class ChannelPipeline:
    """Of a channel that measures something."""

    def __init__(
        self,
        number: int,
        scaling: Sequence[ScalingStep] = (),
        filters: Sequence[FilterPart] = (),
        thinning: ThinningPart | None = None,
        zero: float = 0.0,
    ) -> None:
        self._word = number << 8
        self.zero = zero
        self._scale = combined(scaling) if scaling else None
        self._filters = [make_filter(one) for one in filters]
        self._thinning = Thinning(thinning) if thinning is not None else None
        self._broken = True

    def take(self, quality: int, at: int, value: float, out: Batch) -> None:
        """One sample; the result is appended to `out`."""
        if quality <= Quality.FLAGGED:
            if self._scale is not None:
                good, value = judged(self._scale(value))
                if good:
                    quality = good
            value -= self.zero
            if not isfinite(value):
                quality = Quality.NO_READING
        if quality <= Quality.FLAGGED:
            self._broken = False
            for one in self._filters:
                filtered = one.take(at, value)
                if filtered is None:
                    return
                value = filtered
            if not isfinite(value):  # a filter that works with differences of huge readings
                quality = Quality.NO_READING
        if quality > Quality.FLAGGED:
            value = NAN
            if not self._broken:
                for one in self._filters:
                    one.restart()
            self._broken = True
        if self._thinning is None:
            out.words.append(self._word | quality)
            out.times.append(at)
            out.values.append(value)
        else:
            self._thinning.take(quality, at, value, lambda q, t, v: out.add(self._word >> 8, q, t, v))

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        found: dict[str, Any] = {"zero": self.zero, "broken": self._broken}
        if self._filters:
            found["filters"] = [one.state() for one in self._filters]
        if self._thinning is not None:
            found["thinning"] = self._thinning.state()
        return found

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave."""
        self.zero, self._broken = state["zero"], state.get("broken", True)
        for one, kept in zip(self._filters, state.get("filters", ()), strict=False):
            one.restore(kept)
        if self._thinning is not None and "thinning" in state:
            self._thinning.restore(state["thinning"])


def finished(pipelines: Mapping[int, Pipeline], batch: Batch) -> Batch:
    """Samples as they were read, each through its channel's pipeline where it has one (by the channel's number)."""
    if not pipelines:
        return batch
    out = Batch()
    for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
        pipeline = pipelines.get(word >> 8)
        if pipeline is not None:
            pipeline.take(word & 0xFF, at, value, out)
        else:
            out.words.append(word)
            out.times.append(at)
            out.values.append(value)
    return out
