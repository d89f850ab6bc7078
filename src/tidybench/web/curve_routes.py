"""Curves: those that are drawn now, those of runs, and what they say."""

import math
import uuid
from collections.abc import Sequence
from typing import Annotated

import numpy as np
import numpy.typing as npt
from fastapi import APIRouter, HTTPException, Request, Response
from fastapi import Path as InPath
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.curves.analysis import Answer, CurveError, Question, answer, difference, unwrapped
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.curves.spectrum import spectrum
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.core.values.exact import Exact
from tidybench.records.curves import KeptCurve, kept_curves
from tidybench.runs.curves import curve_file, read_rows, run_curves
from tidybench.runs.run_state import read_state
from tidybench.web.context import answered, context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of
from tidybench.wire.curves import CaptureStatus, GetCurve, StartCapture, StopCapture

MOST_KEPT = 300
"""Curves of runs that are listed."""

Number = Annotated[int, Field(ge=1, le=2**31)]
Array = npt.NDArray[np.float64]

router = APIRouter(prefix="/api", responses=REFUSALS)


class CurveRows(BaseModel):
    """A curve with its rows: a list for each of its columns, null where nothing was measured. An angle that is to be drawn without its jumps has
    none. `run_name`, `item`: of the run it is from, "" for none."""

    about: Curve
    values: list[list[float | None]]
    run_name: str = ""
    item: str = ""


class CurveRef(Exact):
    """Which curve: of a run by the run's key and its number there; without a run one that the recorder remembers."""

    run: uuid.UUID | None = None
    number: Number


class Asked(Exact):
    """What is asked of a quantity of a curve, the first is 1; `begin` to `end` is the stretch, null for all of it (for a corner: the
    passband)."""

    of: CurveRef
    quantity: Annotated[int, Field(ge=1, le=21)] = 1
    question: Question
    begin: Finite | None = None
    end: Finite | None = None


class Found(BaseModel):
    """One figure of an answer; `uncertainty` is standard (k = 1), null where it cannot be told."""

    name: str
    value: float
    unit: str
    uncertainty: float | None


class Answered(BaseModel):
    """What was found, how, from which stretch of so many rows; `xs`, `ys`: a line to be drawn through the curve."""

    question: Question
    results: list[Found]
    method: str
    begin: float
    end: float
    points: int
    xs: list[float]
    ys: list[float]


class SpectrumAsked(Exact):
    """A quantity of a curve that was sampled over time."""

    of: CurveRef
    quantity: Annotated[int, Field(ge=1, le=21)] = 1


class Spectrum(BaseModel):
    """Amplitudes (of a sine, in the quantity's unit) over frequency in Hz; how they were made; where the highest peaks lie."""

    xs: list[float]
    ys: list[float]
    unit: str
    method: str
    peaks: list[Found]


class LessAsked(Exact):
    """A quantity of one curve less the same of another."""

    of: CurveRef
    less: CurveRef
    quantity: Annotated[int, Field(ge=1, le=21)] = 1


class Difference(BaseModel):
    """Over the stretch that both have, at the rows of the first."""

    xs: list[float]
    ys: list[float]


@router.get("/curves")
def curves_of_runs(request: Request) -> list[KeptCurve]:
    """The newest curves of all runs, the newest first."""
    with Session(context_of(request).engine) as session:
        return kept_curves(session, MOST_KEPT)


@router.get("/curves/remembered/{number}")
async def remembered_curve(request: Request, number: Annotated[int, InPath(ge=1, le=2**31)]) -> CurveRows:
    """A curve that is drawn now, or was since the recorder was started."""
    return await _remembered(request, number)


@router.post("/captures", status_code=201)
async def start_capture(request: Request, order: CaptureOrder) -> CaptureStatus:
    """Wait for a trigger, and take so many samples about it."""
    started = (await answered(request, StartCapture(order=order))).capture
    assert started is not None
    return started


@router.post("/captures/{number}/trigger")
async def trigger_capture(request: Request, number: Annotated[int, InPath(ge=1, le=2**31)]) -> CaptureStatus:
    """The trigger comes now, whatever is waited for."""
    status = (await answered(request, StopCapture(number=number, now=True))).capture
    assert status is not None
    return status


@router.delete("/captures/{number}", status_code=204)
async def stop_capture(request: Request, number: Annotated[int, InPath(ge=1, le=2**31)]) -> None:
    """Nothing more is taken of it."""
    await answered(request, StopCapture(number=number))


@router.get("/runs/{key}/curves")
def curves_of_run(request: Request, key: uuid.UUID) -> list[Curve]:
    """The curves of a run, in their order, without their rows."""
    folder, _ = folder_of(request, key)
    return run_curves(folder)


@router.get("/runs/{key}/curves/{number}")
def curve_of_run(
    request: Request, key: uuid.UUID, number: Annotated[int, InPath(ge=1, le=2**31)]
) -> CurveRows:
    """A curve of a run."""
    return _of_run(request, key, number)


@router.get("/runs/{key}/curves/{number}/csv", response_class=FileResponse)
def curve_csv(request: Request, key: uuid.UUID, number: Annotated[int, InPath(ge=1, le=2**31)]) -> Response:
    """The curve's file."""
    folder, _ = folder_of(request, key)
    path = curve_file(folder, _one(run_curves(folder), number))
    return FileResponse(path, media_type="text/csv; charset=utf-8; header=present", filename=path.name)


@router.post("/curves/answer")
async def answer_of_curve(request: Request, asked: Asked) -> Answered:
    """What a curve says: its corner, its slope over a stretch, its resonance, the response that fits it."""
    found = await _found(request, asked.of)
    x, y = await run_in_threadpool(_columns, found, asked.quantity)
    columns = found.about.columns
    try:
        told: Answer = await run_in_threadpool(
            answer, asked.question, x, y, columns[0], columns[asked.quantity], asked.begin, asked.end
        )
    except CurveError as error:
        raise HTTPException(409, str(error)) from None
    return Answered(
        question=told.question,
        results=[
            Found(name=one.name, value=one.value, unit=one.unit, uncertainty=one.uncertainty)
            for one in told.results
        ],
        method=told.method,
        begin=told.begin,
        end=told.end,
        points=told.points,
        xs=told.xs,
        ys=told.ys,
    )


@router.post("/curves/spectrum")
async def spectrum_of_curve(request: Request, asked: SpectrumAsked) -> Spectrum:
    """The amplitudes of a quantity over frequency, where it was sampled over time."""
    found = await _found(request, asked.of)
    over, quantity = found.about.columns[0], _column(found, asked.quantity)
    x, y = await run_in_threadpool(_columns, found, asked.quantity)
    try:
        told = await run_in_threadpool(spectrum, x, y, over, quantity)
    except CurveError as error:
        raise HTTPException(409, str(error)) from None
    return Spectrum(
        xs=told.frequencies.tolist(),
        ys=told.amplitudes.tolist(),
        unit=quantity.unit,
        method=told.method,
        peaks=[Found(name="Peak", value=at, unit="Hz", uncertainty=None) for at in told.peaks],
    )


@router.post("/curves/difference")
async def difference_of_curves(request: Request, asked: LessAsked) -> Difference:
    """A quantity of one curve less the same of another."""
    first, second = await _found(request, asked.of), await _found(request, asked.less)
    one, other = (found.about.columns[0] for found in (first, second))
    mine, its = (_column(found, asked.quantity) for found in (first, second))
    if (one.unit, mine.unit) != (other.unit, its.unit):
        raise HTTPException(409, "The two curves have other units: there is no difference between them.")
    x, y = _columns(first, asked.quantity)
    other_x, other_y = _columns(second, asked.quantity)
    try:
        xs, ys = difference(x, y, other_x, other_y, one.scale == "logarithmic")
    except CurveError as error:
        raise HTTPException(409, str(error)) from None
    return Difference(xs=xs.tolist(), ys=ys.tolist())


def _column(found: CurveRows, quantity: int) -> CurveColumn:
    if quantity >= len(found.about.columns):
        raise HTTPException(404, f"{found.about.name} has no quantity {quantity}.")
    return found.about.columns[quantity]


def _columns(found: CurveRows, quantity: int) -> tuple[Array, Array]:
    _column(found, quantity)
    x, y = (
        np.array([math.nan if v is None else v for v in found.values[n]], np.float64) for n in (0, quantity)
    )
    return x, y


async def _found(request: Request, ref: CurveRef) -> CurveRows:
    if ref.run is None:
        return await _remembered(request, ref.number)
    return await run_in_threadpool(_of_run, request, ref.run, ref.number)


async def _remembered(request: Request, number: int) -> CurveRows:
    got = (await answered(request, GetCurve(number=number))).curve
    assert got is not None
    rows = [[math.nan if v is None else v for v in column] for column in got.values]
    return _shown(got.about, rows).model_copy(update={"run_name": got.about.run_name, "item": got.about.item})


def _of_run(request: Request, key: uuid.UUID, number: int) -> CurveRows:
    folder, _ = folder_of(request, key)
    curve = _one(run_curves(folder), number)
    try:
        values = read_rows(folder, curve)
        run = read_state(folder)
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"{curve_file(folder, curve).name} cannot be read: {error}.") from error
    return _shown(curve, values.tolist()).model_copy(update={"run_name": run.name, "item": run.item})


def _one(curves: Sequence[Curve], number: int) -> Curve:
    for curve in curves:
        if curve.number == number:
            return curve
    raise HTTPException(404, f"The run has no curve {number}.")


def _shown(about: Curve, values: Sequence[Sequence[float]]) -> CurveRows:
    shown = [
        unwrapped(np.array(column, np.float64), one.unit).tolist() if one.unwrap else column
        for one, column in zip(about.columns, values, strict=True)
    ]
    return CurveRows(
        about=about, values=[[v if math.isfinite(v) else None for v in column] for column in shown]
    )
