"""A whole set-up drafted from bytes: framing, reading, channels."""

import re
from collections.abc import Mapping, Sequence
from typing import Any

from tidybench.core.compile.edit import bare, changed
from tidybench.core.framing import make_framer
from tidybench.core.setup.framing import FramingPart
from tidybench.core.teaching.framings import propose_framing
from tidybench.core.teaching.proposals import Proposal, propose

Talk = Sequence[tuple[bytes, bytes]]
"""What was sent, and what came upon it until the next was sent; b"" where nothing had been sent."""


def channel_id(name: str, taken: set[str]) -> str:
    """An id made from a channel's name, unlike those taken; it is added to them."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "channel"
    made, number = plain, 1
    while made in taken:
        number += 1
        made = f"{plain}-{number}"
    taken.add(made)
    return made


def channels_of(proposal: Proposal, taken: set[str], query: str | None = None) -> list[dict[str, Any]]:
    """A proposal's channels as a set-up has them. `taken`: ids in use; those made are added."""
    made: list[dict[str, Any]] = []
    for one in proposal.channels:
        key: dict[str, Any] = {
            "id": channel_id(one.name, taken),
            "name": one.name[:80] or one.field,
            "field": one.field,
        }
        if query is not None:
            key["query"] = query
        made.append({**key, **({"unit": one.unit} if one.unit else {}), "decimals": min(9, one.decimals)})
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


def draft(talk: Talk, link: Mapping[str, Any], name: str) -> tuple[str, list[str]]:
    """TOML and the reasons for it; "" where no messages could be made out.

    Where something had been sent, it becomes the queries of an instrument that talks when asked.
    """
    asked = any(sent for sent, _ in talk)
    heard = b"".join(came for _, came in talk)
    framings = propose_framing(heard)
    if not framings:
        return "", ["No messages could be made out: nothing recurs that could end one."]
    framing, reasons = framings[0].framing, [f"framing: {framings[0].reason}."]
    taken: set[str] = set()
    channels: list[dict[str, Any]] = []
    queries: list[dict[str, Any]] = []
    changes: dict[str, Any] = {"framing": framing_keys(framing)}
    for number, (sent, bodies) in enumerate(_by_query(talk, framing).items(), 1):
        proposals = propose(bodies)
        if sent:
            key = f"query-{number}"
            query: dict[str, Any] = {"id": key, "send": sent.decode("latin-1")}
        if proposals:
            best = proposals[0]
            about = f"query {sent.decode('latin-1')!r}" if sent else "reading"
            reasons.append(
                f"{about}: {best.title}, {best.reads} of {best.of} messages: {'; '.join(best.reasons)}."
            )
            channels += channels_of(best, taken, key if sent else None)
            if best.check != "none":
                check = (
                    best.check
                    if isinstance(best.check, str)
                    else best.check.model_dump(exclude_defaults=True)
                )
                changes["framing"]["check"] = check
        reading = reading_of(proposals[0]) if proposals else {}
        if sent:
            queries.append({**query, **reading})
        else:
            changes["listen"] = reading
    text = bare(link, name, set())
    changes["instrument"] = {"talks": "when asked" if asked else "on its own"}
    if queries:
        changes["query"] = queries
    if channels:
        changes["channel"] = channels
    return changed(text, changes), reasons


def _by_query(talk: Talk, framing: FramingPart) -> dict[bytes, list[bytes]]:
    """The messages that came upon each query."""
    found: dict[bytes, list[bytes]] = {}
    if not any(sent for sent, _ in talk):
        framer = make_framer(framing, 0)
        framer.opened(0, whole=True)
        return {b"": framer.feed(b"".join(came for _, came in talk), 1).bodies}
    for sent, came in talk:
        if sent:
            framer = make_framer(framing, 0)
            framer.asked(sent, 0)
            found.setdefault(sent, []).extend(framer.feed(came, 1).bodies)
    # What was sent once was a command, and no query.
    return {sent: bodies for sent, bodies in found.items() if len(bodies) >= 2} or found
