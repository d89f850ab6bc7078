"""What one link does: its queries, what reads their answers, its channels."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from tidybench.core.channels.device_clock import DeviceClock
from tidybench.core.channels.pipeline import ChannelPipeline, Pipeline
from tidybench.core.curves.gathering import Gatherer, gatherer_of
from tidybench.core.framing import Framer, make_check, make_framer
from tidybench.core.framing.check import Checker
from tidybench.core.reading.reader import MessageReader
from tidybench.core.setup import ChannelPart, FramingPart, LinkPart, Setup
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.values.origin import Asked, ReaderKey


@dataclass(slots=True, frozen=True)
class Reply:
    """When the answer to a query is whole: after `lines` messages (0: they are not counted), at one that
    begins with `until`, at a prompt, or after `quiet` microseconds of silence."""

    lines: int = 1
    until: bytes = b""
    quiet: int = 0
    prompt: bool = False

    @property
    def single(self) -> bool:
        """Whether the first message is all."""
        return self.lines == 1 and not self.until and not self.quiet


@dataclass(slots=True, frozen=True)
class QueryPlan:
    """One query of one instrument on a link. Times in microseconds."""

    key: Asked
    data: bytes
    every: int
    give_up_after: int
    wire_time: int
    on_demand: bool = False
    trigger: bytes = b""
    trigger_wait: int = 0
    reply: Reply = field(default_factory=Reply)

    @property
    def instrument(self) -> str:
        """Whose it is."""
        return self.key.instrument


@dataclass(slots=True)
class LinkPlan:
    """All that one link does. `key`: the link's address. `readers`: one for each query and one for each instrument that
    talks by itself. `parts`: the channels, by number; `zeros`: what is taken off them from the beginning."""

    key: str
    link: LinkPart
    framing: FramingPart
    setups: tuple[Setup, ...]
    queries: tuple[QueryPlan, ...]
    readers: dict[ReaderKey, MessageReader]
    channels: tuple[int, ...]
    listeners: tuple[MessageReader, ...] = ()
    parts: dict[int, ChannelPart] = field(default_factory=dict)
    zeros: dict[int, float] = field(default_factory=dict)

    def pipelines(self) -> dict[int, Pipeline]:
        """New ones, for the channels that need more than scale and offset."""
        return {
            number: ChannelPipeline(
                number, part.scaling, part.filter, part.thinning, self.zeros.get(number, 0.0)
            )
            if part.clock is None
            else DeviceClock(number, part.clock.wraps_s)
            for number, part in self.parts.items()
            if not part.is_plain or self.zeros.get(number)
        }

    def gatherers(self) -> dict[str, tuple[Gatherer, ...]]:
        """New ones, for the curves of each instrument that has any."""
        codec = ENCODINGS[self.framing.encoding]
        return {
            setup.instrument.id: tuple(gatherer_of(setup.instrument.id, part, codec) for part in setup.curve)
            for setup in self.setups
            if setup.curve
        }

    def check(self) -> Checker | None:
        """What takes the check characters off a message, None where there are none."""
        return make_check(self.framing)

    @property
    def talks_alone(self) -> bool:
        """Whether anything on this link talks without being asked."""
        return bool(self.listeners)

    def reply_to(self, key: Asked) -> Reply:
        """When the answer to a query is whole."""
        return next((query.reply for query in self.queries if query.key == key), Reply())

    def give_up_after(self, key: Asked) -> int:
        """Microseconds that an answer may take."""
        return next((query.give_up_after for query in self.queries if query.key == key), 0)

    @property
    def command_gap(self) -> int:
        """Microseconds the link is left alone before every command."""
        return round(self.link.command_gap_ms * 1000)

    def framer(self) -> Framer:
        """A new framer for this link."""
        return make_framer(self.framing, self.link.byte_time)

    def expecting(self) -> set[str]:
        """The instruments that must prove who they are before a sample is taken."""
        return {s.instrument.id for s in self.setups if s.identity is not None and s.identity.expect}

    def take_names(self, setups: Sequence[Setup], parts: dict[int, ChannelPart]) -> None:
        """Set-ups that differ in nothing a byte depends on (`same_work`) come into force: names, limits and the like."""
        self.setups, self.parts = tuple(setups), parts
