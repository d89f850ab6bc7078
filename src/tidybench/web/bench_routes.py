"""The bench: its state, the live socket, the run in progress, ports and health."""

import asyncio
import contextlib
import time
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response, WebSocket, WebSocketDisconnect
from sqlalchemy import text
from starlette.concurrency import run_in_threadpool

from tidybench.web.context import Context, answered, context_of
from tidybench.web.hub import thinned
from tidybench.web.models import Begin, End, Health, LiveMessage, NewMark, Part, PortOrder, Refusal
from tidybench.wire.client import RecorderAway
from tidybench.wire.messages import (
    AddMark,
    BeginRun,
    EndRun,
    GetHistory,
    GetPorts,
    GetTape,
    PortInfo,
    ReleasePort,
    RunStatus,
    TakeBackPort,
    TapeLine,
)

REFUSALS: dict[int | str, dict[str, object]] = {
    400: {"model": Refusal},
    404: {"model": Refusal},
    409: {"model": Refusal},
    503: {"model": Refusal},
    507: {"model": Refusal},
}
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
        await socket.send_text(hub.message().model_dump_json())
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
    data = await run_in_threadpool(thinned, frames[0], points) if frames else b""
    return Response(data, media_type="application/octet-stream")


@router.get("/live/tape")
async def tape(request: Request, last: Annotated[int, Query(ge=1, le=2000)] = 200) -> list[TapeLine]:
    """The newest lines of the tape."""
    return (await answered(request, GetTape(last=last))).tape


@router.post("/run", status_code=201)
async def begin(request: Request, body: Begin) -> RunStatus:
    """Begin a run."""
    answer = await answered(request, BeginRun(**body.model_dump()))
    assert answer.run is not None
    return answer.run


@router.post("/run/end", status_code=204)
async def end(request: Request, body: End) -> None:
    """End the run in progress."""
    await answered(request, EndRun(run=str(body.run)))


@router.post("/run/marks", status_code=201)
async def mark(request: Request, body: NewMark) -> RunStatus:
    """Mark this moment of the run in progress."""
    answer = await answered(request, AddMark(text=body.text, by=body.by))
    assert answer.run is not None
    return answer.run


@router.get("/ports")
async def ports(request: Request) -> list[PortInfo]:
    """The serial ports as they are right now."""
    return (await answered(request, GetPorts())).ports


@router.post("/ports/release", status_code=204)
async def release(request: Request, body: PortOrder) -> None:
    """Give a port up for another program."""
    await answered(request, ReleasePort(link=body.link))


@router.post("/ports/take-back", status_code=204)
async def take_back(request: Request, body: PortOrder) -> None:
    """Return to a released port."""
    await answered(request, TakeBackPort(link=body.link))


@router.get("/health")
async def health(request: Request) -> Health:
    """Whether recorder, database, links and disk are well."""
    context = context_of(request)
    hub = context.hub
    status = hub.status
    recorder = Part(well=hub.here, words="heard" if hub.here else str(RecorderAway()))
    database = await run_in_threadpool(_database, context)
    if status is None:
        unknown = Part(well=False, words="not known: the recorder has not been heard yet")
        return Health(well=False, recorder=recorder, database=database, links=unknown, disk=unknown)
    stopped = [i.name for i in status.instruments if any(s.state == "stopped" for s in i.stages)]
    passing = "all passing" if status.instruments else "no instrument is connected yet"
    links = Part(well=not stopped, words=f"stopped: {', '.join(stopped)}" if stopped else passing)
    free = status.disk.free_bytes
    disk = Part(well=free > 200 * 2**20, words=f"{free / 2**30:.1f} GB free")
    parts = (recorder, database, links, disk)
    return Health(
        well=all(p.well for p in parts), recorder=recorder, database=database, links=links, disk=disk
    )


def _database(context: Context) -> Part:
    try:
        with context.engine.connect() as connection:
            connection.execute(text("SELECT 1"))
    except Exception as error:
        return Part(
            well=False, words=f"does not answer ({str(error).splitlines()[0]}); runs are logged all the same"
        )
    trouble = context.clerk.trouble
    return Part(well=not trouble, words=trouble or "answers, records follow")
