"""Layouts of the Bench, and its past beyond the recorder's memory."""

from typing import Annotated

import numpy as np
from fastapi import APIRouter, HTTPException, Path, Query, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.samples import DTYPE
from tidybench.core.values.exact import Exact
from tidybench.records import by_name
from tidybench.records.history import history
from tidybench.records.layouts import layouts
from tidybench.records.models import Layout
from tidybench.web.context import Context, context_of
from tidybench.web.given import Moment
from tidybench.web.refusals import REFUSALS


class LaneData(BaseModel):
    """A lane of the Bench: its channels by id, how high it is beside the others, its scale (null: automatic). `undrawn`: channels
    that have a readout and no curve. `band`: the lowest, middle and highest of all are drawn, and curves only of those
    that stand out."""

    channels: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=200)]
    weight: Annotated[float, Field(ge=0.25, le=8)] = 1.0
    scale: tuple[float, float] | None = None
    log: bool = False
    undrawn: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=200)] = []
    band: bool = False


class LayoutData(Exact):
    """How the Bench is laid out: its lanes in order, and the channels that stand in none. A channel that is not named
    joins those of its unit. `own_time`: instruments whose samples stand at the times of their own clock."""

    lanes: Annotated[list[LaneData], Field(max_length=200)] = []
    hidden: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=1000)] = []
    own_time: Annotated[list[Annotated[str, Field(max_length=64)]], Field(max_length=1000)] = []


class NamedLayout(BaseModel):
    """A layout under its name."""

    name: str
    data: LayoutData


router = APIRouter(prefix="/api", responses=REFUSALS)
Name = Annotated[str, Path(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f/]+$")]
LONGEST = 60 * 86_400_000_000
MAX_LAYOUTS = 200


@router.get("/layouts")
def list_layouts(request: Request) -> list[NamedLayout]:
    """The layouts saved at this bench."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        found = layouts(session, context.bench_id(session))
    return [NamedLayout(name=name, data=LayoutData.model_validate(data)) for name, data in found.items()]


@router.put("/layouts/{name}", status_code=204)
def keep_layout(request: Request, name: Name, body: LayoutData) -> None:
    """Save a layout under a name; an older one of this name is replaced."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        bench = context.bench_id(session)
        if len(layouts(session, bench)) >= MAX_LAYOUTS:
            raise HTTPException(409, f"There are {MAX_LAYOUTS} layouts already. Remove one first.")
        by_name.save(session, Layout, bench, name.strip(), data=body.model_dump(mode="json"))


@router.delete("/layouts/{name}", status_code=204)
def remove(request: Request, name: Name) -> None:
    """Remove a layout."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        if not by_name.remove(session, Layout, context.bench_id(session), name.strip()):
            raise HTTPException(404, f"There is no layout “{name}”.")


@router.get("/history", response_class=Response)
async def past(
    request: Request,
    start: Moment,
    end: Moment,
    points: Annotated[int, Query(ge=10, le=4000)] = 900,
) -> Response:
    """What was logged at this bench from `start` to `end` (microseconds), over all runs: packed samples under the numbers the
    channels have now, for a picture `points` wide."""
    if not 0 < end - start <= LONGEST:
        raise HTTPException(400, "The stretch must begin before it ends, and last 60 days at most.")
    context = context_of(request)
    status = context.hub.status
    numbers = {channel.id: channel.number for channel in status.channels} if status is not None else {}
    data = await run_in_threadpool(_past, context, numbers, start, end, points)
    return Response(data, media_type="application/octet-stream")


def _past(context: Context, numbers: dict[str, int], start: int, end: int, points: int) -> bytes:
    with Session(context.engine) as session, session.begin():
        found = history(session, context.bench_id(session), start, end, points)
    pieces = []
    for one in found:
        number = numbers.get(one.key)
        if number is None:
            continue
        records = np.empty(len(one.series.times), DTYPE)
        records["word"] = (number << 8) | one.series.qualities.astype(np.uint64)
        records["time"], records["value"] = one.series.times, one.series.values
        pieces.append(records.tobytes())
    return b"".join(pieces)
