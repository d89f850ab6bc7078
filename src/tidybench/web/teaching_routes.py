"""Teaching: what a set-up would make of the last messages, proposals, patterns by pointing."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.compile.edit import changed
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.preview import Previewed, preview
from tidybench.core.reading.pattern import Pattern, PatternError
from tidybench.core.reading.reader import MessageReader
from tidybench.core.setup import ChannelPart, FramingPart, Setup, SetupError
from tidybench.core.setup.curves import CurvePart
from tidybench.core.setup.framing import CheckPart
from tidybench.core.tape.events import Event, Opened, Received, Sent
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.cells import cells, shape
from tidybench.core.teaching.drafting import channels_of
from tidybench.core.teaching.framings import BETTER_BY, propose_framing, score
from tidybench.core.teaching.pointing import Meaning, point
from tidybench.core.teaching.proposals import propose
from tidybench.core.teaching.remedies import remedies, token_remedies
from tidybench.core.teaching.tables import tables_in
from tidybench.core.values.exact import Exact
from tidybench.core.values.origin import Asked, Heard, ReaderKey
from tidybench.web.context import context_of
from tidybench.web.given import Key
from tidybench.web.instrument_routes import SetupChange, setups_in_force, stored_setup
from tidybench.web.refusals import REFUSALS
from tidybench.web.tape_routes import Wanted, told


class MessageSpan(BaseModel):
    """Which characters of a message a field takes: from `start` up to `end`, counted from 0."""

    start: int
    end: int
    name: str
    kind: str


class PreviewRow(BaseModel):
    """One message as a set-up would read it; `why` it is not understood, and from which character on
    (`column`, from 1; 0 for none). `spans` and which `pattern` reads it (from 0) only for the newest message of
    each query that a pattern reads."""

    at: int
    message: str
    query: str
    fields: dict[str, str]
    why: str
    column: int
    spans: list[MessageSpan]
    pattern: int | None = None


class RemedyInfo(BaseModel):
    """What one press would do about messages that are not understood: a pattern in place of number
    `number`, one more where that is null, one more error pattern; or a `token` for the reader."""

    words: str
    source: str
    number: int | None
    error: bool
    token: str
    stands_for: Literal["", "none", "over", "under"]


class Failure(BaseModel):
    """Messages of one look that are not understood: the newest of them, how many, what could be done."""

    message: str
    query: str
    why: str
    column: int
    count: int
    remedies: list[RemedyInfo]


class Preview(BaseModel):
    """The last messages, newest first, as a changed set-up would read them; `trouble` where it cannot be used
    yet, the rows are then as the kept one reads them."""

    rows: list[PreviewRow]
    failures: list[Failure]
    trouble: str


class Pointed(Exact):
    """A part of a message, and what it is said to be; the pattern so far may be empty."""

    source: Annotated[str, Field(max_length=2000)] = ""
    message: Annotated[str, Field(min_length=1, max_length=4096)]
    start: Annotated[int, Field(ge=0, le=4096)]
    end: Annotated[int, Field(ge=1, le=4096)]
    meaning: Meaning
    name: Annotated[str, Field(max_length=80)] = ""
    unit: Annotated[str, Field(max_length=20)] = ""
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"


class PatternSource(BaseModel):
    """A pattern."""

    source: str


class ReadingProposal(BaseModel):
    """A way to read the messages of a query (or, without one, what is heard), as parts of a set-up."""

    query: str | None
    title: str
    reads: int
    of: int
    reasons: list[str]
    reading: dict[str, Any]
    check: str | CheckPart
    channels: list[ChannelPart]


class AskedChoice(BaseModel):
    """One answer to a question. `shown`: what messages of one's own would give then."""

    key: str
    words: str
    shown: list[str]


class ReadingQuestion(BaseModel):
    """What has to be answered before a way to read can be proposed."""

    query: str | None
    key: str
    words: str
    choices: list[AskedChoice]


class TableFound(BaseModel):
    """A table among the last messages of an instrument: the curve it would be, how many rows it has, the first of them, and what speaks
    for it."""

    at: int
    part: CurvePart
    rows: int
    first: list[str]
    evidence: list[str]


class ReadingNeed(BaseModel):
    """Why nothing is proposed for a query (or, without one, for what is heard), in a sentence."""

    query: str | None
    words: str


class ProposalsBody(SetupChange):
    """Changes to a set-up that is only tried, and the answers to questions so far, by their keys."""

    answers: Annotated[
        dict[Annotated[str, Field(max_length=400)], Annotated[str, Field(max_length=80)]],
        Field(max_length=60),
    ] = {}


class FramingSuggestion(BaseModel):
    """A way to cut the bytes into messages, and what it would cut."""

    framing: FramingPart
    reason: str
    examples: list[str]


class Proposals(BaseModel):
    """What the last messages suggest."""

    framings: list[FramingSuggestion]
    readings: list[ReadingProposal]
    questions: list[ReadingQuestion]
    needs: list[ReadingNeed]


router = APIRouter(prefix="/api", responses=REFUSALS)

LAST_LINES = 2000
_READ = (Opened, Received, Sent)
MAX_FAILURES = 8


@router.post("/instruments/{key}/preview")
async def show_preview(request: Request, key: Key, body: SetupChange) -> Preview:
    """What a changed set-up would make of the last 200 messages. Nothing is kept."""
    setup, events, trouble = await _drafted(request, key, body)
    return await run_in_threadpool(_preview, setup, events, trouble)


@router.post("/instruments/{key}/tables")
async def show_tables(request: Request, key: Key, body: SetupChange) -> list[TableFound]:
    """Tables among the last messages, cut as a changed set-up cuts them, the newest first. Nothing is kept."""
    setup, events, _ = await _drafted(request, key, body)
    found = await run_in_threadpool(tables_in, setup, events)
    return [
        TableFound(
            at=one.at, part=one.part, rows=one.rows, first=list(one.first), evidence=list(one.evidence)
        )
        for one in found
    ]


@router.post("/instruments/{key}/proposals")
async def show_proposals(request: Request, key: Key, body: ProposalsBody) -> Proposals:
    """Ways to cut and to read what came last, the best first. Nothing is kept."""
    setup, events, _ = await _drafted(request, key, body)
    everyone = await run_in_threadpool(setups_in_force, context_of(request))
    taken = {c.id for one in everyone if one.key != key for c in load(one.text).channel}
    taken |= {one.key for one in everyone}  # a channel cannot go by an instrument's id
    return await run_in_threadpool(_proposals, setup, events, taken, body.answers)


@router.post("/patterns/point")
async def point_at(body: Pointed) -> PatternSource:
    """The pattern in which a part of a message means what was said."""
    try:
        message = body.message.encode("latin-1")
        source = point(
            body.source, message, body.start, body.end, body.meaning, body.name.strip(), body.unit.strip(), body.encoding
        )  # fmt: skip
    except PatternError as error:
        raise HTTPException(
            400, f"This selection cannot be read that way: {error.what} {error.advice}".strip()
        ) from None
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
    # The bytes are those of the link as it is, not of the one it may be changed to; whole, as they are on the tape.
    tape = await told(request, Wanted(last=LAST_LINES, link=kept.link.address))
    return setup, [event for _, link, event in tape if link and isinstance(event, _READ)], trouble


def _query(row: Previewed) -> str:
    """The id of the query it answers; "" where it came by itself."""
    return row.query.query if row.query is not None else ""


def _readers(setup: Setup) -> dict[ReaderKey, MessageReader]:
    [plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
    return plan.readers


def _preview(setup: Setup, events: list[Event], trouble: str) -> Preview:
    newest = list(reversed(preview(setup, events)))
    readers = _readers(setup)
    seen: set[Asked | None] = set()
    rows = []
    for row in newest:
        number, spans = (None, []) if row.query in seen or row.why else _spans(setup, row, readers)
        if spans:
            seen.add(row.query)
        rows.append(
            PreviewRow(
                at=row.at,
                message=row.message,
                query=_query(row),
                fields=row.fields,
                why=row.why,
                column=row.column,
                spans=spans,
                pattern=number,
            )
        )
    return Preview(rows=rows, failures=_failures(setup, newest), trouble=trouble)


def _spans(
    setup: Setup, row: Previewed, readers: dict[ReaderKey, MessageReader]
) -> tuple[int | None, list[MessageSpan]]:
    """Which pattern reads a message, and where its fields stand; None where none does."""
    key: ReaderKey = row.query if row.query is not None else Heard(setup.instrument.id)
    reader = readers.get(key)
    patterns = [form for form in (reader.forms if reader is not None else ()) if isinstance(form, Pattern)]
    for number, form in enumerate(patterns):
        if form.match(row.body) is not None:
            spans, _ = align(form.elements_of(row.body), row.body)
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
            groups.setdefault((row.query, *shape(cells(row.body[:300]))), []).append(row)
    parts = {query: part for _, query, part in setup.read_parts()}
    failures = []
    for group in sorted(groups.values(), key=lambda group: -len(group))[:MAX_FAILURES]:
        newest = group[0]
        query = _query(newest)
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


def _proposals(setup: Setup, events: list[Event], taken: set[str], answers: dict[str, str]) -> Proposals:
    pieces = [(event.at, event.data) for event in events if isinstance(event, Received)]
    questions: list[ReadingQuestion] = []
    needs: list[ReadingNeed] = []
    rows = preview(setup, events)
    readings: list[ReadingProposal] = []
    if setup.framing.modbus:
        return Proposals(framings=[], readings=[], questions=[], needs=[])
    queries = [query.id for query in setup.query] or [""]
    for query in queries:
        mine = [row for row in rows if _query(row) == query]
        own = [row.body or row.message.encode("latin-1") for row in mine]
        check = setup.framing.check if setup.framing.checked_by != "none" else "none"
        outcome = propose(own, setup.framing.encoding, check, answers, [row.at for row in mine])
        questions += [
            ReadingQuestion(
                query=query or None,
                key=one.key,
                words=one.words,
                choices=[AskedChoice(key=c.key, words=c.words, shown=list(c.shown)) for c in one.choices],
            )
            for one in outcome.questions
        ]
        if outcome.needs and own:
            needs.append(ReadingNeed(query=query or None, words=f"{outcome.needs}."))
        for found in outcome.proposals:
            ids = set(taken)
            channels = [
                ChannelPart.model_validate(c)
                for c in channels_of(found, ids, query or None, setup.instrument.name)
            ]
            readings.append(
                ReadingProposal(
                    query=query or None,
                    title=found.title,
                    reads=found.reads,
                    of=found.of,
                    reasons=found.reasons,
                    reading=found.listen.model_dump(include={"reader", "patterns", "errors"}),
                    check=found.check,
                    channels=channels,
                )
            )
        taken |= {channel.id for one in readings if one.query == (query or None) for channel in one.channels}
    return Proposals(framings=_framings(setup, pieces), readings=readings, questions=questions, needs=needs)


def _framings(setup: Setup, pieces: list[tuple[int, bytes]]) -> list[FramingSuggestion]:
    """Other framings than the present one, where they look better than it does."""
    heard = b"".join(data for _, data in pieces)
    found = propose_framing(heard, pieces)
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
