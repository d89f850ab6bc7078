"""The bench: its state, the live socket, the run in progress, ports and health."""

import asyncio
import contextlib
import time
from datetime import datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Request, Response, WebSocket, WebSocketDisconnect
from sqlalchemy import text
from starlette.concurrency import run_in_threadpool

from tidybench.web.context import Context, answered, context_of
from tidybench.web.hub import thinned
from tidybench.web.models import Begin, End, Health, LiveMessage, MarkText, NewMark, Part, Refusal
from tidybench.wire.client import RecorderAway
from tidybench.wire.messages import (
    AddMark,
    BeginRun,
    CorrectMark,
    EndRun,
    GetHistory,
    GetTape,
    RunStatus,
    TapeLine,
)

REFUSALS: dict[int | str, dict[str, object]] = {
    "default": {
        "model": Refusal,
        "description": "Refused (400, 404, 409, 503 or 507), and why in a sentence.",
    }
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


def wanted_tape(
    last: Annotated[int, Query(ge=1, le=100_000)] = 200,
    before: Annotated[int, Query(ge=0)] = 0,
    after: Annotated[int, Query(ge=0)] = 0,
    link: Annotated[str, Query(max_length=1000)] = "",
    direction: Literal["", "in", "out", "events"] = "",
    find: Annotated[str, Query(max_length=200)] = "",
) -> GetTape:
    """Which lines of the tape: the newest `last` before number `before` and after number `after`, of one
    link, one direction, with some text in them."""
    return GetTape(last=last, before=before, after=after, link=link, direction=direction, find=find)


@router.get("/live/tape")
async def tape(request: Request, wanted: Annotated[GetTape, Depends(wanted_tape)]) -> list[TapeLine]:
    """Lines of the tape, from the recorder's memory of the last 100 000 pieces."""
    return (await answered(request, wanted)).tape


@router.get("/live/tape/file", response_class=Response)
async def tape_file(request: Request, wanted: Annotated[GetTape, Depends(wanted_tape)]) -> Response:
    """The same lines as a text file, for a mail to whoever can help (docs/formats/tape.md)."""
    lines = (await answered(request, wanted)).tape
    name = f"tape_{datetime.now().strftime('%Y-%m-%d_%H%M%S')}.txt"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response("".join(map(_plain, lines)), media_type="text/plain; charset=utf-8", headers=headers)


def _plain(line: TapeLine) -> str:
    at = datetime.fromtimestamp(line.at / 1e6).astimezone().isoformat(timespec="milliseconds")
    arrow = {"in": "<-", "out": "->"}.get(line.kind, "--")
    text = line.text.encode("unicode_escape").decode() if arrow != "--" else line.text
    return f"{at}  {line.link or 'bench'}  {arrow}  {text}\n"


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


@router.patch("/run/marks")
async def correct_mark(request: Request, body: MarkText) -> RunStatus:
    """Another text for a mark of the run in progress; the tape keeps the old one."""
    answer = await answered(request, CorrectMark(at=body.at, text=body.text))
    assert answer.run is not None
    return answer.run


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
