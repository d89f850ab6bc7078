"""Procedures: kept by name, checked against the bench, started and stopped."""

import os
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Body, HTTPException, Query, Request, Response
from fastapi import Path as InPath
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.compile.load import load
from tidybench.core.procedure.bench_view import BenchView, view_of
from tidybench.core.procedure.cards import Card, CardField, CardKind, card_of, words_of
from tidybench.core.procedure.checked import Checked, checked
from tidybench.core.procedure.steps import Problem, ProcedureError
from tidybench.core.procedure.text import LONGEST_LINE, name_of, parse, with_carried_out
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import Calculations, load_calculations
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.records import by_name
from tidybench.records.models import Procedure
from tidybench.records.plans import plans_by_name
from tidybench.records.procedures import procedures
from tidybench.runs.folder import slug
from tidybench.runs.pictures import kind_of
from tidybench.web.context import Context, answered, context_of
from tidybench.web.instrument_routes import setups_in_force
from tidybench.web.plan_routes import Name
from tidybench.web.refusals import REFUSALS
from tidybench.web.setup_routes import calculations_text, plans_for, tell_reactions
from tidybench.wire.procedures import (
    AnswerQuestion,
    AnswerText,
    AnswerWithPicture,
    GetProcedure,
    PauseProcedure,
    ProcedureStatus,
    SkipWait,
    StartProcedure,
    StopProcedure,
)
from tidybench.wire.status import GetStatus

MAX_PROCEDURES = 500
MOST_PICTURE = 20_000_000

router = APIRouter(prefix="/api", responses=REFUSALS)


class ProcedureText(Exact):
    """A procedure as its file has it."""

    text: Annotated[str, Field(max_length=200_000)]


class ProblemInfo(BaseModel):
    """What is wrong with a line, and where; both count from 1."""

    line: int
    column: int
    what: str


class CardWords(Exact):
    """A line of a procedure, with or without its indentation."""

    words: Annotated[str, Field(max_length=LONGEST_LINE)]


class CardData(Exact):
    """A step as a card: its fields by name, those that are left out are ""."""

    kind: CardKind
    fields: Annotated[dict[CardField, Annotated[str, Field(max_length=LONGEST_LINE)]], Field(max_length=20)]


class CardInfo(BaseModel):
    """A line as a card, or what is wrong with it."""

    card: CardData | None
    problem: ProblemInfo | None


class LineInfo(BaseModel):
    """The line of a card, or what is wrong with its fields."""

    words: str
    problem: str


class SendingInfo(BaseModel):
    """What a step sends: one character a byte; null where it is known only then."""

    line: int
    instrument: str
    command: str
    data: str | None


class ProcedureChecked(BaseModel):
    """What is wrong with a procedure; where nothing is, every command it would send, and how long it takes at least and at most (seconds,
    answers of instruments and persons left out)."""

    name: str
    problems: list[ProblemInfo]
    sends: list[SendingInfo]
    least_s: float
    most_s: float


class ProcedureInfo(BaseModel):
    """A procedure that is kept. `saved_at`: microseconds. `problems`: how many there are on this bench."""

    name: str
    text: str
    saved_at: int
    problems: int


class AskedBy(Exact):
    """Who asks."""

    by: Annotated[str, Field(max_length=80)] = ""


class ProcedureBegin(AskedBy):
    """Carry this text out."""

    text: Annotated[str, Field(max_length=200_000)]


class OneProcedure(AskedBy):
    """One of those that are carried out, by its id in the status."""

    id: Annotated[int, Field(ge=0, le=2**62)]


class ProcedurePause(OneProcedure):
    """Nothing goes on until it is told to."""

    on: bool


class ProcedureReply(OneProcedure):
    """An answer to what the procedure asks; `question`: its number."""

    question: Annotated[int, Field(ge=0, le=2**62)]
    value: bool | Finite | AnswerText


@router.get("/procedures")
def list_procedures(request: Request) -> list[ProcedureInfo]:
    """The procedures kept at this bench, by their names."""
    context = context_of(request)
    view = _view(context)
    with Session(context.engine) as session, session.begin():
        kept = procedures(session, context.bench_id(session))
    return [
        ProcedureInfo(
            name=one.name, text=one.text, saved_at=one.saved_at, problems=len(_look(one.text, view)[1])
        )
        for one in kept
    ]


@router.post("/procedures", status_code=201)
async def keep_procedure(request: Request, body: ProcedureText) -> ProcedureInfo:
    """Keep a procedure under the name in its first line; an older one of this name is replaced. It may have problems still."""
    context = context_of(request)
    kept = await run_in_threadpool(_keep, context, body)
    await tell_reactions(context)  # one of them may begin it
    return kept


def _keep(context: Context, body: ProcedureText) -> ProcedureInfo:
    try:
        name = name_of(body.text)
    except ProcedureError as error:
        raise HTTPException(422, str(error)) from error
    problems = len(_look(body.text, _view(context))[1])
    at = time.time_ns() // 1000
    with Session(context.engine) as session, session.begin():
        bench = context.bench_id(session)
        if len(procedures(session, bench)) >= MAX_PROCEDURES:
            raise HTTPException(409, f"There are {MAX_PROCEDURES} procedures already. Remove one first.")
        by_name.save(session, Procedure, bench, name, text=body.text, saved_at=at)
    return ProcedureInfo(name=name, text=body.text, saved_at=at, problems=problems)


@router.post("/procedures/check")
def check_procedure(request: Request, body: ProcedureText) -> ProcedureChecked:
    """Check a procedure against the bench as it is. Nothing is sent."""
    made, problems = _look(body.text, _view(context_of(request)))
    return ProcedureChecked(
        name=made.procedure.name if made is not None else "",
        problems=[ProblemInfo(line=one.line, column=one.column, what=one.what) for one in problems],
        sends=[
            SendingInfo(
                line=one.line,
                instrument=one.instrument,
                command=one.command,
                data=one.data.decode("latin-1") if one.data is not None else None,
            )
            for one in (made.sends if made is not None else [])
        ],
        least_s=made.least / 1e6 if made is not None else 0.0,
        most_s=made.most / 1e6 if made is not None else 0.0,
    )


@router.post("/procedures/card")
def procedure_card(body: CardWords) -> CardInfo:
    """A line as a card with fields. It is not checked against the bench: the whole text is."""
    try:
        card = card_of(body.words)
    except ProcedureError as error:
        first = error.problems[0]
        return CardInfo(card=None, problem=ProblemInfo(line=1, column=first.column, what=first.what))
    return CardInfo(card=CardData(kind=card.kind, fields=dict(card.fields)), problem=None)


@router.post("/procedures/line")
def procedure_line(body: CardData) -> LineInfo:
    """The line that a card becomes."""
    try:
        return LineInfo(words=words_of(Card(body.kind, dict(body.fields))), problem="")
    except ProcedureError as error:
        return LineInfo(words="", problem=error.problems[0].what)


@router.get("/procedures/{name}/file")
def procedure_file(request: Request, name: Name) -> Response:
    """The procedure as a file."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        kept = procedures(session, context.bench_id(session))
    found = next((one for one in kept if one.name == name), None)
    if found is None:
        raise HTTPException(404, f"There is no procedure “{name}”.")
    headers = {"Content-Disposition": f'attachment; filename="{slug(name)}.procedure"'}
    return Response(found.text, media_type="text/plain; charset=utf-8", headers=headers)


@router.delete("/procedures/{name}", status_code=204)
async def remove_procedure(request: Request, name: Name) -> None:
    """Remove a procedure. One that is being carried out goes on."""
    context = context_of(request)
    await run_in_threadpool(_remove, context, name)
    await tell_reactions(context)


def _remove(context: Context, name: str) -> None:
    with Session(context.engine) as session, session.begin():
        if not by_name.remove(session, Procedure, context.bench_id(session), name):
            raise HTTPException(404, f"There is no procedure “{name}”.")


@router.get("/procedure")
async def list_conducted(request: Request) -> list[ProcedureStatus]:
    """The procedures that are carried out, and the last that were since the recorder began; without their texts."""
    status = (await answered(request, GetStatus())).status
    return status.procedures if status is not None else []


@router.get("/procedure/{id}")
async def show_procedure(
    request: Request, id: Annotated[int, InPath(ge=0, le=2**62)]
) -> ProcedureStatus | None:
    """A procedure that is carried out, or one of the last that were since the recorder began; with its text and its whole log."""
    return (await answered(request, GetProcedure(id=id))).procedure


@router.post("/procedure/start", status_code=204)
async def start_procedure(request: Request, body: ProcedureBegin) -> None:
    """Carry a procedure out, from its first step on."""
    context = context_of(request)
    called = await run_in_threadpool(_called, context, body.text)
    plans = await run_in_threadpool(plans_for, context, [body.text, *called.values()])
    await answered(request, StartProcedure(text=body.text, by=body.by, plans=plans, called=called))


def _called(context: Context, text: str) -> dict[str, str]:
    with Session(context.engine) as session, session.begin():
        return with_carried_out([text], _texts(session, context))


def _texts(session: Session, context: Context) -> dict[str, str]:
    return {one.name: one.text for one in procedures(session, context.bench_id(session))}


@router.post("/procedure/stop", status_code=204)
async def stop_procedure(request: Request, body: OneProcedure) -> None:
    """Its steps end at once; what is always done is done."""
    await answered(request, StopProcedure(id=body.id, by=body.by))


@router.post("/procedure/pause", status_code=204)
async def pause_procedure(request: Request, body: ProcedurePause) -> None:
    """Pause it, or let it go on."""
    await answered(request, PauseProcedure(id=body.id, on=body.on, by=body.by))


@router.post("/procedure/skip", status_code=204)
async def skip_wait(request: Request, body: OneProcedure) -> None:
    """What is waited for now is not waited for any longer."""
    await answered(request, SkipWait(id=body.id, by=body.by))


@router.post("/procedure/answer", status_code=204)
async def answer_procedure(request: Request, body: ProcedureReply) -> None:
    """Answer what it asks."""
    await answered(request, AnswerQuestion(id=body.id, question=body.question, value=body.value, by=body.by))


@router.post("/procedure/picture", status_code=204)
async def answer_with_picture(
    request: Request,
    id: Annotated[int, Query(ge=0, le=2**62)],
    question: Annotated[int, Query(ge=0, le=2**62)],
    body: Annotated[bytes, Body(media_type="application/octet-stream", max_length=MOST_PICTURE)],
    by: Annotated[str, Query(max_length=80)] = "",
) -> None:
    """Answer a question with a picture: JPEG, PNG or WebP. It is kept in the folder of the run that is on."""
    kind = kind_of(body)
    if not kind:
        raise HTTPException(422, "This is no picture that can be kept: JPEG, PNG or WebP is wanted.")
    upload = context_of(request).places.uploads / f"{uuid.uuid4().hex}.{kind}"
    try:
        await run_in_threadpool(_put, upload, body)
        await answered(request, AnswerWithPicture(id=id, question=question, upload=upload.name, by=by))
    except OSError as error:
        raise HTTPException(507, f"The picture cannot be kept: {error.strerror}.") from error
    finally:
        upload.unlink(missing_ok=True)


def _put(path: Path, data: bytes) -> None:
    path.parent.mkdir(mode=0o700, exist_ok=True)
    with open(path, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _look(text: str, view: BenchView) -> tuple[Checked | None, list[Problem]]:
    try:
        return checked(parse(text), view), []
    except ProcedureError as error:
        return None, error.problems


def _view(context: Context) -> BenchView:
    return bench_now(context).view


@dataclass(slots=True, frozen=True)
class BenchNow:
    """The bench as it is kept: what procedures are checked against. `numbers` of channels, by id."""

    setups: list[Setup]
    calculations: Calculations
    numbers: dict[str, int]
    view: BenchView


def bench_now(context: Context) -> BenchNow:
    """The bench as it is kept."""
    setups = [load(one.text) for one in setups_in_force(context)]
    calculations = load_calculations(calculations_text(context))
    ids = [channel.id for setup in setups for channel in setup.channel]
    ids += [one.id for one in calculations.calculated]
    numbers = {id: number for number, id in enumerate(ids, 1)}
    with Session(context.engine) as session, session.begin():
        plans = plans_by_name(session, context.bench_id(session))
        texts = _texts(session, context)
    view = view_of(setups, calculations.calculated, numbers, plans, texts)
    return BenchNow(setups, calculations, numbers, view)
