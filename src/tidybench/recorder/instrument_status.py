"""An instrument as the recorder sees it right now, with its reading path."""

from tidybench.core.channels.device_clock import DeviceClock
from tidybench.core.exchange.identity import Identity
from tidybench.core.path import Facts, reading_path
from tidybench.core.reading.reader import Counts, MessageReader
from tidybench.core.setup import SerialPart, Setup
from tidybench.links.ports import SIMULATED
from tidybench.recorder.rates import Rates
from tidybench.recorder.worker import Worker
from tidybench.wire.commands import ActStatus
from tidybench.wire.instruments import IdentityStatus, InstrumentStatus, ModemStatus, StageStatus


def instrument_status(
    setup: Setup, worker: Worker, rates: Rates, now: int, shared: bool, acts: list[ActStatus]
) -> InstrumentStatus:
    """Everything that is known of one instrument. `shared`: others are on its link. `acts`: the newest of its commands."""
    address = setup.link.address
    facts = _facts(setup, worker, rates, now, shared)
    gridded = setup.grid
    fastest = min(gridded, default=None)
    stages = [
        StageStatus(
            name=s.name, state=s.state, words=s.words, sentence=s.sentence, offer=s.offer, figures=s.figures
        )
        for s in reading_path(facts)
    ]
    lines = worker.modem_lines()
    who = worker.session.identities.get(setup.instrument.id)
    counts = facts.counts
    return InstrumentStatus(
        id=setup.instrument.id,
        name=setup.instrument.name,
        group=setup.instrument.group,
        talks=setup.instrument.talks,
        link=address,
        kind=setup.link.kind,
        settings=setup.link.short,
        sends_end=setup.sends_end,
        asked_per_s=1 / fastest if fastest else None,
        has_queries=setup.is_asked,
        draws=bool(setup.curve),
        messages_per_s=facts.messages_per_s,
        answer_ms=counts.answer_time / 1000 if facts.asked and counts.answer_time else None,
        stages=stages,
        simulated=address.startswith(SIMULATED),
        released=worker.released and worker.trouble == "released",
        modem=ModemStatus(cts=lines.cts, dsr=lines.dsr, dcd=lines.dcd, ri=lines.ri) if lines else None,
        identity=IdentityStatus(lines=list(who.lines), expected=who.expected, matches=who.matches)
        if who and who.heard
        else None,
        acts=acts,
    )


def _messages_of(
    setup: Setup, own: list[MessageReader], address: str, all_of_them: int, shared: bool
) -> tuple[str, str, int]:
    """What to count an instrument's messages by: on a shared link those of its own queries alone."""
    if not shared:
        return address, "messages", all_of_them
    mine = sum(r.counts.understood + r.counts.not_understood + r.counts.bad_checks for r in own)
    return address, f"messages of {setup.instrument.id}", mine


def _facts(setup: Setup, worker: Worker, rates: Rates, now: int, shared: bool) -> Facts:
    address = setup.link.address
    counts = worker.reader.counts
    own = [r for r in worker.plan.readers.values() if r.instrument == setup.instrument.id]
    newest = max(own, key=lambda reader: reader.counts.last_at, default=None)
    worst = next((r for r in own if r.counts.recent), newest)
    gridded = setup.grid
    asked = setup.instrument.talks == "when asked"
    interval = max(gridded, default=1.0) if asked else setup.listening_interval
    part = setup.link
    named = {channel.id: channel.name for channel in setup.channel if channel.clock is not None}
    return Facts(
        now=now,
        port_name=address,
        port_trouble=worker.trouble,
        port_sentence=worker.sentence,
        settings=part.short,
        counts=counts,
        readings=worst.counts if worst is not None else Counts(),
        asked=asked,
        interval_s=min(interval, 3600.0),
        give_up_s=setup.patience,
        framing=setup.framing.described,
        ending=setup.framing.ending,
        has_channels=bool(setup.channel),
        serial=isinstance(part, SerialPart),
        has_queries=setup.is_asked,
        has_patterns=setup.is_read,
        silence_is_normal=setup.instrument.talks == "on its key"
        or (setup.is_asked and not gridded)
        or (bool(setup.curve) and not setup.is_asked and not setup.is_read)
        or part.kind == "file",
        shared=shared,
        rs485=isinstance(part, SerialPart) and part.rs485 is not None,
        check=setup.framing.checked_by,
        waiting=worker.waiting(),
        pending=worker.reader.framer.pending,
        binary=setup.framing.binary,
        identity=worker.session.identities.get(setup.instrument.id, Identity()),
        command_trouble=worker.session.troubles.get(setup.instrument.id, ""),
        bytes_in_per_s=rates.of(address, "in", counts.bytes_in),
        bytes_out_per_s=rates.of(address, "out", counts.bytes_out),
        clocks=tuple(
            (named[p.id], made)
            for number, p in worker.plan.parts.items()
            if p.id in named and isinstance(made := worker.reader.pipelines.get(number), DeviceClock)
        ),
        messages_per_s=rates.of(*_messages_of(setup, own, address, counts.messages, shared)),
    )
