"""The tape, as the recorder remembers it: looked at, searched, saved."""

from datetime import datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel, Field
from starlette.requests import HTTPConnection

from tidybench.core.tape.events import Event
from tidybench.core.tape.lines import parse_tape_line
from tidybench.core.tape.shown import TapeLine, shown, words_of
from tidybench.web.context import asked
from tidybench.web.refusals import REFUSALS
from tidybench.wire.tape import MAX_LINES, GetTape

router = APIRouter(prefix="/api/live/tape", responses=REFUSALS)

Told = tuple[int, str, Event]
"""Sequence number, link, event."""


class Wanted(BaseModel):
    """Which lines of the tape: the newest `last` before number `before` and after number `after`, of one link, one
    direction, with some text in them."""

    last: Annotated[int, Field(ge=1, le=100_000)] = 200
    before: int = 0
    after: int = 0
    link: str = ""
    direction: Literal["", "in", "out", "events"] = ""
    find: str = ""


def wanted_lines(
    last: Annotated[int, Query(ge=1, le=100_000)] = 200,
    before: Annotated[int, Query(ge=0, le=2**53)] = 0,
    after: Annotated[int, Query(ge=0, le=2**53)] = 0,
    link: Annotated[str, Query(max_length=1000)] = "",
    direction: Literal["", "in", "out", "events"] = "",
    find: Annotated[str, Query(max_length=200)] = "",
) -> Wanted:
    """As they stand in an address."""
    return Wanted(last=last, before=before, after=after, link=link, direction=direction, find=find)


async def told(connection: HTTPConnection, wanted: Wanted) -> list[Told]:
    """Events of the tape, whole, the oldest first. The recorder is asked for a page at a time: what polls must not wait."""
    found: list[Told] = []
    before = wanted.before
    while len(found) < wanted.last:
        size = min(MAX_LINES, wanted.last - len(found))
        _, frames = await asked(
            connection, GetTape(**{**wanted.model_dump(), "last": size, "before": before})
        )
        page = [parse_tape_line(line) for line in frames[0].decode().split("\n") if line] if frames else []
        found = page + found
        if len(page) < size:
            break
        before = page[0][0]
    return found


@router.get("")
async def tape(request: Request, wanted: Annotated[Wanted, Depends(wanted_lines)]) -> list[TapeLine]:
    """Lines of the tape, from the recorder's memory of the last 100 000 pieces."""
    return [line for one in await told(request, wanted) if (line := shown(*one)) is not None]


@router.get("/file", response_class=Response)
async def tape_file(request: Request, wanted: Annotated[Wanted, Depends(wanted_lines)]) -> Response:
    """The same lines as a text file, whole, for a mail to whoever can help (docs/formats/tape.md)."""
    found = await told(request, wanted)
    name = f"tape_{datetime.now().strftime('%Y-%m-%d_%H%M%S')}.txt"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response("".join(map(_plain, found)), media_type="text/plain; charset=utf-8", headers=headers)


def _plain(one: Told) -> str:
    _, link, event = one
    at = datetime.fromtimestamp(event.at / 1e6).astimezone().isoformat(timespec="milliseconds")
    arrow = {"in": "<-", "out": "->"}.get(event.kind, "--")
    words = words_of(event) or ""
    text = words.encode("unicode_escape").decode() if arrow != "--" else words
    return f"{at}  {link or 'bench'}  {arrow}  {text}\n"
