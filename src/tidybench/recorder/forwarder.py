"""All destinations: which are in force, and what they are told of samples."""

import logging
from collections.abc import Callable, Sequence
from pathlib import Path

from tidybench.core.batch import Batch
from tidybench.core.forwarding.message_maker import MessageMaker
from tidybench.core.setup.destinations import DestinationPart, Destinations
from tidybench.core.values.channel import Channel
from tidybench.links.outlets import words_of
from tidybench.recorder.clock import Clock
from tidybench.recorder.outlet import Outlet
from tidybench.runs.entry import Entry
from tidybench.wire.forwarding import DestinationStatus

logger = logging.getLogger(__name__)


class Forwarder:
    """`put` and `fit` are the service's; `seen` is called by the links' threads, `heard` by the writer's. `text`: the document in force."""

    def __init__(
        self,
        channels: Callable[[], Sequence[Channel]],
        clock: Clock,
        simulated: Path | None,
        listen: Callable[[bool], None],
    ) -> None:
        """`channels`: those of the bench, as they are now. `listen`: told whether samples are wanted: nobody is called for nothing."""
        self._listen = listen
        self._channels, self._clock, self._simulated = channels, clock, simulated
        self.text = ""
        self._parts: list[DestinationPart] = []
        self._outlets: dict[str, Outlet] = {}
        self._wrong: dict[str, str] = {}
        self._taking: tuple[Outlet, ...] = ()
        self._wanted: frozenset[int] = frozenset()
        self._calculated: frozenset[int] = frozenset()
        self._fitted: object = None

    def put(self, text: str, destinations: Destinations) -> None:
        """These are in force from now on."""
        self.text, self._parts = text, list(destinations.destination)
        self.fit()

    def fit(self) -> None:
        """Destinations fit the channels that there are now; those in which nothing has changed go on."""
        plain = set(Channel.model_fields)  # how they stand to their limits is none of its business
        channels = {one.id: Channel.model_validate(one.model_dump(include=plain)) for one in self._channels()}
        fitted = (self._parts, channels)
        if fitted == self._fitted:
            return
        self._fitted = fitted
        before, outlets, self._wrong = dict(self._outlets), {}, {}
        for part in self._parts:
            if not part.on:
                continue
            try:
                maker = MessageMaker(part, channels)
            except ValueError as error:
                self._wrong[part.id] = str(error)
                continue
            old = before.get(part.id)
            same = (
                old is not None and old.part == part and old.channels == [channels[k] for k in part.channels]
            )
            if old is not None and same:
                outlets[part.id] = old
            else:
                outlets[part.id] = Outlet(
                    part, maker, self._clock, self._simulated, [channels[k] for k in part.channels]
                )
        for key, one in before.items():
            if outlets.get(key) is not one:
                one.stop()
        self._outlets = outlets
        self._taking = tuple(outlets.values())
        self._wanted = frozenset(number for one in outlets.values() for number in one.numbers)
        self._calculated = (
            frozenset(one.number for one in channels.values() if not one.instrument) & self._wanted
        )
        self._listen(bool(self._wanted))
        for key, one in outlets.items():
            if before.get(key) is not one:
                one.start()

    def seen(self, batch: Batch) -> None:
        """Samples that were read just now."""
        wanted = self._wanted
        for word in batch.words:
            if word >> 8 in wanted:
                for one in self._taking:
                    one.take(batch)
                return

    def heard(self, entries: Sequence[Entry]) -> None:
        """What has happened; calculated samples are handed on from here."""
        numbers = self._calculated
        if not numbers:
            return
        for entry in entries:
            if entry.batch is None:
                continue
            mine = Batch()
            for word, at, value in zip(entry.batch.words, entry.batch.times, entry.batch.values, strict=True):
                if word >> 8 in numbers:
                    mine.words.append(word)
                    mine.times.append(at)
                    mine.values.append(value)
            if len(mine):
                for one in self._taking:
                    one.take(mine)

    def stop(self) -> None:
        """End all of them."""
        for one in self._outlets.values():
            one.stop()

    def status(self) -> list[DestinationStatus]:
        """How they stand, in their order. Any thread."""
        found = []
        for part in self._parts:
            one = self._outlets.get(part.id)
            if one is not None:
                found.append(one.status())
                continue
            why = self._wrong.get(part.id, "")
            found.append(
                DestinationStatus(
                    id=part.id, name=part.name, to=words_of(part.to), on=part.on, state="wrong" if why else "off", why=why,
                    sent=0, bytes=0, waiting=0, dropped=0, late_ms=None, answered=0,
                )
            )  # fmt: skip
        return found
