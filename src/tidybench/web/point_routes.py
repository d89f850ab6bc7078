"""The test points of a run beside those of another."""

import uuid
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.points_comparison import PointPair, compare_points
from tidybench.core.values.point import Point, newest_of
from tidybench.records.models import Run
from tidybench.runs.points import POINTS, read_points
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of


class PointsRun(BaseModel):
    """A run that has test points."""

    id: uuid.UUID
    name: str
    item: str
    begun_at: int


class PointsBeside(BaseModel):
    """Points of two runs: those that belong together, and those that only one has. Differences are the second's less the first's."""

    pairs: list[PointPair]


router = APIRouter(prefix="/api/runs", responses=REFUSALS)


@router.get("/{key}/points/others")
def others_with_points(
    request: Request, key: uuid.UUID, limit: Annotated[int, Query(ge=1, le=200)] = 50
) -> list[PointsRun]:
    """Other runs that have test points, newest first."""
    found: list[PointsRun] = []
    with Session(context_of(request).engine) as session:
        for run in session.scalars(
            select(Run)
            .where(Run.id != key, Run.removed_at.is_(None))
            .order_by(Run.begun_at.desc())
            .limit(1000)
        ):
            if (Path(run.folder) / POINTS).exists():
                found.append(PointsRun(id=run.id, name=run.name, item=run.item, begun_at=run.begun_at))
            if len(found) == limit:
                break
    return found


@router.get("/{key}/points/beside/{other}")
def points_beside(request: Request, key: uuid.UUID, other: uuid.UUID) -> PointsBeside:
    """The run's test points beside those of another one: each difference with its uncertainty, where certificates state one."""
    first, second = _points(request, key), _points(request, other)
    return PointsBeside(pairs=compare_points(first, second))


def _points(request: Request, key: uuid.UUID) -> list[Point]:
    folder, _ = folder_of(request, key)
    points = newest_of(read_points(folder))
    if not points:
        raise HTTPException(404, f"The run in {folder.name} has no test points.")
    return points
