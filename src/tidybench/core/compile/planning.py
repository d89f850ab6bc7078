"""From set-ups to what each link does: which queries, which readers, which channel numbers."""

import struct
from collections.abc import Mapping, Sequence

from tidybench.core.compile.link_plan import LinkPlan, QueryPlan, Reply
from tidybench.core.framing import make_check
from tidybench.core.framing.check import Checker
from tidybench.core.protocols.modbus import frame
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.reader import ChannelRule, MessageReader
from tidybench.core.reading.registers import RegistersForm, requests
from tidybench.core.setup import LimitsPart, ListenPart, Setup, SetupError
from tidybench.core.values.origin import Asked, Heard, ReaderKey


def same_work(one: Sequence[Setup], other: Sequence[Setup]) -> bool:
    """Whether a link has the same to do for both: names, limits, commands and the like apart, which nothing depends on
    that goes on by itself."""
    return [_work(setup) for setup in one] == [_work(setup) for setup in other]


def _work(setup: Setup) -> Setup:
    plain = {
        "name": "x",
        "decimals": 0,
        "usual": None,
        "limits": LimitsPart(),
        "calibration": None,
        "zero": None,
    }
    channels = [channel.model_copy(update=plain) for channel in setup.channel]
    told = {"name": "x", "group": "", "note": "", "warm_up_s": 0.0, "calibration": None}
    instrument = setup.instrument.model_copy(update=told)
    return setup.model_copy(
        update={
            "channel": channels,
            "instrument": instrument,
            "command": [],
            "error_queue": None,
            "safe": None,
        }
    )


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
    readers: dict[ReaderKey, MessageReader] = {}
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
                ChannelRule(
                    number,
                    channel.field,
                    channel.scale,
                    channel.offset,
                    tuple(channel.states),
                    channel.combine,
                )
            )
        who, prompt = setup.instrument.id, bool(setup.framing.prompt)
        for query in setup.query:
            key = Asked(who, query.id)
            mine = rules.get(query.id, [])
            forms = make_forms(
                query, setup.framing.encoding, {rule.field for rule in mine if not rule.states}
            )
            readers[key] = MessageReader(who, forms, mine, check)
            until = query.until.encode("latin-1")
            lines = query.lines if query.lines != 1 or not (until or query.quiet_ms) else 0
            queries.append(
                QueryPlan(
                    key,
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
            forms = make_forms(
                listen, setup.framing.encoding, {rule.field for rule in mine if not rule.states}
            )
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
    readers |= {Heard(reader.instrument): reader for reader in listeners}
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
            Asked(setup.instrument.id, f"modbus-{number}"),
            data,
            _micro(part.every_s),
            _micro(part.give_up_after_s),
            round(len(data) * setup.link.byte_time),
            part.on_demand,
        )
        form = RegistersForm(part.unit, request)
        found.append((query, MessageReader(setup.instrument.id, [form], mine, check)))
    return found
