"""Channels: calculated ones, limits, zero, scaling tried out, crossings acknowledged."""

import time
import tomllib
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.channels.calculator import Calculator, Known, named_in
from tidybench.core.channels.scaling import residuals, traced
from tidybench.core.compile.edit import changed, document_with
from tidybench.core.compile.load import load
from tidybench.core.setup import LimitsPart, Setup, SetupError
from tidybench.core.setup.calculated import CALCULATED, Calculations, load_calculations
from tidybench.core.setup.channel import ZeroPart
from tidybench.core.setup.scaling import Finite, PointsStep, ScalingStep
from tidybench.core.setup.toml import sentences
from tidybench.core.values.exact import Exact
from tidybench.records.setups import save_calculations
from tidybench.web.context import Context, answered, context_of
from tidybench.web.given import Key
from tidybench.web.instrument_routes import Command, command, setups_in_force
from tidybench.web.refusals import REFUSALS
from tidybench.web.register_routes import RegisterValue, write
from tidybench.web.setup_routes import SetupSaved, calculations_text, keep, put_in_force
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.crossings import Acknowledge


class ZeroDone(BaseModel):
    """A channel was zeroed, or a zero undone."""

    at: int
    sentence: str


class Acknowledged(Exact):
    """Crossings that a person has seen."""

    crossings: Annotated[list[Annotated[int, Field(ge=0, le=2**53)]], Field(max_length=200)]
    by: Annotated[str, Field(max_length=120)] = ""


class TryScaling(Exact):
    """Steps of scaling, and a value to try them with (null: none)."""

    scale: Finite = 1.0
    offset: Finite = 0.0
    scaling: Annotated[list[dict[str, Any]], Field(max_length=20)]
    value: Finite | None = None


class ScalingStepShown(BaseModel):
    """What a value is after a step; null where none is left, and why (as a quality)."""

    words: str
    value: float | None
    quality: int


class ScalingTried(BaseModel):
    """The value step by step; of each step that is a calibration, what is left at its points."""

    steps: list[ScalingStepShown]
    residuals: list[list[float]]


class CalculationsForm(BaseModel):
    """The calculated channels: the document as TOML, and as data."""

    text: str
    calculations: Calculations


class CalculationsBody(Exact):
    """Calculated channels to keep: as TOML, or as data. `was`: the document that they were changed from; where another was kept
    meanwhile, they are refused."""

    text: Annotated[str, Field(max_length=500_000)] | None = None
    calculations: Calculations | None = None
    was: Annotated[str, Field(max_length=500_000)] | None = None


class CalculatedChecked(BaseModel):
    """What is wrong with a calculated channel ("" for nothing), at which column of its expression (0: no place). `uses`: the ids
    of the channels that it is made from."""

    id: str
    problem: str
    column: int
    interval_s: float
    uses: list[str]


router = APIRouter(prefix="/api", responses=REFUSALS)
STEPS: TypeAdapter[list[ScalingStep]] = TypeAdapter(list[ScalingStep])


@router.get("/calculated")
async def calculated(request: Request) -> CalculationsForm:
    """The calculated channels, as text and as data."""
    context = context_of(request)
    text = await run_in_threadpool(calculations_text, context)
    return CalculationsForm(text=text, calculations=load_calculations(text))


@router.put("/calculated")
async def keep_calculated(request: Request, body: CalculationsBody) -> SetupSaved:
    """Keep the calculated channels as a new version and put them in force. Comments stay where a channel stays."""
    context = context_of(request)
    before = await run_in_threadpool(calculations_text, context)
    if body.was is not None and body.was != before:
        raise HTTPException(
            409, "Other calculated channels were kept meanwhile, by somebody else. Discard yours to see them."
        )
    try:
        if body.text is not None:
            text = body.text
        else:
            made = body.calculations or Calculations()
            plain = made.model_dump(mode="json", exclude_unset=True, exclude_none=True)
            text = document_with(before or "format = 1\n", {"calculated": plain.get("calculated", [])})
        made = load_calculations(text)
    except SetupError as error:
        raise HTTPException(400, str(error)) from None
    return await _keep(context, made, text)


async def _keep(context: Context, made: Calculations, text: str) -> SetupSaved:
    setups = [load(s.text) for s in await run_in_threadpool(setups_in_force, context)]
    taken = {channel.id: setup.instrument.name for setup in setups for channel in setup.channel}
    taken |= {setup.instrument.id: setup.instrument.name for setup in setups} | {CALCULATED: "Tidy Bench"}
    for part in made.calculated:
        if part.id in taken:
            raise HTTPException(400, f"The id “{part.id}” is used by {taken[part.id]} already.")
    version = await run_in_threadpool(_save, context, text)
    why = await put_in_force(context)
    sentence = f"Kept, not in force yet: {why}" if why else f"Version {version} is in force."
    return SetupSaved(key=CALCULATED, version=version, in_force=not why, sentence=sentence)


@router.post("/calculated/check")
async def check_calculated(request: Request, body: Calculations) -> list[CalculatedChecked]:
    """What is wrong with each of these, in words, beside the channels that are in force. Nothing is kept."""
    stored = await run_in_threadpool(setups_in_force, context_of(request))
    return await run_in_threadpool(_checked, [load(s.text) for s in stored], body)


def _checked(setups: list[Setup], body: Calculations) -> list[CalculatedChecked]:
    known = [Known(0, c.id, c.unit, setup.interval_of(c)) for setup in setups for c in setup.channel]
    numbers = {part.id: n for n, part in enumerate(body.calculated, 1)}
    return [
        CalculatedChecked(
            id=one.part.id,
            problem=one.problem,
            column=_column(one.problem),
            interval_s=one.interval,
            uses=list(dict.fromkeys(channel.id for channel in named_in(one.part))),
        )
        for one in Calculator(body.calculated, known, numbers).all
    ]


def _column(problem: str) -> int:
    word = problem.removeprefix("Column ").split(":")[0]
    return int(word) if problem.startswith("Column ") and word.isdigit() else 0


@router.put("/channels/{key}/limits")
async def move_limits(request: Request, key: Key, body: LimitsPart) -> SetupSaved:
    """Other limits for a channel, from now on: kept in its set-up, and on the tape of a run that is on."""
    context = context_of(request)
    limits = body.model_dump(exclude_defaults=True)
    for stored in await run_in_threadpool(setups_in_force, context):
        data = tomllib.loads(stored.text).get("channel", [])
        if any(channel.get("id") == key for channel in data):
            text = changed(stored.text, {"channel": _with_limits(data, key, limits)})
            return await keep(context, text)
    text = await run_in_threadpool(calculations_text, context)
    data = tomllib.loads(text).get("calculated", [])
    if not any(channel.get("id") == key for channel in data):
        raise HTTPException(404, f"There is no channel “{key[:80]}”.")
    text = document_with(text, {"calculated": _with_limits(data, key, limits)})
    return await _keep(context, load_calculations(text), text)


def _with_limits(
    channels: list[dict[str, object]], key: str, limits: dict[str, object]
) -> list[dict[str, object]]:
    return [
        {**{k: v for k, v in channel.items() if k != "limits"}, **({"limits": limits} if limits else {})}
        if channel.get("id") == key
        else channel
        for channel in channels
    ]


@router.post("/channels/{key}/zero")
async def zero(request: Request, key: Key, undo: bool = False) -> ZeroDone:
    """Zero a channel at its present value, or let its instrument zero itself; `undo` takes the last time back."""
    for stored in await run_in_threadpool(setups_in_force, context_of(request)):
        setup = load(stored.text)
        part = next((c for c in setup.channel if c.id == key), None)
        if part is not None and part.zero is not None:
            if undo:
                raise HTTPException(
                    409, f"{setup.instrument.name} zeroed itself: that cannot be taken back from here."
                )
            return ZeroDone(at=time.time_ns() // 1000, sentence=await _own_zero(request, setup, part.zero))
    answer = await answered(request, ZeroChannel(channel=key, undo=undo))
    return ZeroDone(at=time.time_ns() // 1000, sentence=answer.zeroed)


async def _own_zero(request: Request, setup: Setup, part: ZeroPart) -> str:
    """Let an instrument zero itself; what it said."""
    key = setup.instrument.id
    if part.write is not None:
        return (await write(request, key, RegisterValue(name=part.write, value=1))).sentence
    answer = await command(request, key, Command(data=part.send or ""))
    said = " / ".join(line.strip() for line in answer.lines) or answer.why or "nothing"
    return f"{setup.instrument.name} was told to zero itself and said: {said}"


@router.post("/crossings/acknowledge", status_code=204)
async def acknowledge(request: Request, body: Acknowledged) -> None:
    """A person has seen these crossings."""
    await answered(request, Acknowledge(crossings=body.crossings, by=body.by))


@router.post("/scaling")
def try_scaling(body: TryScaling) -> ScalingTried:
    """What steps of scaling make of a value, one after the other; and what a calibration leaves at its points."""
    try:
        steps = STEPS.validate_python(body.scaling)
    except ValidationError as error:
        problems = [line for one in error.errors() for line in sentences(one, "")]
        raise HTTPException(400, " ".join(problems)) from None
    left = [residuals(step) if isinstance(step, PointsStep) else [] for step in steps]
    if body.value is None:
        return ScalingTried(steps=[], residuals=left)
    first = body.value * body.scale + body.offset
    found = [ScalingStepShown(words="", value=first, quality=0)]
    found += [
        ScalingStepShown(words=one.words, value=one.value, quality=int(one.quality))
        for one in traced(steps, first)
    ]
    return ScalingTried(steps=found, residuals=left)


def _save(context: Context, text: str) -> int:
    with Session(context.engine) as session, session.begin():
        return save_calculations(session, context.bench_id(session), text)
