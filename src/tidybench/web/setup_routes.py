"""Set-ups: those in force, and saving a new version."""

import contextlib
from collections.abc import Iterable
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core import setup as setups
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.procedure.steps import ProcedureError, plans_in
from tidybench.core.procedure.text import parse, with_carried_out
from tidybench.core.setup.calculated import load_calculations
from tidybench.core.setup.reactions import load_reactions
from tidybench.core.values.exact import Exact
from tidybench.records.plans import plans_by_name
from tidybench.records.procedures import procedures
from tidybench.records.setups import (
    DOCUMENTS,
    Stored,
    calculations_in_force,
    in_force,
    reactions_in_force,
    remove,
    save,
)
from tidybench.web.context import Context, answered, context_of
from tidybench.web.given import Key
from tidybench.web.refusals import REFUSALS
from tidybench.wire.client import RecorderAway
from tidybench.wire.reactions import ApplyReactions, KeptReactions
from tidybench.wire.setups import ApplySetups, SetupText


class SetupInfo(BaseModel):
    """A set-up in force."""

    key: str
    name: str
    version: int
    saved_at: int
    text: str


class SetupSaved(BaseModel):
    """A set-up was kept; `sentence` says whether it is in force."""

    key: str
    version: int
    in_force: bool
    sentence: str


class SetupBody(Exact):
    """A set-up as TOML."""

    text: Annotated[str, Field(max_length=500_000)]


class KeptSetup(SetupBody):
    """A set-up to be kept. `agreed`: what it opens besides a port of this computer, as `SetupLook` said it and a person agreed
    to."""

    agreed: Annotated[str, Field(max_length=2000)] = ""


class SetupLook(BaseModel):
    """What a set-up would do. `reach`: what it opens besides a port of this computer and nothing in force opens already; ""
    for nothing."""

    name: str
    reach: str


router = APIRouter(prefix="/api/setups", responses=REFUSALS)


@router.get("")
async def list_setups(request: Request) -> list[SetupInfo]:
    """The newest version of every instrument's set-up."""
    stored = await run_in_threadpool(_in_force, context_of(request))
    return [
        SetupInfo(key=s.key, name=s.name, version=s.version, saved_at=s.saved_at, text=s.text) for s in stored
    ]


@router.get("/schema")
async def schema() -> dict[str, Any]:
    """The JSON Schema of a set-up."""
    return setups.schema()


@router.post("", status_code=201)
async def add_setup(request: Request, body: KeptSetup) -> SetupSaved:
    """Keep a set-up as a new version, and put it in force. One that somebody brought opens a file or a computer of the network
    only where that was agreed to."""
    context = context_of(request)
    look = await _look(context, body.text)
    if look.reach and look.reach != body.agreed:
        raise HTTPException(409, f"This set-up {look.reach}. Agree to that first.")
    return await keep(context, body.text)


@router.post("/look")
async def look_at_setup(request: Request, body: SetupBody) -> SetupLook:
    """What a set-up would open. Nothing is kept, opened or sent."""
    return await _look(context_of(request), body.text)


async def _look(context: Context, text: str) -> SetupLook:
    try:
        setup = load(text)
    except setups.SetupError as error:
        raise HTTPException(400, str(error)) from None
    stored = await run_in_threadpool(_in_force, context)
    known = {load(one.text).link.reach for one in stored}
    reach = setup.link.reach
    return SetupLook(name=setup.instrument.name, reach="" if reach in known else reach)


async def keep(context: Context, text: str) -> SetupSaved:
    """Keep a set-up as a new version and put it in force; says so where a run is on."""
    try:
        setup = load(text)
    except setups.SetupError as error:
        raise HTTPException(400, str(error)) from None
    await _must_fit(context, setup)
    version = await run_in_threadpool(_save, context, text)
    why = await put_in_force(context)
    sentence = (
        f"Kept as version {version}, not in force yet: {why}" if why else f"Version {version} is in force."
    )
    status = context.hub.status
    if not why and status is not None and status.run is not None:
        sentence += (
            " A run is on: its columns stay as they were, new channels go to its samples and tape, and the change stands "
            "on its tape."
        )
    return SetupSaved(key=setup.instrument.id, version=version, in_force=not why, sentence=sentence)


async def _must_fit(context: Context, setup: setups.Setup) -> None:
    """Refuse a set-up that cannot be in force beside the others, before it is kept."""
    stored = await run_in_threadpool(_in_force, context)
    others = [load(s.text) for s in stored if s.key != setup.instrument.id]
    own = {channel.id for channel in setup.channel}
    text = await run_in_threadpool(calculations_text, context)
    for part in load_calculations(text).calculated:
        if part.id in own:
            raise HTTPException(400, f"The channel id “{part.id}” is used by a calculated channel already.")
    if setup.instrument.id in DOCUMENTS:
        raise HTTPException(
            400, f"The id “{setup.instrument.id}” is taken: Tidy Bench uses it itself. Choose another."
        )
    instruments = {other.instrument.id for other in others} | {setup.instrument.id}
    for key in sorted(own & instruments):
        raise HTTPException(
            400, f"The channel id “{key}” is the id of an instrument. Call the channel's id otherwise."
        )
    for other in others:
        if any(channel.id == setup.instrument.id for channel in other.channel):
            raise HTTPException(
                400,
                f"The id “{setup.instrument.id}” is used by a channel of {other.instrument.name} already.",
            )
        for channel in other.channel:
            if channel.id in own:
                raise HTTPException(
                    400, f"The channel id “{channel.id}” is used by {other.instrument.name} already."
                )
    numbers = {c.id: n for n, c in enumerate((c for s in [*others, setup] for c in s.channel), 1)}
    try:
        plan_links([*others, setup], numbers)
    except setups.SetupError as error:
        raise HTTPException(400, str(error)) from None


@router.delete("/{key}")
async def remove_setup(request: Request, key: Key) -> SetupBody:
    """Take an instrument out of use. Gives its set-up: saving it again brings it back."""
    context = context_of(request)
    async with context.applying:  # one after the other: else what is being added now would go with it
        stored = await run_in_threadpool(_in_force, context)
        text = next((s.text for s in stored if s.key == key), None)
        if text is None:
            raise HTTPException(404, f"There is no instrument “{key[:80]}” in use.")
        # The recorder first: where it refuses, nothing has been changed.
        rest = [SetupText(id=s.key, text=s.text) for s in stored if s.key != key]
        calculations = await run_in_threadpool(calculations_text, context)
        await answered(request, ApplySetups(setups=rest, calculations=calculations))
        await run_in_threadpool(_remove, context, key)
    return SetupBody(text=text)


async def put_in_force(context: Context) -> str:
    """Give the recorder the set-ups in force; gives the reason where it does not take them."""
    # One after the other: what was read first must not come into force last.
    async with context.applying:
        stored = await run_in_threadpool(_in_force, context)
        texts = [SetupText(id=s.key, text=s.text) for s in stored]
        calculations = await run_in_threadpool(calculations_text, context)
        answer, _ = await context.hub.ask(ApplySetups(setups=texts, calculations=calculations))
        why = await apply_reactions(context)
    return answer.why or why


async def apply_reactions(context: Context) -> str:
    """Give the recorder the reactions that are kept; gives the reason where it does not take them."""
    kept = await run_in_threadpool(reactions_kept, context)
    answer, _ = await context.hub.ask(ApplyReactions(kept=kept))
    return answer.why


async def tell_reactions(context: Context) -> None:
    """What reactions name has changed. A recorder that is away learns of it when it is there again."""
    with contextlib.suppress(RecorderAway):
        await apply_reactions(context)


def reactions_kept(context: Context) -> KeptReactions:
    """The reactions in force, with the procedures that they name as far as there are any."""
    with Session(context.engine) as session, session.begin():
        bench = context.bench_id(session)
        stored = reactions_in_force(session, bench)
        text = stored.text if stored is not None else ""
        named = load_reactions(text).procedures if text else []
        kept = procedures(session, bench) if named else []
    texts = {one.name: one.text for one in kept}
    found = {name: text for name, text in texts.items() if name in named}
    called = with_carried_out(found.values(), texts)
    plans = plans_for(context, [*found.values(), *called.values()])
    return KeptReactions(text=text, procedures=found, called=called, plans=plans)


def plans_for(context: Context, texts: Iterable[str]) -> dict[str, RunPlan]:
    """The plans that procedures begin runs from, by their names, as far as there are any."""
    named: set[str] = set()
    for text in texts:
        with contextlib.suppress(ProcedureError):  # its problems are said where it is looked at
            procedure = parse(text)
            named |= plans_in((*procedure.steps, *procedure.always))
    if not named:
        return {}
    with Session(context.engine) as session, session.begin():
        found = plans_by_name(session, context.bench_id(session))
    return {name: plan for name, plan in found.items() if name in named}


def calculations_text(context: Context) -> str:
    """The calculated channels' document in force, "" where there is none."""
    with Session(context.engine) as session, session.begin():
        stored = calculations_in_force(session, context.bench_id(session))
    return stored.text if stored is not None else ""


def _in_force(context: Context) -> list[Stored]:
    with Session(context.engine) as session, session.begin():
        return in_force(session, context.bench_id(session))


def _remove(context: Context, key: str) -> None:
    with Session(context.engine) as session, session.begin():
        remove(session, context.bench_id(session), key)


def _save(context: Context, text: str) -> int:
    with Session(context.engine) as session, session.begin():
        return save(session, context.bench_id(session), text)
