"""What follows from all links' samples together: calculated channels, and limits that are crossed.

Like the rest of the core a pure function: fed with what happened, in order of sequence, it gives the same live and from a tape.
"""

from collections.abc import Mapping, Sequence
from typing import Any

from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import Calculated, Calculator, Known
from tidybench.core.channels.limits import LimitWatch
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import Calculations
from tidybench.core.setup.channel import LimitsPart
from tidybench.core.tape.events import Event, Hole, Note, Opened, Start
from tidybench.core.values.crossing import Crossing

BEGIN, RESTARTED, END = "begin", "recorder restarted", "end"
"""Notes at which a tape begins, or goes on after a break: everything that is remembered starts again. And at which it ends."""


def basis(setups: Sequence[Setup], calculations: Calculations) -> object:
    """What a derivation depends on: where it is the same, what is remembered goes on."""
    channels = [
        (c.id, c.unit, setup.interval_of(c), setup.link.address, setup.instrument.warm_up_s)
        for setup in setups
        for c in setup.channel
    ]
    plain = {"name": "x", "decimals": 0, "limits": LimitsPart()}
    return channels, [part.model_copy(update=plain) for part in calculations.calculated]


class Derivation:
    """Calculated channels and limits of a bench. `tape`: only links whose starting state has come count, as on a tape that has just begun."""

    def __init__(
        self,
        setups: Sequence[Setup],
        calculations: Calculations,
        numbers: Mapping[str, int],
        tape: bool = False,
    ) -> None:
        known = [
            Known(numbers[c.id], c.id, c.unit, setup.interval_of(c))
            for setup in setups
            for c in setup.channel
        ]
        self._calculator = Calculator(calculations.calculated, known, numbers)
        self._links = {numbers[c.id]: setup.link.address for setup in setups for c in setup.channel}
        self.watches: dict[int, LimitWatch] = {}
        for setup in setups:
            for channel in setup.channel:
                number = numbers[channel.id]
                self.watches[number] = LimitWatch(
                    number, channel.limits, setup.instrument.warm_up_s, channel.states
                )
        for part in calculations.calculated:
            self.watches[numbers[part.id]] = LimitWatch(numbers[part.id], part.limits)
        self._started: set[str] | None = set() if tape else None
        self._judged = any(watch.limits.any for watch in self.watches.values())

    @property
    def calculated(self) -> list[Calculated]:
        """The calculated channels, in their order."""
        return self._calculator.all

    @property
    def failed(self) -> bool:
        """Whether the evaluation of a calculated channel failed since the last look."""
        return self._calculator.failed

    def failures(self) -> list[tuple[str, Exception]]:
        """Which failed, by name, and of what; they are taken out."""
        return self._calculator.failures()

    def inherit(self, older: "Derivation") -> None:
        """Take over the states of limits from the one that goes, so that nothing is said twice."""
        self._started = older._started
        for number, watch in self.watches.items():
            old = older.watches.get(number)
            if old is not None:
                self.watches[number] = old
                old.change(watch.limits, watch.states)

    def limit(self, number: int, limits: LimitsPart) -> None:
        """Other limits for a channel from here on."""
        self.watches[number].change(limits)
        self._judged = any(watch.limits.any for watch in self.watches.values())

    def feed(self, link: str, event: Event, batch: Batch | None) -> list[Crossing]:
        """An event and its samples: calculated ones are appended to the batch. Gives the limits that were crossed."""
        kind = type(event)
        if batch is None or not batch.words:
            if isinstance(event, Start):
                if not link:
                    self._take_up(event.state)
                elif self._started is not None:
                    self._started.add(link)
            elif kind is Note and event.what in (BEGIN, RESTARTED):  # type: ignore[union-attr]
                self._calculator.restart()
                self._started = set()
                for watch in self.watches.values():
                    watch.started(event.at, opened=False)
            elif kind is Hole and self._started is not None:
                self._started = set()
            elif kind is Note and event.what == END:  # type: ignore[union-attr]
                self._started = None
            elif kind is Opened:
                for number, watch in self.watches.items():
                    if self._links.get(number) == link:
                        watch.started(event.at, opened=True)
            return []
        if self._started is None or link in self._started:
            more = self._calculator.feed(batch)
            if more is not None:
                batch.words += more.words
                batch.times += more.times
                batch.values += more.values
        return self._judge(batch) if self._judged else []

    def state(self) -> dict[str, Any]:
        """What a segment of a tape must open with, as the link ""."""
        return self._calculator.state() | {"started": sorted(self._started or ())}

    def _take_up(self, state: dict[str, Any]) -> None:
        self._calculator.restore(state)
        if self._started is not None:
            self._started |= set(state["started"])

    def _judge(self, batch: Batch) -> list[Crossing]:
        found = []
        watches = self.watches
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            watch = watches.get(word >> 8)
            if watch is not None:
                crossing = watch.take(word & 0xFF, at, value)
                if crossing is not None:
                    found.append(crossing)
        return found
