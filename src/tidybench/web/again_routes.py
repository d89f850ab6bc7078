"""Runs read again with a corrected set-up."""

import time
import uuid
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from tidybench.core.setup import SetupError
from tidybench.core.tape.lines import TapeError
from tidybench.core.values.exact import Exact
from tidybench.runs.again import (
    AgainError,
    AgainTrend,
    Comparison,
    CurveComparison,
    Version,
    compared,
    csv_of,
    curve_of,
    frozen_texts,
    keep,
    versions,
)
from tidybench.web.given import Number
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import csv_response, folder_of


class AgainBody(Exact):
    """A corrected set-up to read a run again with; kept as another version, or only tried."""

    text: Annotated[str, Field(max_length=500_000)]
    keep: bool = False


class FrozenSetup(BaseModel):
    """A set-up as it was when a run began."""

    id: str
    name: str
    text: str


class AgainInfo(BaseModel):
    """What a run can be read again with, and the versions there are besides what was logged."""

    setups: list[FrozenSetup]
    versions: list[Version]


class AgainOutcome(BaseModel):
    """Each channel, and each curve of the instrument, as it was logged and as it is read again, for a picture too where it was tried only; `from_memory`: so many samples came
    along from before the run, and count on neither side; `kept` where it became a version."""

    channels: list[Comparison]
    curves: list[CurveComparison]
    trends: list[AgainTrend]
    from_memory: int
    kept: Version | None


router = APIRouter(prefix="/api/runs", responses=REFUSALS)


@router.get("/{key}/again")
def again(request: Request, key: uuid.UUID) -> AgainInfo:
    """The set-ups a run began with, and the versions of its CSV besides what was logged."""
    folder, _ = folder_of(request, key)
    setups = [FrozenSetup(id=id_, name=name, text=text) for id_, (name, text) in frozen_texts(folder).items()]
    return AgainInfo(setups=setups, versions=versions(folder))


@router.post("/{key}/again")
def read_again(request: Request, key: uuid.UUID, body: AgainBody) -> AgainOutcome:
    """A run read again from its tape with a corrected set-up, beside what was logged."""
    folder, _ = folder_of(request, key)
    try:
        if body.keep:
            kept = keep(folder, body.text, time.time_ns() // 1000)
            return AgainOutcome(
                channels=kept.channels, curves=kept.curves, trends=[], from_memory=kept.from_memory, kept=kept
            )
        found = compared(folder, body.text)
        return AgainOutcome(
            channels=found.channels,
            curves=found.curves,
            trends=found.trends,
            from_memory=found.from_memory,
            kept=None,
        )
    except (AgainError, SetupError) as error:
        raise HTTPException(400, str(error)) from None
    except TapeError as error:
        raise HTTPException(409, f"The tape cannot be read: {error}") from None
    except OSError as error:
        raise HTTPException(409, f"{error.filename}: {error.strerror}.") from None


@router.get("/{key}/again/{version}/csv", response_class=FileResponse)
def again_csv(request: Request, key: uuid.UUID, version: Number) -> Response:
    """The CSV of another version."""
    folder, _ = folder_of(request, key)
    path = csv_of(folder, version)
    if path is None:
        raise HTTPException(404, f"This run has no version {version}.")
    return csv_response(path, folder)


@router.get("/{key}/again/{version}/curves/{number}/csv", response_class=FileResponse)
def again_curve_csv(request: Request, key: uuid.UUID, version: Number, number: Number) -> Response:
    """The CSV of a curve of another version."""
    folder, _ = folder_of(request, key)
    path = curve_of(folder, version, number)
    if path is None:
        raise HTTPException(404, f"Version {version} of this run has no curve {number}.")
    return FileResponse(path, media_type="text/csv; charset=utf-8; header=present", filename=path.name)
