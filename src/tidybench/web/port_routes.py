"""Ports: those there are, their labels, releasing them, and what is looked for on them."""

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import Field

from tidybench.core.values.exact import Exact
from tidybench.web.context import answered
from tidybench.web.given import Number
from tidybench.web.refusals import REFUSALS
from tidybench.wire.ports import GetPorts, LabelPort, PortInfo, ReleasePort, TakeBackPort
from tidybench.wire.searches import GetSearch, SearchStatus, StartSearch, StopSearch


class PortOrder(Exact):
    """A port to release or take back."""

    link: Annotated[str, Field(max_length=200)]


class PortLabel(Exact):
    """A port and its label; empty takes it away."""

    name: Annotated[str, Field(max_length=200)]
    label: Annotated[str, Field(max_length=200)]


router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/ports")
async def ports(request: Request) -> list[PortInfo]:
    """The serial ports as they are right now; the live socket's status has them too."""
    return (await answered(request, GetPorts())).ports


@router.post("/ports/label", status_code=204)
async def label(request: Request, body: PortLabel) -> None:
    """Give a port a label of one's own."""
    await answered(request, LabelPort(name=body.name, label=body.label))


@router.post("/ports/release", status_code=204)
async def release(request: Request, body: PortOrder) -> None:
    """Give a port up for another program."""
    await answered(request, ReleasePort(link=body.link))


@router.post("/ports/take-back", status_code=204)
async def take_back(request: Request, body: PortOrder) -> None:
    """Return to a released port."""
    await answered(request, TakeBackPort(link=body.link))


@router.post("/searches", status_code=201)
async def start_search(request: Request, body: StartSearch) -> SearchStatus:
    """Look for settings, addresses, talkers, or a whole cable."""
    search = (await answered(request, body)).search
    assert search is not None
    return search


@router.get("/searches/{number}")
async def look(request: Request, number: Number) -> SearchStatus:
    """How a search goes."""
    search = (await answered(request, GetSearch(search=number))).search
    assert search is not None
    return search


@router.delete("/searches/{number}")
async def stop(request: Request, number: Number) -> SearchStatus:
    """Stop a search; its ports are free then."""
    search = (await answered(request, StopSearch(search=number))).search
    assert search is not None
    return search
