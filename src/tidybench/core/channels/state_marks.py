"""Marks that instruments set: a channel of states that becomes one of the words chosen for it."""

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.setup.channel import ChannelPart
from tidybench.core.values.mark import Mark
from tidybench.core.values.state_name import state_name

MOST = 10
"""Marks of a channel within a minute. One that flutters must not bury the others."""

MINUTE = 60_000_000


@dataclass(slots=True)
class _Watched:
    part: ChannelPart
    by: str
    value: float | None = None
    marked: deque[int] = field(default_factory=deque)
    rests_until: int = 0


class StateMarks:
    """Watches all channels that set marks. Not for several threads."""

    def __init__(self) -> None:
        self._watched: dict[int, _Watched] = {}

    def employ(self, parts: Iterable[tuple[int, ChannelPart, str]]) -> None:
        """These channels from here on: number, channel, and the instrument's name. What state one was in is kept."""
        before, self._watched = self._watched, {}
        for number, part, by in parts:
            if part.marks:
                old = before.get(number)
                self._watched[number] = replace(old, part=part, by=by) if old else _Watched(part, by)

    def feed(self, batch: Batch) -> list[Mark]:
        """Samples, in order; the marks that they set, each at its sample's time in whole milliseconds."""
        if not self._watched:
            return []
        made = []
        for packed, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            one = self._watched.get(packed >> 8)
            if one is None or packed & 0xFF > Quality.FLAGGED:
                continue
            before, one.value = one.value, value
            # What it was in when it was first heard of has not happened now.
            if before is None or value == before:
                continue
            word = state_name(one.part.states, value)
            if word is not None and word in one.part.marks:
                made += _marks(one, word, at)
        return made


def _marks(one: _Watched, word: str, at: int) -> list[Mark]:
    if at < one.rests_until:
        return []
    moment = at // 1000 * 1000
    while one.marked and one.marked[0] <= at - MINUTE:
        one.marked.popleft()
    if len(one.marked) == MOST:
        one.rests_until = at + MINUTE
        one.marked.clear()
        text = f"{one.part.name} changes too often: it sets no marks for a minute"
        return [Mark(moment, text, one.by)]
    one.marked.append(at)
    return [Mark(moment, f"{one.part.name}: {word}", one.by)]
