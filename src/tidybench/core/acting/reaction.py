"""Reactions: how channels stand, and what follows from it. A function of samples and time, like limits; it does nothing itself."""

import math
from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

from tidybench.core.quality import Quality
from tidybench.core.setup.reactions import DoPart, ReactionPart, Standing
from tidybench.core.values.state_name import state_name

LOOP_TURNS, LOOP_MOST, LOOP_GAP = 12, 6, 5_000_000
"""So many reactions one after the other, which repeat after at most so many, of at least two different ones, each within so many
microseconds of the one before: they set each other off."""


@dataclass(slots=True, frozen=True)
class Reacting:
    """A reaction is due. `before`: how its channel stood at the last one, "" for not known; `value`: what was measured, NaN for nothing;
    `doing`: what is done."""

    part: ReactionPart
    at: int
    standing: Standing
    before: str
    value: float
    doing: tuple[DoPart, ...]


@dataclass(slots=True, frozen=True)
class SetOff:
    """These set each other off; `at` in microseconds."""

    at: int
    ids: tuple[str, ...]


@dataclass(slots=True)
class Measured:
    """A channel that is watched: its newest good value (NaN for none), heard at `at`. While values are good and lie from `low` to `high`,
    no reaction changes: most samples are done with one look."""

    at: int
    value: float = math.nan
    low: float = math.inf
    high: float = -math.inf

    def changed(self) -> None:
        """The next sample is looked at by each reaction."""
        self.low, self.high = math.inf, -math.inf


class ReactionWatch:
    """Watches one channel for one reaction. Feed it every sample, in order. `stands`: how the channel stands now, "" for not known;
    `reacted`: how it stood when it reacted last. `states`: the words of a channel of states. `measured`: of its channel, which others may
    watch too."""

    def __init__(
        self, part: ReactionPart, now: int, states: Sequence[str] = (), measured: Measured | None = None
    ) -> None:
        self.part, self.states = part, states
        self.measured = measured or Measured(now)
        self.armed = True
        self.stands: Standing | Literal[""] = ""
        self.since = now
        self.reacted: Standing | str = ""
        self.reacted_at: int | None = None

    @property
    def value(self) -> float:
        """What was measured last, NaN for nothing."""
        return math.nan if self.stands == "not measured" else self.measured.value

    def sample(self, quality: int, value: float, now: int) -> Reacting | None:
        """A sample that was heard at `now`, in microseconds; what is due because of it."""
        if quality > Quality.FLAGGED or not math.isfinite(value):
            return None
        self.measured.at, self.measured.value = now, value
        standing = self._judge(value)
        if standing != self.stands:
            self.stands, self.since = standing, now
        if standing == "message":
            return self._due("message", now)
        if standing == "":  # watched for its loss alone: the next one is new
            self.reacted = ""
            return None
        at_first = self.reacted == "" and standing == "good"  # nothing has happened that would have to last
        if standing == self.reacted or (not at_first and now - self.since < self.part.for_s * 1e6):
            return None
        return self._due(standing, now)

    def look(self, now: int) -> Reacting | None:
        """What is due because nothing was measured."""
        if (due := self.deadline) is None or now < due:
            return None
        if self.stands != "not measured":
            self.stands, self.since = "not measured", now
            self.measured.changed()
        return self._due("not measured", now)

    @property
    def deadline(self) -> int | None:
        """When `look` wants to be called if nothing is measured before; None for never."""
        patience = self.part.not_measured_s
        if patience is None or not self.armed or self.reacted == "not measured":
            return None
        due = self.measured.at + round(patience * 1e6)
        return max(due, self._free_at) if self.reacted_at is not None else due

    def arm(self, on: bool, now: int) -> None:
        """Armed, it reacts to how its channel stands; whatever it did before is forgotten."""
        self.armed = on
        self.reacted, self.reacted_at = "", None
        self.measured.at = max(self.measured.at, now)
        self.measured.changed()

    @property
    def unchanged(self) -> tuple[float, float]:
        """From where to where a good value changes nothing, and nothing is due; from infinite to minus infinite: each may."""
        part, back = self.part, self.part.hysteresis
        known = self.stands != "" or not (part.words or part.below is not None or part.above is not None)
        pending = self.armed and self.stands != self.reacted
        if part.message or pending or not known or self.stands == "not measured":
            return math.inf, -math.inf
        if part.words:
            return self.measured.value, self.measured.value
        low, high = -math.inf, math.inf
        if part.above is not None:
            if self.stands == "above":
                low = math.nextafter(part.above - back, math.inf)
            else:
                high = part.above
        if part.below is not None and self.stands != "above":
            if self.stands == "below":
                high = min(high, math.nextafter(part.below + back, -math.inf))
            else:
                low = part.below
        return low, high

    @property
    def _free_at(self) -> int:
        return (self.reacted_at or 0) + round(self.part.hold_off_s * 1e6)

    def _due(self, standing: Standing, now: int) -> Reacting | None:
        if not self.armed:
            return None
        before, doing = self.reacted, self.part.done_when(standing)
        if before == "" and standing == "good":  # nothing has happened, but what is switched must be right
            doing = [one for one in doing if one.command is not None]
        if not doing:  # from here on coming back is new, whatever is held off
            self.reacted = standing
            return None
        if self.reacted_at is not None and now < self._free_at:
            return None
        self.reacted, self.reacted_at = standing, now
        if self.part.once:
            self.armed = False
        return Reacting(self.part, now, standing, before, self.value, tuple(doing))

    def _judge(self, value: float) -> Standing | Literal[""]:
        """How a value stands; coming back takes the hysteresis."""
        part, back = self.part, self.part.hysteresis
        if part.message:
            return "message"
        if part.words:
            return "is" if state_name(self.states, value) in part.words else "good"
        if part.above is not None and value > part.above - (back if self.stands == "above" else 0.0):
            return "above"
        if part.below is not None and value < part.below + (back if self.stands == "below" else 0.0):
            return "below"
        return "good" if part.above is not None or part.below is not None else ""


@dataclass(slots=True)
class ReactionWatches:
    """All reactions of a bench, by the numbers of the channels that they watch; those of a channel share what is measured of it. One thread
    at a time may use it."""

    watches: Mapping[int, Sequence[ReactionWatch]] = field(default_factory=dict)
    _newest: deque[Reacting] = field(default_factory=lambda: deque(maxlen=LOOP_TURNS))

    @property
    def all(self) -> list[ReactionWatch]:
        """Every one of them."""
        return [one for each in self.watches.values() for one in each]

    def samples(self, words: Iterable[int], values: Iterable[float], now: int) -> list[Reacting]:
        """Samples (see `batch`) that were heard at `now`; what is due because of them."""
        found: list[Reacting] = []
        for word, value in zip(words, values, strict=True):
            watches = self.watches.get(word >> 8)
            if watches is None:
                continue
            quality, measured = word & 0xFF, watches[0].measured
            if quality <= Quality.FLAGGED and measured.low <= value <= measured.high:
                measured.at, measured.value = now, value
                continue
            for watch in watches:
                if (due := watch.sample(quality, value, now)) is not None:
                    found.append(due)
            bands = [watch.unchanged for watch in watches]
            measured.low, measured.high = max(low for low, _ in bands), min(high for _, high in bands)
        return found

    def look(self, now: int) -> list[Reacting]:
        """What is due because nothing was measured."""
        return [due for one in self.all if (due := one.look(now)) is not None]

    @property
    def deadline(self) -> int | None:
        """When `look` wants to be called at the latest; None for never."""
        return min((due for one in self.all if (due := one.deadline) is not None), default=None)

    def set_off(self, one: Reacting) -> SetOff | None:
        """Whether this one, which acts on an instrument, belongs to a circle of reactions that set each other off. Those are
        disarmed."""
        newest = self._newest
        newest.append(one)
        turns = [(each.part.id, each.standing) for each in newest]
        ids = sorted({id for id, _ in turns})
        if len(turns) < LOOP_TURNS or len(ids) < 2:
            return None
        repeats = any(turns[n:] == turns[:-n] for n in range(2, LOOP_MOST + 1))
        if not repeats or any(after.at - before.at > LOOP_GAP for before, after in pairwise(newest)):
            return None
        for watch in self.all:
            if watch.part.id in ids:
                watch.armed = False
        newest.clear()
        return SetOff(one.at, tuple(ids))
