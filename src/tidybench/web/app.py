"""The application: routes, access, the front end's files, and what starts and ends with it."""

import asyncio
import contextlib
import logging
import time
from collections.abc import AsyncIterator
from functools import partial
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session
from starlette.middleware.gzip import GZipMiddleware
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from tidybench import __version__
from tidybench.core.plan.plan_file import PlanError
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.setup import SetupError
from tidybench.records import plans as kept_plans
from tidybench.records import procedures as kept_procedures
from tidybench.records.setups import fill_from, save, save_calculations, save_reactions
from tidybench.web import (
    again_routes,
    bench_routes,
    bin_routes,
    calibration_routes,
    channel_routes,
    command_routes,
    compare_routes,
    comparison_routes,
    curve_routes,
    demo_routes,
    disk_routes,
    forwarding_routes,
    health_routes,
    instrument_routes,
    layout_routes,
    mark_routes,
    metrics_routes,
    page_errors,
    plan_routes,
    point_routes,
    port_routes,
    procedure_routes,
    provenance_routes,
    question_routes,
    reaction_routes,
    register_routes,
    rehearsal_routes,
    run_routes,
    said_routes,
    setup_routes,
    statistics_routes,
    tape_routes,
    teaching_routes,
)
from tidybench.web.access import MAX_BODY, Access
from tidybench.web.assets import Assets
from tidybench.web.clerk import Clerk
from tidybench.web.context import Context
from tidybench.web.copier import Copier
from tidybench.web.hub import Hub
from tidybench.web.recent import Recent
from tidybench.web.sessions import Sessions
from tidybench.wire.bench import bench_name
from tidybench.wire.client import RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.reactions import GetReactions
from tidybench.wire.setups import GetSetups

logger = logging.getLogger(__name__)


def make_app(
    places: Places,
    engine: Engine,
    front_end: Path | None = None,
    setups: list[Path] | None = None,
    patient: Engine | None = None,
) -> FastAPI:
    """The application without its access control. `setups`: folders of set-up files to take in. `patient`: the same database,
    for the clerk, who has time."""

    @contextlib.asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        clerk = Clerk(patient or engine, places.runs)
        hub = Hub(places)
        copier = Copier(patient or engine, places.runs)
        context = Context(places, bench_name(places.data), hub, engine, clerk, Recent(hub), copier)
        app.state.context = context
        await context.hub.start()
        context.clerk.start()
        copier.start()
        tasks = [asyncio.create_task(_take_in(context, setups or [])), asyncio.create_task(_rest(context))]
        yield
        for task in tasks:
            task.cancel()
        await context.hub.stop()
        context.clerk.stop()
        copier.stop()
        engine.dispose()
        if patient is not None:
            patient.dispose()

    app = FastAPI(
        title="Tidy Bench",
        version=__version__,
        lifespan=lifespan,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        max_body_size=MAX_BODY,
        generate_unique_id_function=lambda route: route.name,
    )
    app.add_middleware(_Packed, minimum_size=1024, compresslevel=6)
    app.openapi = partial(_described, app)  # type: ignore[method-assign]
    app.include_router(bench_routes.router)
    app.include_router(curve_routes.router)
    app.include_router(forwarding_routes.router)
    app.include_router(metrics_routes.router)
    app.include_router(setup_routes.router)
    app.include_router(instrument_routes.router)
    app.include_router(instrument_routes.library)
    app.include_router(teaching_routes.router)
    app.include_router(register_routes.router)
    app.include_router(command_routes.router)
    app.include_router(channel_routes.router)
    app.include_router(calibration_routes.router)
    app.include_router(layout_routes.router)
    app.include_router(plan_routes.router)
    app.include_router(procedure_routes.router)
    app.include_router(reaction_routes.router)
    app.include_router(rehearsal_routes.router)
    app.include_router(port_routes.router)
    app.include_router(demo_routes.router)
    app.include_router(statistics_routes.router)
    app.include_router(bin_routes.router)
    app.include_router(said_routes.router)
    app.include_router(disk_routes.router)
    app.include_router(run_routes.router)
    app.include_router(again_routes.router)
    app.include_router(mark_routes.router)
    app.include_router(question_routes.router)
    app.include_router(compare_routes.router)
    app.include_router(comparison_routes.router)
    app.include_router(provenance_routes.router)
    app.include_router(point_routes.router)
    app.include_router(tape_routes.router)
    app.include_router(health_routes.router)
    app.include_router(page_errors.router)
    app.add_exception_handler(RecorderAway, _recorder_away)
    app.add_exception_handler(SQLAlchemyError, _database_away)
    app.add_exception_handler(RequestValidationError, _invalid)
    if front_end is not None and (front_end / "index.html").is_file():
        _serve_front_end(app, front_end)
    return app


def _described(app: FastAPI) -> dict[str, Any]:
    """The schema, with how to show that one may come in."""
    if app.openapi_schema is None:
        schema = get_openapi(title=app.title, version=app.version, routes=app.routes)
        schema.setdefault("components", {})["securitySchemes"] = {
            "token": {"type": "http", "scheme": "bearer", "description": "The token of the printed address."},
            "session": {
                "type": "apiKey",
                "in": "cookie",
                "name": "tidybench-PORT",
                "description": "A browser's session: it gets one when it opens the printed address.",
            },
        }
        schema["security"] = [{"token": []}, {"session": []}]
        app.openapi_schema = schema
    return app.openapi_schema


def guarded(app: FastAPI, token: str, port: int, places: Places) -> ASGIApp:
    """The application behind its access control."""
    return Access(app, token, port, Sessions(places.sessions))


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", Assets(directory=folder / "assets"))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            return JSONResponse({"detail": f"There is no /{path[:100]}."}, 404)
        named = (folder / path).resolve()
        if path and named.is_relative_to(folder.resolve()) and named.is_file():
            return FileResponse(named)
        return FileResponse(folder / "index.html", headers={"Cache-Control": "no-cache"})


class _Packed(GZipMiddleware):
    """What pages are made of is sent packed; a file that somebody downloads is not, it would only take longer."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["path"].endswith(("/csv", "/file")):
            await self.app(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)


async def _rest(context: Context) -> None:
    while True:
        await asyncio.sleep(30)
        context.recent.rest()


async def _take_in(context: Context, folders: list[Path]) -> None:
    """At the start: the database learns what the recorder has in force and it does not know; then files that are new are
    kept, and the recorder is given what is in force."""
    while True:
        try:
            answer, _ = await context.hub.ask(GetSetups())
            if not answer.fresh:
                texts = [one.text for one in answer.setups]
                acting, _ = await context.hub.ask(GetReactions())
                reactions = acting.reactions.text if acting.reactions is not None else ""
                await asyncio.to_thread(_fill, context, texts, answer.calculations, reactions)
            await asyncio.to_thread(_keep_files, context, folders)
            why = await setup_routes.put_in_force(context)
            if why:
                logger.warning("the set-ups are not in force: %s", why)
            context.ready = True
            return
        except (SQLAlchemyError, RecorderAway):
            await asyncio.sleep(1)


def _fill(context: Context, texts: list[str], calculations: str, reactions: str) -> None:
    if not context.clerk.migrated:
        raise RecorderAway
    with Session(context.engine) as session, session.begin():
        found = fill_from(session, context.bench_id(session), texts, calculations, reactions)
    if found.filled:
        try:
            context.question.put(time.time_ns() // 1000, found)
        except OSError as error:
            logger.warning("what the database did not know could not be kept, to ask about it: %s", error)
        logger.warning(
            "The database did not know these set-ups, which are in force; it has them now: %s.%s",
            ", ".join(found.filled),
            f" Taken out of use, since they were not in force: {', '.join(found.out_of_use)}."
            if found.out_of_use
            else "",
        )


def _keep_files(context: Context, folders: list[Path]) -> None:
    if not context.clerk.migrated:
        raise RecorderAway
    for folder in folders:
        documents = {
            folder / "calculated.toml": save_calculations,
            folder / "reactions.toml": save_reactions,
        }
        take_in = dict.fromkeys(sorted(folder.glob("*.plan.toml")), kept_plans.take_in)
        take_in |= dict.fromkeys(sorted(folder.glob("*.procedure")), kept_procedures.take_in)
        kept = [path for path in documents if path.exists()]
        for path in [*sorted(folder.glob("*.setup.toml")), *kept, *take_in]:
            keep = documents.get(path, save)
            try:
                with Session(context.engine) as session, session.begin():
                    if path in take_in:
                        take_in[path](session, context.bench_id(session), path)
                    else:
                        keep(session, context.bench_id(session), path.read_text("utf-8"), from_file=True)
            except (SetupError, PlanError, ProcedureError, OSError, UnicodeDecodeError) as error:
                logger.warning("%s was not imported: %s", path.name, error)


async def _recorder_away(request: Request, error: Exception) -> Response:
    return JSONResponse({"detail": str(error)}, 503)


async def _database_away(request: Request, error: Exception) -> Response:
    if isinstance(error, DBAPIError) and not isinstance(error, OperationalError | InterfaceError):
        logger.warning("the database refused a request to %s: %s", request.url.path, error.orig)
        words = (str(error.orig).splitlines() or ["no reason given"])[0]
        return JSONResponse({"detail": f"The database does not take this: {words}."}, 400)
    return JSONResponse(
        {
            "detail": "The database does not answer. Runs are logged all the same; the logbook is back when it is. "
            "Restart Tidy Bench if it stays away."
        },
        503,
    )


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    sentences = []
    for one in error.errors():
        where = ".".join(str(part) for part in one["loc"][1:])
        sentences.append(f"{where}: {one['msg']}." if where else f"{one['msg']}.")
    return JSONResponse({"detail": " ".join(sentences)}, 422)
