"""The bench's health: recorder, database, clerk, links, disk, versions, the last errors."""

import platform

from fastapi import APIRouter, Request
from pydantic import BaseModel
from sqlalchemy import text
from starlette.concurrency import run_in_threadpool

from tidybench import __version__
from tidybench.logs import LoggedError, errors_in, last_errors
from tidybench.web.context import Context, context_of
from tidybench.web.refusals import REFUSALS
from tidybench.wire.client import RecorderAway
from tidybench.wire.status import GetErrors, Status


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
    """Whether everything is well. `errors`: the newest first; `logs`: the folder that has all of them."""

    well: bool
    recorder: HealthPart
    database: HealthPart
    clerk: HealthPart
    links: HealthPart
    disk: HealthPart
    versions: Versions
    errors: list[ProcessError]
    logs: str


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
    # The clerk is the database's: it is not counted twice.
    return Health(
        well=all(part.well for part in (recorder, database, clerk, links, disk)),
        recorder=recorder,
        database=database,
        clerk=clerk,
        links=links,
        disk=disk,
        versions=Versions(
            web_server=__version__,
            recorder=status.version if status is not None else "",
            database=version,
            python=platform.python_version(),
        ),
        errors=await run_in_threadpool(_errors, await _of_recorder(context), context),
        logs=str(context.places.logs),
    )


def _running(status: Status | None) -> str:
    return f"running, process {status.pid}" if status is not None else "running"


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
