"""Teaching: what a set-up would make of the last messages, proposals, patterns by pointing."""

from collections.abc import Sequence

from fastapi import APIRouter, HTTPException, Request
from starlette.concurrency import run_in_threadpool

from tidybench.core.events import Event, Opened, Received, Sent
from tidybench.core.plan import plan_links
from tidybench.core.preview import Previewed, preview
from tidybench.core.reading.pattern import Pattern, PatternError
from tidybench.core.reading.reader import MessageReader
from tidybench.core.setup import ChannelPart, Setup, SetupError, load
from tidybench.core.setup.edit import changed
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.drafting import channels_of
from tidybench.core.teaching.framings import propose_framing, score
from tidybench.core.teaching.pointing import point
from tidybench.core.teaching.proposals import propose
from tidybench.core.teaching.remedies import remedies, token_remedies
from tidybench.core.teaching.tokens import shape, tokens
from tidybench.web.bench_routes import REFUSALS
from tidybench.web.context import answered, context_of
from tidybench.web.instrument_routes import setups_in_force, stored_setup
from tidybench.web.models import (
    Failure,
    FramingSuggestion,
    MessageSpan,
    PatternSource,
    Pointed,
    Preview,
    PreviewRow,
    Proposals,
    ReadingProposal,
    RemedyInfo,
    SetupChange,
)
from tidybench.wire.messages import GetTape, TapeLine

router = APIRouter(prefix="/api", responses=REFUSALS)

LAST_LINES = 2000
MOST_FAILURES = 8
MOST_PROPOSALS = 3
BETTER_BY = 0.15
"""How much more alike another framing's messages must look to be suggested."""


@router.post("/instruments/{key}/preview")
async def show_preview(request: Request, key: str, body: SetupChange) -> Preview:
    """What a changed set-up would make of the last 200 messages. Nothing is kept."""
    setup, events, trouble = await _drafted(request, key, body)
    return await run_in_threadpool(_preview, setup, events, trouble)


@router.post("/instruments/{key}/proposals")
async def show_proposals(request: Request, key: str, body: SetupChange) -> Proposals:
    """Ways to cut and to read what came last, the best first. Nothing is kept."""
    setup, events, _ = await _drafted(request, key, body)
    everyone = await run_in_threadpool(setups_in_force, context_of(request))
    taken = {c.id for one in everyone if one.key != key for c in load(one.text).channel}
    return await run_in_threadpool(_proposals, setup, events, taken)


@router.post("/patterns/point")
async def point_at(body: Pointed) -> PatternSource:
    """The pattern in which a part of a message means what was said."""
    try:
        message = body.message.encode("latin-1")
        source = point(
            body.source, message, body.start, body.end, body.meaning, body.name.strip(), body.unit.strip(), body.encoding
        )  # fmt: skip
    except PatternError as error:
        raise HTTPException(400, f"That cannot be read so: {error.what} {error.advice}".strip()) from None
    except (ValueError, UnicodeEncodeError) as error:
        raise HTTPException(400, str(error)) from None
    return PatternSource(source=source)


async def _drafted(request: Request, key: str, body: SetupChange) -> tuple[Setup, list[Event], str]:
    """The set-up with the changes (or as it is kept, and why not), and what came last on its link."""
    stored = await stored_setup(request, key)
    kept = load(stored.text)
    try:
        setup, trouble = load(changed(stored.text, body.changes)), ""
    except SetupError as error:
        # A pattern half typed is no reason to take the messages away.
        setup, trouble = kept, str(error)
    # The bytes are those of the link as it is, not of the one it may be changed to.
    tape = (await answered(request, GetTape(last=LAST_LINES, link=kept.link.address))).tape
    return setup, [event for line in tape if (event := _event(line)) is not None], trouble


def _event(line: TapeLine) -> Event | None:
    if line.kind == "in":
        return Received(line.at, line.text.encode("latin-1"))
    if line.kind == "out":
        by_hand = line.why.startswith("command/") or line.why.count("/") > 1 or line.why.endswith("/identity")
        return Sent(line.at, line.text.encode("latin-1"), 0 if by_hand else 1, line.why)
    return Opened(line.at, {}) if line.kind == "open" else None


def _readers(setup: Setup) -> dict[str, MessageReader]:
    [plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
    return plan.readers


def _preview(setup: Setup, events: list[Event], trouble: str) -> Preview:
    newest = list(reversed(preview(setup, events)))
    readers = _readers(setup)
    seen: set[str] = set()
    rows = []
    for row in newest:
        number, spans = (None, []) if row.query in seen or row.why else _spans(row, readers)
        if spans:
            seen.add(row.query)
        rows.append(
            PreviewRow(
                at=row.at,
                message=row.message,
                query=row.query.partition("/")[2],
                fields=row.fields,
                why=row.why,
                column=row.column,
                spans=spans,
                pattern=number,
            )
        )
    return Preview(rows=rows, failures=_failures(setup, newest), trouble=trouble)


def _spans(row: Previewed, readers: dict[str, MessageReader]) -> tuple[int | None, list[MessageSpan]]:
    """Which pattern reads a message, and where its fields stand; None where none does."""
    reader = readers.get(row.query)
    patterns = [form for form in (reader.forms if reader is not None else ()) if isinstance(form, Pattern)]
    for number, form in enumerate(patterns):
        if form.match(row.body) is not None:
            spans, _ = align(form.elements, row.body)
            return number, [
                MessageSpan(start=s.start, end=s.end, name=s.element.name, kind=s.element.kind)
                for s in spans
                if s.element.name
            ]
    return None, []


def _failures(setup: Setup, rows: Sequence[Previewed]) -> list[Failure]:
    """Messages that were not understood, those that look alike together."""
    groups: dict[tuple[object, ...], list[Previewed]] = {}
    for row in rows:
        if row.why and row.body and row.column:
            groups.setdefault((row.query, *shape(tokens(row.body[:300]))), []).append(row)
    parts = {query: part for _, query, part in setup.read_parts()}
    failures = []
    for group in sorted(groups.values(), key=lambda group: -len(group))[:MOST_FAILURES]:
        newest = group[0]
        query = newest.query.partition("/")[2]
        part = parts.get(query or None)
        patterns = list(part.patterns) if part is not None else []
        if part is not None and part.reader is not None:
            found = token_remedies(newest.cell) if part.reader.kind in ("columns", "pairs") else []
            found += remedies([], newest.body, setup.framing.encoding)
        else:
            found = remedies(patterns, newest.body, setup.framing.encoding) if patterns else []
        failures.append(
            Failure(
                message=newest.message,
                query=query,
                why=newest.why,
                column=newest.column,
                count=len(group),
                remedies=[
                    RemedyInfo(
                        words=r.words,
                        source=r.source,
                        number=r.number,
                        error=r.error,
                        token=r.token,
                        stands_for=r.stands_for,
                    )
                    for r in found
                ],
            )
        )
    return failures


def _proposals(setup: Setup, events: list[Event], taken: set[str]) -> Proposals:
    heard = b"".join(event.data for event in events if isinstance(event, Received))
    rows = preview(setup, events)
    readings: list[ReadingProposal] = []
    if setup.framing.modbus:
        return Proposals(framings=[], readings=[])
    queries = [query.id for query in setup.query] or [""]
    for query in queries:
        own = [
            row.body or row.message.encode("latin-1") for row in rows if row.query.partition("/")[2] == query
        ]
        check = setup.framing.check if setup.framing.checked_by != "none" else "none"
        for found in propose(own, setup.framing.encoding, check)[:MOST_PROPOSALS]:
            mine = set(taken)
            channels = [ChannelPart.model_validate(c) for c in channels_of(found, mine, query or None)]
            readings.append(
                ReadingProposal(
                    query=query or None,
                    title=found.title,
                    reads=found.reads,
                    of=found.of,
                    reasons=found.reasons,
                    reading=found.listen.model_dump(include={"reader", "patterns"}),
                    check=found.check,
                    channels=channels,
                )
            )
        taken |= {channel.id for one in readings if one.query == (query or None) for channel in one.channels}
    return Proposals(framings=_framings(setup, heard), readings=readings)


def _framings(setup: Setup, heard: bytes) -> list[FramingSuggestion]:
    """Other framings than the present one, where they look better than it does."""
    found = propose_framing(heard)
    now = score(setup.framing, heard)
    return [
        FramingSuggestion(
            framing=one.framing,
            reason=one.reason,
            examples=[b.decode("latin-1")[:120] for b in one.bodies[-3:]],
        )
        for one in found[:2]
        if one.score > now + BETTER_BY and one.framing.described != setup.framing.described
    ]
