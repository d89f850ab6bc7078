"""From set-ups to what one link does: which queries, which patterns, which channel numbers."""

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from tidybench.core.channels.finisher import Finisher
from tidybench.core.framing import Framer, make_check, make_framer
from tidybench.core.framing.check import Checker
from tidybench.core.protocols.modbus import frame
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.reader import ChannelRule, MessageReader
from tidybench.core.reading.registers import RegistersForm, requests
from tidybench.core.setup import ChannelPart, FramingPart, LimitsPart, LinkPart, ListenPart, Setup, SetupError


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
    trigger: bytes = b""
    trigger_wait: int = 0
    reply: "Reply" = field(default_factory=lambda: Reply())


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


@dataclass(slots=True)
class LinkPlan:
    """All that one link does. `readers` has one for each query, by its key, and one for each listener:
    "" for the first, "listen/ID" for others. `listeners`: these alone. `parts`: the channels, by number; `zeros`: what is
    taken off them from the beginning."""

    key: str
    link: LinkPart
    framing: FramingPart
    setups: tuple[Setup, ...]
    queries: tuple[QueryPlan, ...]
    readers: dict[str, MessageReader]
    channels: tuple[int, ...]
    listeners: tuple[MessageReader, ...] = ()
    parts: dict[int, ChannelPart] = field(default_factory=dict)
    zeros: dict[int, float] = field(default_factory=dict)

    def finishers(self) -> dict[int, Finisher]:
        """New ones, for the channels that need more than scale and offset."""
        return {
            number: Finisher(number, part.scaling, part.filter, part.thinning, self.zeros.get(number, 0.0))
            for number, part in self.parts.items()
            if not part.is_plain or self.zeros.get(number)
        }

    @property
    def talks_alone(self) -> bool:
        """Whether anything on this link talks without being asked."""
        return bool(self.listeners)

    def reply_to(self, key: str) -> Reply:
        """When the answer to a query is whole."""
        return next((query.reply for query in self.queries if query.key == key), Reply())

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


def same_work(one: Sequence[Setup], other: Sequence[Setup]) -> bool:
    """Whether a link has the same to do for both: names, limits and the like apart, which no byte depends on."""
    return [_work(setup) for setup in one] == [_work(setup) for setup in other]


def _work(setup: Setup) -> Setup:
    plain = {"name": "x", "decimals": 0, "limits": LimitsPart(), "calibration": None, "zero": None}
    channels = [channel.model_copy(update=plain) for channel in setup.channel]
    told = {"name": "x", "note": "", "warm_up_s": 0.0, "calibration": None}
    instrument = setup.instrument.model_copy(update=told)
    return setup.model_copy(update={"channel": channels, "instrument": instrument})


def plan_links(
    setups: Sequence[Setup], numbers: Mapping[str, int], zeros: Mapping[str, float] = {}
) -> list[LinkPlan]:
    """One plan for each link the set-ups name; instruments on one link share it.

    `numbers` gives every channel id its number, `zeros` what was zeroed before. Raises SetupError where instruments on one link
    disagree about its settings.
    """
    by_link: dict[str, list[Setup]] = {}
    for setup in setups:
        by_link.setdefault(setup.link.address, []).append(setup)
    plans = [_plan(address, tuple(group), numbers) for address, group in by_link.items()]
    for plan in plans:
        plan.parts = {numbers[c.id]: c for setup in plan.setups for c in setup.channel}
        plan.zeros = {number: zeros[c.id] for number, c in plan.parts.items() if c.id in zeros}
    return plans


def _plan(address: str, setups: tuple[Setup, ...], numbers: Mapping[str, int]) -> LinkPlan:
    first = setups[0]
    check = make_check(first.framing)
    queries: list[QueryPlan] = []
    readers: dict[str, MessageReader] = {}
    listening: dict[str, MessageReader] = {}
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
        who, prompt = setup.instrument.id, bool(setup.framing.prompt)
        for query in setup.query:
            key = f"{who}/{query.id}"
            mine = rules.get(query.id, [])
            forms = make_forms(query, setup.framing.encoding, {rule.field for rule in mine})
            readers[key] = MessageReader(who, forms, mine, check)
            until = query.until.encode("latin-1")
            lines = query.lines if query.lines != 1 or not (until or query.quiet_ms) else 0
            queries.append(
                QueryPlan(
                    key,
                    who,
                    query.send.encode("latin-1"),
                    _micro(query.every_s),
                    _micro(query.give_up_after_s),
                    round(len(query.send) * setup.link.byte_time),
                    query.on_demand,
                    query.trigger.encode("latin-1"),
                    _micro(query.trigger_wait_s),
                    Reply(lines, until, round(query.quiet_ms * 1000), prompt),
                )
            )
        if setup.modbus is not None:
            for query_plan, reader in _modbus(setup, rules.get(None, []), check):
                queries.append(query_plan)
                readers[query_plan.key] = reader
        if setup.instrument.talks != "when asked":
            listen = setup.listen or ListenPart()
            mine = rules.get(None, [])
            forms = make_forms(listen, setup.framing.encoding, {rule.field for rule in mine})
            begins, contains = (
                listen.begins.encode("latin-1", "replace"),
                listen.contains.encode("latin-1", "replace"),
            )
            listening[setup.instrument.name] = MessageReader(who, forms, mine, check, begins, contains)
    alike = [name for name, reader in listening.items() if not reader.is_told_apart]
    if len(alike) > 1:
        raise SetupError(
            [
                f"{' and '.join(alike)} share the port {address} and both talk by themselves: say how the messages of one are "
                "told from the other's, with begins or contains in [listen]."
            ]
        )
    listeners = tuple(listening.values())
    for number, reader in enumerate(listeners):
        readers[f"listen/{reader.instrument}" if number else ""] = reader
    return LinkPlan(
        address, first.link, first.framing, setups, tuple(queries), readers, tuple(used), listeners
    )


def _micro(seconds: float) -> int:
    return round(seconds * 1e6)


def _modbus(
    setup: Setup, rules: Sequence[ChannelRule], check: Checker | None
) -> list[tuple[QueryPlan, MessageReader]]:
    """The queries that fetch a register map, and what reads their replies."""
    part = setup.modbus
    assert part is not None
    found = []
    for number, request in enumerate(requests(part.registers, part.together), 1):
        pdu = bytes([request.function]) + struct.pack(">HH", request.first, request.count)
        data = frame(setup.framing.kind, part.unit, pdu)
        names = {register.name for register in request.registers}
        mine = [rule for rule in rules if rule.field in names]
        query = QueryPlan(
            f"{setup.instrument.id}/modbus-{number}",
            setup.instrument.id,
            data,
            _micro(part.every_s),
            _micro(part.give_up_after_s),
            round(len(data) * setup.link.byte_time),
            part.on_demand,
        )
        form = RegistersForm(part.unit, request)
        found.append((query, MessageReader(setup.instrument.id, [form], mine, check)))
    return found
