"""From set-ups to what one link does: which queries, which patterns, which channel numbers."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from tidybench.core.framing import Framer, make_check, make_framer
from tidybench.core.reading.reader import ChannelRule, MessageReader
from tidybench.core.setup import FramingPart, LinkPart, Setup, SetupError


@dataclass(slots=True, frozen=True)
class QueryPlan:
    """One query of one instrument on a link. Times in microseconds."""

    key: str
    instrument: str
    data: bytes
    every: int
    give_up_after: int
    wire_time: int
    on_demand: bool = False


@dataclass(slots=True)
class LinkPlan:
    """All that one link does. `readers` has one for each query, by its key, and "" for listening."""

    key: str
    link: LinkPart
    framing: FramingPart
    setups: tuple[Setup, ...]
    queries: tuple[QueryPlan, ...]
    readers: dict[str, MessageReader]
    channels: tuple[int, ...]

    @property
    def talks_alone(self) -> bool:
        """Whether anything on this link talks without being asked."""
        return "" in self.readers

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


def plan_links(setups: Sequence[Setup], numbers: Mapping[str, int]) -> list[LinkPlan]:
    """One plan for each link the set-ups name; instruments on one link share it.

    `numbers` gives every channel id its number. Raises SetupError where instruments on one link
    disagree about its settings.
    """
    by_link: dict[str, list[Setup]] = {}
    for setup in setups:
        by_link.setdefault(setup.link.address, []).append(setup)
    return [_plan(address, tuple(group), numbers) for address, group in by_link.items()]


def _plan(address: str, setups: tuple[Setup, ...], numbers: Mapping[str, int]) -> LinkPlan:
    first = setups[0]
    check = make_check(first.framing)
    queries: list[QueryPlan] = []
    readers: dict[str, MessageReader] = {}
    listening: list[MessageReader] = []
    used: list[int] = []
    for setup in setups:
        if setup.link != first.link or setup.framing != first.framing:
            raise SetupError(
                [
                    f"{setup.instrument.name} and {first.instrument.name} share the port {address} "
                    "but not its settings: give both the same [link] and [framing]."
                ]
            )
        rules: dict[str | None, list[ChannelRule]] = {}
        for channel in setup.channel:
            number = numbers[channel.id]
            used.append(number)
            rules.setdefault(setup.query_of(channel), []).append(
                ChannelRule(number, channel.field, channel.scale, channel.offset)
            )
        for query in setup.query:
            key = f"{setup.instrument.id}/{query.id}"
            data = query.send.encode("latin-1")
            wire_time = round(len(data) * setup.link.byte_time)
            every, give_up = round(query.every_s * 1e6), round(query.give_up_after_s * 1e6)
            queries.append(
                QueryPlan(key, setup.instrument.id, data, every, give_up, wire_time, query.on_demand)
            )
            patterns = [setup.compiled(source) for source in query.patterns]
            readers[key] = MessageReader(setup.instrument.id, patterns, rules.get(query.id, []), check)
        if setup.instrument.talks != "when asked":
            sources = setup.listen.patterns if setup.listen is not None else []
            patterns = [setup.compiled(source) for source in sources]
            listening.append(MessageReader(setup.instrument.id, patterns, rules.get(None, []), check))
    if len(listening) > 1:
        names = " and ".join(s.instrument.name for s in setups if s.instrument.talks != "when asked")
        raise SetupError([f"{names} share the port {address}: only one that talks by itself can have it."])
    if listening:
        readers[""] = listening[0]
    return LinkPlan(address, first.link, first.framing, setups, tuple(queries), readers, tuple(used))
