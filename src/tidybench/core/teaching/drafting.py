"""A whole set-up drafted from bytes: framing, reading, channels."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tidybench.core.compile.edit import bare, changed
from tidybench.core.framing import Cut, Framer, make_framer
from tidybench.core.setup.framing import FramingPart
from tidybench.core.teaching.framings import FramingProposal, propose_framing
from tidybench.core.teaching.inference import NO_TEXT
from tidybench.core.teaching.proposals import Proposal, propose
from tidybench.core.teaching.question import Answers, Question

MAX_FRAMINGS = 3
FEW_BARE = 4
"""So many channels without a unit each get a lane of their own; of more it matters how large they are."""


@dataclass(slots=True)
class Exchanged:
    """What was sent (b"" where nothing had been), and what came upon it until the next was sent, piece by piece with its time:
    microseconds, 0 where no time is known."""

    sent: bytes
    pieces: list[tuple[int, bytes]]

    @property
    def came(self) -> bytes:
        """All that came."""
        return b"".join(piece for _, piece in self.pieces)


Talk = Sequence[Exchanged]


@dataclass(slots=True)
class Draft:
    """A set-up in TOML and the reasons for it; "" where there are questions, or where something is needed first."""

    text: str = ""
    reasons: list[str] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    needs: str = ""


def channel_id(name: str, taken: set[str]) -> str:
    """An id made from a channel's name, unlike those taken; it is added to them."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "channel"
    made, number = plain, 1
    while made in taken:
        number += 1
        made = f"{plain}-{number}"
    taken.add(made)
    return made


QUANTITIES = {
    "V": "Voltage", "A": "Current", "W": "Power", "Ohm": "Resistance", "bar": "Pressure", "Pa": "Pressure", "psi": "Pressure",
    "°C": "Temperature", "°F": "Temperature", "K": "Temperature", "%RH": "Humidity", "Hz": "Frequency", "rpm": "Speed",
    "L/min": "Flow", "l/min": "Flow", "m3/h": "Flow", "g": "Weight", "kg": "Weight", "kg/s": "Mass flow", "kg/h": "Mass flow", "g/s": "Mass flow", "N": "Force", "Nm": "Torque", "m": "Length",
    "mm": "Length",
}  # fmt: skip
"""What is measured in a unit, where a number has no label."""


def _named(proposal: Proposal, instrument: str) -> list[str]:
    """Names of a proposal's channels: those without a label are called by what they measure, or by the instrument."""
    bare = [one for one in proposal.channels if re.fullmatch(r"v\d+", one.field) and one.clock is None]
    names: list[str] = []
    for one in proposal.channels:
        name = one.name
        if one in bare and instrument:
            unit = one.unit if one.unit in QUANTITIES else one.unit[1:]
            name = instrument if len(bare) == 1 else QUANTITIES.get(unit, instrument)
            name = f"{name} {bare.index(one) + 1}" if len(bare) > 1 and name == instrument else name
        number, made = 1, name
        while made in names:
            number += 1
            made = f"{name} {number}"
        names.append(made)
    return names


def channels_of(
    proposal: Proposal, taken: set[str], query: str | None = None, instrument: str = ""
) -> list[dict[str, Any]]:
    """A proposal's channels as a set-up has them. `taken`: ids in use; those made are added. `instrument`: its name, for
    channels that nothing names."""
    made: list[dict[str, Any]] = []
    bare = [one for one in proposal.channels if not one.unit and not one.states and one.clock is None]
    for one, name in zip(proposal.channels, _named(proposal, instrument), strict=True):
        key: dict[str, Any] = {
            "id": channel_id(name, taken),
            "name": name[:80] or one.field,
            "field": one.field,
        }
        if query is not None:
            key["query"] = query
        if one.unit:
            key["unit"] = one.unit
        if one.clock is not None:
            key["clock"] = {"wraps_s": one.clock.wraps} if one.clock.wraps else {}
            if one.clock.tick != 1.0:
                key["scale"] = one.clock.tick
        if one.states:
            key["states"] = [*one.states]
        else:
            key["decimals"] = min(9, one.decimals)
        if one in bare and one.seen is not None and len(bare) > FEW_BARE:
            key["usual"] = [*one.seen]  # what may share a lane
        made.append(key)
    return made


def framing_keys(framing: FramingPart) -> dict[str, Any]:
    """A framing as a set-up has it, what ends its messages said outright."""
    keys: dict[str, Any] = framing.model_dump(exclude_defaults=True)
    return {**keys, "terminator": framing.terminator} if framing.kind == "ends with" else keys


def reading_of(proposal: Proposal) -> dict[str, Any]:
    """What a query or listener needs to read as proposed."""
    dumped: dict[str, Any] = proposal.listen.model_dump(exclude_defaults=True)
    if proposal.listen.reader is not None:
        dumped["reader"] = {
            "kind": proposal.listen.reader.kind,
            **proposal.listen.reader.model_dump(exclude_defaults=True),
        }
    return dumped


def draft(talk: Talk, link: Mapping[str, Any], name: str, answers: Answers | None = None) -> Draft:
    """Framing and reading chosen together: of the ways to cut, the best one whose messages can be read.

    Where something had been sent, it becomes the queries of an instrument that talks when asked.
    """
    pieces = [piece for one in talk for piece in one.pieces]
    framings = propose_framing(b"".join(data for _, data in pieces), pieces)
    if not framings:
        return Draft(needs="No messages could be made out: nothing recurs that could end one")
    tried = [_with_framing(talk, one, link, name, answers or {}) for one in framings[:MAX_FRAMINGS]]
    for good in (
        [t for t in tried if t.text],
        [t for t in tried if t.questions],
        [t for t in tried if t.needs != NO_TEXT],
    ):
        if good:
            return good[0]
    return tried[0]


def _with_framing(
    talk: Talk, cut: FramingProposal, link: Mapping[str, Any], name: str, answers: Answers
) -> Draft:
    framing, reasons = cut.framing, [f"framing: {cut.reason}."]
    taken: set[str] = set()
    channels: list[dict[str, Any]] = []
    queries: list[dict[str, Any]] = []
    questions: list[Question] = []
    changes: dict[str, Any] = {"framing": framing_keys(framing)}
    needs = ""
    for number, (sent, dated) in enumerate(_by_query(talk, cut).items(), 1):
        outcome = propose(
            [body for body, _ in dated], framing.encoding, framing.check, answers, [at for _, at in dated]
        )
        about = f"query {sent.decode('latin-1')!r}" if sent else "reading"
        questions += outcome.questions
        needs = needs or (f"{about}: {outcome.needs}" if sent and outcome.needs else outcome.needs)
        if not outcome.proposals:
            continue
        best = outcome.proposals[0]
        reasons.append(
            f"{about}: {best.title}, {best.reads} of {best.of} messages: {'; '.join(best.reasons)}."
        )
        key = f"query-{number}"
        channels += channels_of(best, taken, key if sent else None)
        if best.check != "none":
            check = best.check
            changes["framing"]["check"] = (
                check if isinstance(check, str) else check.model_dump(exclude_defaults=True)
            )
        if sent:
            queries.append({"id": key, "send": sent.decode("latin-1"), **reading_of(best)})
        else:
            changes["listen"] = reading_of(best)
    if questions or needs or not channels:
        return Draft("", reasons, questions, "" if questions else needs or "No message has a number in it")
    changes["instrument"] = {"talks": "when asked" if queries else "on its own"}
    if queries:
        changes["query"] = queries
    changes["channel"] = channels
    return Draft(changed(bare(link, name, set()), changes), reasons)


Dated = tuple[bytes, int]
"""A message and when it came: microseconds, 0 where that is not known."""


def _by_query(talk: Talk, cut: FramingProposal) -> dict[bytes, list[Dated]]:
    """The messages that came upon each query."""
    found: dict[bytes, list[Dated]] = {}
    if not any(one.sent for one in talk):
        return {b"": dated(cut, [piece for one in talk for piece in one.pieces])}
    for one in talk:
        if one.sent:
            framer = make_framer(cut.framing, 0)
            framer.asked(one.sent, 0)
            found.setdefault(one.sent, []).extend(_cut(framer, one.pieces))
    # What was sent once was a command, and no query.
    return {sent: bodies for sent, bodies in found.items() if len(bodies) >= 2} or found


def dated(cut: FramingProposal, pieces: Sequence[tuple[int, bytes]]) -> list[Dated]:
    """The messages of a framing, each with its time where the same ones are cut from the pieces as they came."""
    framer = make_framer(cut.framing, 0)
    framer.opened(0, whole=True)
    found = _cut(framer, pieces)[-len(cut.bodies) :]
    if [body for body, _ in found] == cut.bodies:
        return found
    return [(body, 0) for body in cut.bodies]


def _cut(framer: Framer, pieces: Sequence[tuple[int, bytes]]) -> list[Dated]:
    found: list[Dated] = []
    last = 0
    for at, piece in pieces:
        due = framer.deadline()
        if at and due is not None and due <= at:
            found += _messages(framer.passed(due), at)
        found += _messages(framer.feed(piece, at or last + 1), at)
        last = at or last + 1
    return found + _messages(framer.passed(last + 10**9), pieces[-1][0] if pieces else 0)


def _messages(cut: Cut, at: int) -> list[Dated]:
    return [(body, time if at else 0) for body, time in zip(cut.bodies, cut.times, strict=True)]
