"""Instruments: their set-ups as forms see them, and what is said to them by hand."""

import asyncio
import difflib
import time
import tomllib
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.compile.edit import adapted, bare, changed, copied
from tidybench.core.compile.load import load
from tidybench.core.setup import LinkPart, Setup, SetupError
from tidybench.core.values.exact import Exact
from tidybench.library import shelf
from tidybench.records.setups import DOCUMENTS, Stored, history, in_force, known_keys
from tidybench.web.context import Context, answered, context_of
from tidybench.web.given import Key
from tidybench.web.refusals import REFUSALS
from tidybench.web.setup_routes import SetupSaved, keep
from tidybench.wire.commands import CommandStatus, GetCommand, SendCommand
from tidybench.wire.instruments import ReadOnce
from tidybench.wire.status import GetStatus


class SetupForm(BaseModel):
    """A set-up as text and as data: whole, and only what its text gives."""

    key: str
    version: int
    saved_at: int
    text: str
    setup: Setup
    given: dict[str, Any]


class SetupChange(Exact):
    """Some keys of a set-up: tables are merged, null takes a key away. `version`: the one that they change; where another was
    kept meanwhile, it is refused. Absent: whichever is in force."""

    changes: dict[str, Any]
    version: Annotated[int, Field(ge=0, le=2**53)] | None = None


class NewInstrument(Exact):
    """A link, as in a set-up's [link], and what to call the instrument; `like`: a set-up of the library to begin with."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    link: dict[str, Any]
    like: Annotated[str, Field(max_length=80)] = ""


class LibraryEntry(BaseModel):
    """A set-up that comes with Tidy Bench: what it is called, what it is for, its TOML, its serial settings."""

    key: str
    name: str
    about: str
    text: str
    link: LinkPart


class SetupVersionInfo(BaseModel):
    """A version of a set-up, and the lines in which it differs from the one before: `- ` gone, `+ ` new."""

    version: int
    saved_at: int
    text: str
    changes: list[str]


class Command(Exact):
    """What to send, one character a byte, and how long to wait for the answer to begin."""

    data: Annotated[str, Field(min_length=1, max_length=4000)]
    wait_ms: Annotated[float, Field(ge=0, le=60_000)] = 600.0


router = APIRouter(prefix="/api/instruments", responses=REFUSALS)
library = APIRouter(prefix="/api", responses=REFUSALS)
ANSWER_PATIENCE = 75.0


@router.get("/{key}")
async def instrument(request: Request, key: Key) -> SetupForm:
    """An instrument's set-up, as text and as data."""
    stored = await stored_setup(request, key)
    return _form(stored, load(stored.text))


@router.post("", status_code=201)
async def add(request: Request, body: NewInstrument) -> SetupSaved:
    """A new instrument on a link: it only listens, until more is said."""
    context = context_of(request)
    taken = await run_in_threadpool(_known_keys, context)
    try:
        if body.like:
            text = await _like(context, body, taken)
        else:
            text = bare(body.link, body.name, taken)
    except SetupError as error:
        raise HTTPException(400, str(error)) from None
    return await keep(context, text)


async def _like(context: Context, body: NewInstrument, taken: set[str]) -> str:
    found = next((one for one in shelf() if one.key == body.like), None)
    if found is None:
        raise HTTPException(404, f"There is no set-up “{body.like}” in the library.")
    everyone = await run_in_threadpool(setups_in_force, context)
    channels = {c.id for one in everyone for c in load(one.text).channel}
    return adapted(found.text, body.link, body.name, taken, channels)


@library.get("/library")
async def show_library() -> list[LibraryEntry]:
    """The set-ups that come with Tidy Bench."""
    return [
        LibraryEntry(key=one.key, name=one.name, about=one.about, text=one.text, link=load(one.text).link)
        for one in shelf()
    ]


@router.patch("/{key}")
async def change(request: Request, key: Key, body: SetupChange) -> SetupSaved:
    """Change some keys of a set-up; its comments stay."""
    stored = await stored_setup(request, key)
    if body.version is not None and body.version != stored.version:
        raise HTTPException(
            409,
            f"Version {stored.version} was kept meanwhile, by somebody else. Look at it before you save yours.",
        )
    text = _changed(stored.text, body.changes)
    if load(text).instrument.id != key:
        raise HTTPException(400, "instrument.id: an id never changes; rename it, or duplicate it.")
    return await keep(context_of(request), text)


@router.post("/{key}/copy", status_code=201)
async def copy(request: Request, key: Key) -> SetupSaved:
    """Another instrument with the same set-up, under an id and a name of its own."""
    context = context_of(request)
    stored = await stored_setup(request, key)
    taken = await run_in_threadpool(_known_keys, context)
    everyone = await run_in_threadpool(setups_in_force, context)
    channels = {c.id for one in everyone for c in load(one.text).channel}
    return await keep(context, copied(stored.text, taken, channels))


@router.get("/{key}/versions")
async def show_versions(request: Request, key: Key) -> list[SetupVersionInfo]:
    """All versions of a set-up, newest first, each with what it changed."""
    found = await run_in_threadpool(_history, context_of(request), key)
    if not found:
        raise HTTPException(404, f"There is no instrument “{key[:80]}”.")
    before = [one.text for one in found[1:]] + [""]
    return [
        SetupVersionInfo(
            version=one.version,
            saved_at=one.saved_at,
            text=one.text,
            changes=differing(old, one.text) if old else [],
        )
        for one, old in zip(found, before, strict=True)
    ]


@router.get("/{key}/file")
async def file(request: Request, key: Key) -> Response:
    """The set-up as a file."""
    stored = await stored_setup(request, key)
    headers = {"Content-Disposition": f'attachment; filename="{stored.key}.setup.toml"'}
    return Response(stored.text, media_type="application/toml", headers=headers)


@router.post("/{key}/read", status_code=204)
async def read_once(request: Request, key: Key) -> None:
    """Ask the instrument once, now."""
    await answered(request, ReadOnce(instrument=key))


@router.post("/{key}/command")
async def command(request: Request, key: Key, body: Command) -> CommandStatus:
    """Send a command between two polls, and wait for its whole answer."""
    hub = context_of(request).hub
    known = hub.status.instruments if hub.status is not None else []
    if key not in [one.id for one in known]:
        # It may have come a moment ago: the recorder itself knows.
        status = (await answered(request, GetStatus())).status
        known = status.instruments if status is not None else []
    link = next((one.link for one in known if one.id == key), None)
    if link is None:
        raise HTTPException(404, f"There is no instrument “{key[:80]}” on the bench.")
    sent = (await answered(request, SendCommand(link=link, data=body.data, wait_ms=body.wait_ms))).command
    assert sent is not None
    until = time.monotonic() + ANSWER_PATIENCE
    while not sent.done and time.monotonic() < until:
        await asyncio.sleep(0.03)
        sent = (await answered(request, GetCommand(command=sent.id))).command
        assert sent is not None
    if sent.why:
        raise HTTPException(409, f"No answer could come. {sent.why}")
    return sent


def _changed(text: str, changes: dict[str, Any]) -> str:
    try:
        return changed(text, changes)
    except SetupError as error:
        raise HTTPException(400, str(error)) from None


def _form(stored: Stored, setup: Setup) -> SetupForm:
    return SetupForm(
        key=stored.key,
        version=stored.version,
        saved_at=stored.saved_at,
        text=stored.text,
        setup=setup,
        given=tomllib.loads(stored.text),
    )


async def stored_setup(request: Request, key: str) -> Stored:
    """The set-up in force of an instrument; 404 where there is none."""
    everyone = await run_in_threadpool(setups_in_force, context_of(request))
    found = next((one for one in everyone if one.key == key), None)
    if found is None:
        raise HTTPException(404, f"There is no instrument “{key[:80]}” in use.")
    return found


def setups_in_force(context: Context) -> list[Stored]:
    """All set-ups in force."""
    with Session(context.engine) as session, session.begin():
        return in_force(session, context.bench_id(session))


def differing(old: str, new: str) -> list[str]:
    """The lines in which two texts differ: `- ` gone, `+ ` new."""
    lines = difflib.ndiff(old.splitlines(), new.splitlines())
    return [line for line in lines if line[:2] in ("- ", "+ ") and line[2:].strip()]


def _history(context: Context, key: str) -> list[Stored]:
    with Session(context.engine) as session, session.begin():
        return history(session, context.bench_id(session), key)


def _known_keys(context: Context) -> set[str]:
    """Ids that no new instrument may have: those of instruments, now and before, of channels, and of pages beside theirs."""
    channels = {c.id for one in setups_in_force(context) for c in load(one.text).channel}
    with Session(context.engine) as session, session.begin():
        return known_keys(session, context.bench_id(session)) | channels | {*DOCUMENTS, "new"}
