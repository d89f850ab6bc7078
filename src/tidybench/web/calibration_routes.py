"""Calibrations by points: what they come to, and the correction taken into the set-up."""

import tomllib
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request, Response
from pydantic import Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.channels.correction import Fit
from tidybench.core.compile.edit import changed
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.setup.scaling import CalibrationPart
from tidybench.core.values.exact import Exact
from tidybench.runs.calibration import NotACalibration, RunCalibration, run_calibration, table
from tidybench.web.context import answered, context_of
from tidybench.web.instrument_routes import setups_in_force
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of
from tidybench.web.setup_routes import SetupSaved, keep
from tidybench.wire.runs import AddMark, RunStatus
from tidybench.wire.status import GetStatus, Status

Degree = Annotated[int, Query(ge=1, le=6)]


class TakeIn(Exact):
    """The correction that is to be taken into the set-up: of which run, how its points are fitted, and what the new certificate says (null: what
    is known stays)."""

    run: uuid.UUID
    fit: Fit = "straight line"
    degree: Annotated[int, Field(ge=1, le=6)] = 2
    certificate: CalibrationPart | None = None


router = APIRouter(prefix="/api", responses=REFUSALS)


async def _run_on(request: Request) -> tuple[RunStatus, CalibrationPlan, Status]:
    """The calibration that is on, as the recorder has it this moment."""
    status = (await answered(request, GetStatus())).status
    if status is None or status.run is None:
        raise HTTPException(409, "No run is on. It was ended already, perhaps in another window.")
    if status.run.calibrates is None:
        raise HTTPException(409, f"The run “{status.run.name}” calibrates nothing.")
    return status.run, status.run.calibrates, status


def _found(ask: Callable[[], RunCalibration]) -> RunCalibration:
    try:
        return ask()
    except NotACalibration as error:
        raise HTTPException(404, str(error)) from error
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error


@router.get("/run/calibration")
async def calibration_now(request: Request, fit: Fit = "straight line", degree: Degree = 2) -> RunCalibration:
    """What the calibration that is on comes to so far, and the correction that its points would make."""
    folder = Path((await _run_on(request))[0].folder)
    return await run_in_threadpool(lambda: _found(lambda: run_calibration(folder, fit, degree)))


@router.get("/runs/{key}/calibration")
def calibration_of_run(request: Request, key: uuid.UUID) -> RunCalibration:
    """What a calibration came to; its correction is the one that was taken in, or a straight line where none was."""
    folder, _ = folder_of(request, key)
    return _found(lambda: run_calibration(folder))


@router.get("/runs/{key}/calibration.csv", response_class=Response)
def calibration_table(request: Request, key: uuid.UUID) -> Response:
    """The points of a calibration as CSV, a row each."""
    folder, _ = folder_of(request, key)
    text = table(_found(lambda: run_calibration(folder)))
    name = {"Content-Disposition": 'attachment; filename="calibration.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8; header=present", headers=name)


@router.post("/run/correction", status_code=201)
async def take_in(request: Request, body: TakeIn) -> SetupSaved:
    """Take the correction that the points as found make into the channel's set-up, in the place of the one in force, and put it in force. The
    certificate comes with it, and the run gets a mark."""
    context = context_of(request)
    run, plan, status = await _run_on(request)
    if run.id != str(body.run):
        raise HTTPException(409, f"Another run is on now: “{run.name}”. Nothing was taken in.")
    if run.taking is not None:
        raise HTTPException(409, f"Point {run.taking.number} is being taken. Wait for it, or give it up.")
    key = plan.channel
    folder = Path(run.folder)
    found = await run_in_threadpool(lambda: _found(lambda: run_calibration(folder, body.fit, body.degree)))
    if found.taken_in and any(row.stage == "as left" and not row.void for row in found.rows):
        raise HTTPException(
            409,
            "There are points as left under the correction in force. Take them out first, or begin another calibration.",
        )
    if found.correction is None:
        raise HTTPException(409, found.no_correction)
    channel = next((one for one in status.channels if one.id == key), None)
    if channel is not None and channel.zero:
        raise HTTPException(
            409,
            f"{channel.zero:.{channel.decimals}f} {channel.unit} is being taken off {channel.name} as its zero. Undo the zero first: "
            "the correction is made for the value without it.",
        )
    step = found.correction.step.model_dump()
    if step["fit"] != "polynomial":
        del step["degree"]
    step["points"] = [list(pair) for pair in step["points"]]
    certificate = body.certificate.model_dump(exclude_defaults=True) if body.certificate is not None else None
    for stored in await run_in_threadpool(setups_in_force, context):
        channels = tomllib.loads(stored.text).get("channel", [])
        if any(one.get("id") == key for one in channels):
            text = changed(
                stored.text,
                {
                    "channel": [
                        _corrected(one, step, certificate) if one.get("id") == key else one
                        for one in channels
                    ]
                },
            )
            saved = await keep(context, text)
            if saved.in_force:
                words = f"correction of {found.name} taken in: {found.correction.words}"
                await context.hub.ask(AddMark(text=words, by=run.operator))
            return saved
    raise HTTPException(404, f"There is no channel “{key[:80]}” on the bench any more.")


def _corrected(
    channel: dict[str, Any], step: dict[str, Any], certificate: dict[str, Any] | None
) -> dict[str, Any]:
    steps = list(channel.get("scaling", []))
    if steps and steps[-1].get("kind") == "points":
        steps.pop()
    given = {"calibration": certificate} if certificate is not None else {}
    return {**channel, "scaling": [*steps, step], **given}
