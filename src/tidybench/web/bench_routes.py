"""The bench: its state, the live socket, the run in progress, ports and health."""

import asyncio
import contextlib
import time
import uuid
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request, Response, WebSocket, WebSocketDisconnect
from pydantic import Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.plan.ends import Ends
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.exact import Exact
from tidybench.core.values.finding import Finding
from tidybench.core.values.point import Quantity, Stage
from tidybench.runs.points import RunPoints, run_points
from tidybench.web.context import answered, context_of
from tidybench.web.given import Moment
from tidybench.web.hub import thinned
from tidybench.web.live import LiveMessage
from tidybench.web.refusals import REFUSALS
from tidybench.wire.runs import (
    AddMark,
    ArmedStatus,
    ArmRun,
    BeginArmed,
    BeginRun,
    CallOff,
    ChangeEnds,
    CorrectMark,
    CorrectPoint,
    EndRun,
    GetGlance,
    RunStatus,
    StopPoint,
    TakePoint,
)
from tidybench.wire.status import GetHistory


class NewEnds(Exact):
    """What is to end a run: another window may have begun another one meanwhile."""

    run: uuid.UUID
    ends: Ends


class End(Exact):
    """Which run to end: another window may have begun another one meanwhile."""

    run: uuid.UUID


class NewMark(Exact):
    """A mark for the run in progress: of the moment `ago_ms` (milliseconds) before this one; `by` empty for its operator."""

    text: Annotated[str, Field(max_length=500)]
    by: Annotated[str, Field(max_length=120)] = ""
    ago_ms: Annotated[float, Field(ge=0, le=86_400_000, allow_inf_nan=False)] = 0.0


class PointStop(Exact):
    """The point that is being taken: average at once, steady or not (`now`), or give it up."""

    number: Annotated[int, Field(ge=1, le=10**6)]
    now: bool = False


class PointText(Exact):
    """Another version of a point: what a person gave. `version`: the one that is corrected; `by`: empty for whoever took it."""

    number: Annotated[int, Field(ge=1, le=10**6)]
    version: Annotated[int, Field(ge=1, le=10**6)]
    name: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""
    by: Annotated[str, Field(max_length=120)] = ""
    stage: Stage = ""
    sets: Annotated[list[Quantity], Field(max_length=20)] = []
    typed: Annotated[list[Quantity], Field(max_length=20)] = []
    void: bool = False


class MarkText(Exact):
    """A mark, known by its time, and the text it is to have."""

    at: Moment
    text: Annotated[str, Field(max_length=500)]


router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/bench")
async def bench(request: Request) -> LiveMessage:
    """How the bench stands; the live socket's text frames have the same form."""
    return context_of(request).hub.message()


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """Samples as binary frames, status and tape as text frames."""
    hub = context_of(socket).hub
    await socket.accept()
    listener = hub.listen()
    try:
        await socket.send_text(hub.first())
        reading = asyncio.create_task(_until_closed(socket))
        while not reading.done():
            getting = asyncio.create_task(listener.get())
            await asyncio.wait({getting, reading}, return_when=asyncio.FIRST_COMPLETED)
            if not getting.done():
                getting.cancel()
                break
            item = getting.result()
            await (socket.send_bytes(item) if isinstance(item, bytes) else socket.send_text(item))
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        hub.leave(listener)


async def _until_closed(socket: WebSocket) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        while True:
            await socket.receive_text()


@router.get("/live/history", response_class=Response)
async def history(
    request: Request,
    seconds: Annotated[float, Query(gt=0, le=3600)] = 300,
    points: Annotated[int, Query(ge=10, le=5000)] = 1000,
) -> Response:
    """The recorder's own memory of the last `seconds`, as packed samples, thinned to `points`."""
    since = time.time_ns() // 1000 - round(seconds * 1e6)
    _, frames = await context_of(request).hub.ask(GetHistory(since=since))
    data = await run_in_threadpool(lambda: thinned(b"".join(frames), points))
    return Response(data, media_type="application/octet-stream")


@router.post("/run", status_code=201)
async def begin(request: Request, body: RunPlan) -> RunStatus:
    """Begin a run now, whatever its plan says begins it."""
    answer = await answered(request, BeginRun(**body.model_dump()))
    assert answer.run is not None
    return answer.run


@router.post("/run/glance")
async def glance(request: Request, body: RunPlan) -> list[Finding]:
    """What there is to be said before a run begins that is planned so. Nothing of it forbids."""
    return (await answered(request, GetGlance(**body.model_dump()))).glance


@router.post("/armed", status_code=201)
async def arm(request: Request, body: RunPlan) -> ArmedStatus:
    """Wait for what begins a run by its plan."""
    answer = await answered(request, ArmRun(**body.model_dump()))
    assert answer.armed is not None
    return answer.armed


@router.delete("/armed/{armed}", status_code=204)
async def call_off(request: Request, armed: uuid.UUID) -> None:
    """The run that waits is not to begin."""
    await answered(request, CallOff(armed=str(armed)))


@router.post("/armed/{armed}/begin", status_code=201)
async def begin_armed(request: Request, armed: uuid.UUID) -> RunStatus:
    """Begin the run that waits now."""
    answer = await answered(request, BeginArmed(armed=str(armed)))
    assert answer.run is not None
    return answer.run


@router.put("/run/ends")
async def change_ends(request: Request, body: NewEnds) -> RunStatus:
    """Something else ends the run in progress: later, sooner, otherwise."""
    answer = await answered(request, ChangeEnds(run=str(body.run), ends=body.ends))
    assert answer.run is not None
    return answer.run


@router.post("/run/end", status_code=204)
async def end(request: Request, body: End) -> None:
    """End the run in progress."""
    await answered(request, EndRun(run=str(body.run)))


@router.post("/run/marks", status_code=201)
async def mark(request: Request, body: NewMark) -> RunStatus:
    """Mark this moment of the run in progress."""
    answer = await answered(request, AddMark(text=body.text, by=body.by, ago_ms=body.ago_ms))
    assert answer.run is not None
    return answer.run


@router.get("/run/points")
async def points(request: Request) -> RunPoints:
    """The test points of the run in progress, all versions of each, as they came; and how its plan has them taken."""
    status = context_of(request).hub.message().status
    if status is None or status.run is None:
        return RunPoints()
    folder = Path(status.run.folder)
    return await run_in_threadpool(lambda: _points_of(folder))


def _points_of(folder: Path) -> RunPoints:
    try:
        return run_points(folder)
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read ({folder}).") from error


@router.post("/run/points", status_code=201)
async def take_point(request: Request, body: PointOrder) -> RunStatus:
    """Take a test point of the run in progress; the status tells how it goes."""
    answer = await answered(request, TakePoint(order=body))
    assert answer.run is not None
    return answer.run


@router.post("/run/points/stop")
async def stop_point(request: Request, body: PointStop) -> RunStatus:
    """The point that is being taken is averaged at once, or given up."""
    answer = await answered(request, StopPoint(number=body.number, now=body.now))
    assert answer.run is not None
    return answer.run


@router.patch("/run/points")
async def correct_point(request: Request, body: PointText) -> RunStatus:
    """Another version of a point of the run in progress; the old ones stay."""
    answer = await answered(request, CorrectPoint(**body.model_dump()))
    assert answer.run is not None
    return answer.run


@router.patch("/run/marks")
async def correct_mark(request: Request, body: MarkText) -> RunStatus:
    """Another text for a mark of the run in progress; the tape keeps the old one."""
    answer = await answered(request, CorrectMark(at=body.at, text=body.text))
    assert answer.run is not None
    return answer.run
