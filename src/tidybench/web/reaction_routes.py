"""Reactions: kept, tried out, armed and disarmed."""

from typing import Annotated

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.acting.fitted_reactions import fitted
from tidybench.core.acting.reaction import ReactionWatch
from tidybench.core.compile.edit import document_with
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError
from tidybench.core.setup.reactions import REACTIONS, ReactionPart, Reactions, Standing, load_reactions
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.core.values.state_name import state_name
from tidybench.records.procedures import procedures
from tidybench.records.setups import save_reactions
from tidybench.web.context import Context, answered, context_of
from tidybench.web.given import Key
from tidybench.web.instrument_routes import setups_in_force
from tidybench.web.procedure_routes import AskedBy, bench_now
from tidybench.web.refusals import REFUSALS
from tidybench.web.setup_routes import SetupSaved, apply_reactions, reactions_kept
from tidybench.wire.client import RecorderAway
from tidybench.wire.reactions import ArmReaction, CarryOutReaction, SeeReaction

router = APIRouter(prefix="/api", responses=REFUSALS)


class ReactionsForm(BaseModel):
    """The reactions: the document as TOML, and as data."""

    text: str
    reactions: Reactions


class ReactionsBody(Exact):
    """Reactions to keep: as TOML, or as data. `was`: the document that they were changed from; where another was kept meanwhile, they
    are refused."""

    text: Annotated[str, Field(max_length=500_000)] | None = None
    reactions: Reactions | None = None
    was: Annotated[str, Field(max_length=500_000)] | None = None


class ReactionChecked(BaseModel):
    """What is wrong with a reaction on this bench, a sentence each; how its channel can stand."""

    id: str
    problems: list[str]
    standings: list[Standing]


class TryReaction(Exact):
    """A reaction as it is written, and a value of its channel; null: nothing is measured. `stood`: how it stood before, which the way back
    depends on."""

    reaction: ReactionPart
    value: Finite | None
    stood: Standing | None = None


class ReactionTried(BaseModel):
    """How its channel would stand ("" where the value says nothing), and what would be done, in words."""

    standing: Standing | None
    does: list[str]


class ArmedBy(AskedBy):
    """Armed or disarmed."""

    on: bool


class CarriedOutBy(AskedBy):
    """As if its channel stood so."""

    standing: Standing


@router.get("/reactions")
async def list_reactions(request: Request) -> ReactionsForm:
    """The reactions of the bench, as text and as data. How they stand is in the status."""
    text = (await run_in_threadpool(reactions_kept, context_of(request))).text
    return ReactionsForm(text=text, reactions=load_reactions(text))


@router.get("/reactions/file")
def reactions_file(request: Request) -> Response:
    """The reactions as a file."""
    headers = {"Content-Disposition": 'attachment; filename="reactions.toml"'}
    text = reactions_kept(context_of(request)).text
    return Response(text, media_type="application/toml; charset=utf-8", headers=headers)


@router.put("/reactions")
async def keep_reactions(request: Request, body: ReactionsBody) -> SetupSaved:
    """Keep the reactions as a new version and put them in force, armed. Comments stay where a reaction stays."""
    context = context_of(request)
    before = (await run_in_threadpool(reactions_kept, context)).text
    if body.was is not None and body.was != before:
        raise HTTPException(
            409, "Other reactions were kept meanwhile, by somebody else. Discard yours to see them."
        )
    try:
        if body.text is not None:
            text = body.text
        else:
            plain = (body.reactions or Reactions()).model_dump(
                mode="json", exclude_defaults=True, exclude_none=True
            )
            text = document_with(before or "format = 1\n", {"reaction": plain.get("reaction", [])})
        load_reactions(text)
    except SetupError as error:
        raise HTTPException(400, str(error)) from None
    version = await run_in_threadpool(_save, context, text)
    try:
        why = await apply_reactions(context)
    except RecorderAway as error:
        why = str(error)
    sentence = f"Kept, not in force yet: {why}" if why else f"Version {version} is in force."
    return SetupSaved(key=REACTIONS, version=version, in_force=not why, sentence=sentence)


@router.post("/reactions/check")
async def check_reactions(request: Request, body: Reactions) -> list[ReactionChecked]:
    """What is wrong with each of these on the bench as it is. Nothing is kept, and nothing done."""
    return await run_in_threadpool(_checked, context_of(request), body)


def _checked(context: Context, body: Reactions) -> list[ReactionChecked]:
    bench = bench_now(context)
    with Session(context.engine) as session, session.begin():
        known = [one.name for one in procedures(session, context.bench_id(session))]
    calculated = bench.calculations.calculated
    problems = fitted(body, bench.setups, calculated, bench.numbers, known, 0).problems
    return [
        ReactionChecked(id=one.id, problems=problems[one.id], standings=one.standings)
        for one in body.reaction
    ]


@router.post("/reactions/try")
async def try_reaction(request: Request, body: TryReaction) -> ReactionTried:
    """What a reaction would do at a value. Nothing is done."""
    stored = await run_in_threadpool(setups_in_force, context_of(request))
    part = body.reaction
    states = next((c.states for s in stored for c in load(s.text).channel if c.id == part.channel), [])
    standing = standing_at(part, states, body.value, body.stood)
    return ReactionTried(
        standing=standing, does=[one.words for one in part.done_when(standing)] if standing else []
    )


def standing_at(
    part: ReactionPart, states: list[str], value: float | None, stood: Standing | None
) -> Standing | None:
    """How a channel stands at a value, by the watch itself; None where that says nothing."""
    if value is None:
        return "not measured" if part.not_measured_s is not None else None
    if states and state_name(states, value) is None:
        return None
    watch = ReactionWatch(part, 0, states)
    watch.stands = stood or ""
    watch.sample(0, value, 0)
    return watch.stands or None


@router.post("/reactions/{key}/arm", status_code=204)
async def arm_reaction(request: Request, key: Key, body: ArmedBy) -> None:
    """Arm a reaction, or disarm it. Armed, it reacts to how its channel stands already."""
    await answered(request, ArmReaction(reaction=key, on=body.on, by=body.by))


@router.post("/reactions/{key}/seen", status_code=204)
async def see_reaction(request: Request, key: Key, body: AskedBy) -> None:
    """Somebody has seen what it says."""
    await answered(request, SeeReaction(reaction=key, by=body.by))


@router.post("/reactions/{key}/carry-out", status_code=204)
async def carry_out_reaction(request: Request, key: Key, body: CarriedOutBy) -> None:
    """Do what it does when its channel stands so, whatever was measured."""
    await answered(request, CarryOutReaction(reaction=key, standing=body.standing, by=body.by))


def _save(context: Context, text: str) -> int:
    with Session(context.engine) as session, session.begin():
        return save_reactions(session, context.bench_id(session), text)
