"""The bench's health: recorder, database, clerk, links, disk, versions, the last errors."""

import platform
from typing import Literal

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel
from sqlalchemy import text
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench import __version__
from tidybench.core.setup import SetupError
from tidybench.core.values.exact import Exact
from tidybench.logs import LoggedError, errors_in, last_errors
from tidybench.records.setups import take_back
from tidybench.web.context import Context, answered, context_of
from tidybench.web.database_question import DatabaseQuestion, KeptQuestion
from tidybench.web.refusals import REFUSALS
from tidybench.web.setup_routes import put_in_force
from tidybench.wire.client import RecorderAway
from tidybench.wire.status import GetErrors, GetStatus, Status


class HealthPart(BaseModel):
    """One part of the bench's health."""

    well: bool
    words: str


class Versions(BaseModel):
    """What runs here; "" where it is not known."""

    web_server: str
    recorder: str
    database: str
    python: str


class ProcessError(LoggedError):
    """A warning or error, and which process said it."""

    process: str


class Health(BaseModel):
    """Whether everything is well. `errors`: the newest first; `logs`: the folder that has all of them. `question`: what a person
    is asked about the database."""

    well: bool
    recorder: HealthPart
    database: HealthPart
    clerk: HealthPart
    links: HealthPart
    disk: HealthPart
    copies: HealthPart
    versions: Versions
    errors: list[ProcessError]
    logs: str
    question: DatabaseQuestion | None = None


class QuestionAnswer(Exact):
    """Whose set-ups are to be in use."""

    take: Literal["bench", "database"]


MIN_FREE = 200 * 2**20
"""Bytes free from which on the disk is not well."""

MAX_ERRORS = 30

router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/health")
async def health(request: Request) -> Health:
    """Whether recorder, database, clerk, links and disk are well."""
    context = context_of(request)
    status = context.hub.status
    here = context.hub.here
    recorder = HealthPart(well=here, words=_running(status) if here else str(RecorderAway()))
    database, version = await run_in_threadpool(_database, context)
    clerk = HealthPart(well=not context.clerk.trouble, words=context.clerk.trouble or context.clerk.words)
    links, disk = _links(status), _disk(status)
    copies = _copies(context)
    # The clerk is the database's: it is not counted twice.
    return Health(
        well=all(part.well for part in (recorder, database, clerk, links, disk, copies)),
        recorder=recorder,
        database=database,
        clerk=clerk,
        links=links,
        disk=disk,
        copies=copies,
        versions=Versions(
            web_server=__version__,
            recorder=status.version if status is not None else "",
            database=version,
            python=platform.python_version(),
        ),
        errors=await run_in_threadpool(_errors, await _of_recorder(context), context),
        logs=str(context.places.logs),
        question=await run_in_threadpool(_question, context),
    )


def _question(context: Context) -> DatabaseQuestion | None:
    kept = context.question.read()
    return kept.asked if kept is not None else None


@router.post("/health/question", status_code=204)
async def answer(request: Request, body: QuestionAnswer) -> None:
    """Answer what was asked about the database: the bench's set-ups stay in use, or those that the database had come back."""
    context = context_of(request)
    kept = await run_in_threadpool(context.question.read)
    if kept is None:
        raise HTTPException(404, "Nothing is asked: somebody has answered already.")
    if body.take == "database":
        if not kept.asked.had:
            raise HTTPException(409, "The database had no set-ups. There is nothing to take from it.")
        status = (await answered(request, GetStatus())).status
        if status is not None and status.run is not None:
            raise HTTPException(409, "A run is on. End it first: other set-ups would change its channels.")
        await run_in_threadpool(_take_back, context, kept)
        why = await put_in_force(context)
        if why:
            raise HTTPException(409, f"The database's set-ups are kept, and not in force yet: {why}")
    await run_in_threadpool(context.question.answered)


def _take_back(context: Context, kept: KeptQuestion) -> None:
    try:
        with Session(context.engine) as session, session.begin():
            take_back(session, context.bench_id(session), kept.texts, kept.calculations)
    except SetupError as error:
        raise HTTPException(409, f"A set-up that the database had cannot be used here: {error}") from None


def _running(status: Status | None) -> str:
    return f"running, process {status.pid}" if status is not None else "running"


def _copies(context: Context) -> HealthPart:
    waiting, trouble = context.copier.waiting, context.copier.trouble
    if not waiting:
        return HealthPart(well=True, words="no run waits to be copied elsewhere")
    runs = "1 run waits" if waiting == 1 else f"{waiting} runs wait"
    return HealthPart(well=not trouble, words=f"{runs} to be copied elsewhere. {trouble}".strip())


def _links(status: Status | None) -> HealthPart:
    if status is None:
        return HealthPart(well=False, words="not known: the recorder has not been heard yet")
    stopped = [i.name for i in status.instruments if any(s.state == "stopped" for s in i.stages)]
    passing = "all passing" if status.instruments else "no instrument is connected yet"
    return HealthPart(well=not stopped, words=f"stopped: {', '.join(stopped)}" if stopped else passing)


def _disk(status: Status | None) -> HealthPart:
    if status is None:
        return HealthPart(well=False, words="not known: the recorder has not been heard yet")
    free, troubles = status.disk.free_bytes, status.run.troubles if status.run is not None else []
    left = (
        f", enough for {_long(status.disk.hours_left)} of this run"
        if status.disk.hours_left is not None
        else ""
    )
    words = " ".join([f"{free / 2**30:.1f} GB free{left}", *troubles])
    return HealthPart(well=free > MIN_FREE and not troubles, words=words)


def _long(hours: float) -> str:
    return f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"


async def _of_recorder(context: Context) -> list[LoggedError]:
    try:
        answer, _ = await context.hub.ask(GetErrors(), patience=1.0)
    except RecorderAway:
        return []
    return answer.errors


def _errors(recorder: list[LoggedError], context: Context) -> list[ProcessError]:
    supervisor = errors_in(context.places.logs / "supervisor.log")
    told = [ProcessError(process="recorder", **e.model_dump()) for e in recorder]
    told += [ProcessError(process="web server", **e.model_dump()) for e in last_errors.newest()]
    told += [ProcessError(process="supervisor", **e.model_dump()) for e in supervisor]
    return sorted(told, key=lambda error: -error.at)[:MAX_ERRORS]


def _database(context: Context) -> tuple[HealthPart, str]:
    try:
        with context.engine.connect() as connection:
            version = str(connection.execute(text("SHOW server_version")).scalar())
    except Exception as error:
        why = str(error).splitlines()[0]
        return HealthPart(well=False, words=f"does not answer ({why}); runs are logged all the same"), ""
    if not context.ready:
        return HealthPart(well=False, words="is being prepared"), version
    return HealthPart(well=True, words="answers"), version
