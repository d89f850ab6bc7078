"""The demo's simulated instruments: which faults they show. Only there while the demo runs."""

import json
import socket
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.values.exact import Exact
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS


class StandIn(BaseModel):
    """A simulated instrument of the demo and the faults it shows."""

    name: str
    title: str
    can: list[str]
    faults: list[str]
    key: bool
    overrun: int


class StandIns(BaseModel):
    """The demo's simulated instruments; `valve` is the opening of the loop's valve, 0 to 1."""

    valve: float
    empty: bool
    stand_ins: list[StandIn]


class StandInOrder(Exact):
    """What a simulated instrument, or the loop, is to do."""

    stand_in: Annotated[str, Field(max_length=80)] = ""
    fault: Annotated[str, Field(max_length=80)] = ""
    on: bool = True
    key: bool = False
    valve: Annotated[float, Field(ge=0, le=1)] | None = None
    valve_by_itself: bool = False
    empty: bool | None = None


router = APIRouter(prefix="/api/demo", responses=REFUSALS)


@router.get("")
async def stand_ins(request: Request) -> StandIns:
    """How the simulated instruments are."""
    return await run_in_threadpool(_tell, request, {})


@router.post("")
async def order(request: Request, body: StandInOrder) -> StandIns:
    """Have one show a fault, press its key, or set the loop's valve."""
    line: dict[str, Any] = {}
    if body.stand_in:
        line["stand-in"] = body.stand_in
    if body.fault:
        line |= {"fault": body.fault, "on": body.on}
    if body.key:
        line["key"] = True
    if body.valve is not None or body.valve_by_itself:
        line["valve"] = None if body.valve_by_itself else body.valve
    if body.empty is not None:
        line["empty"] = body.empty
    return await run_in_threadpool(_tell, request, line)


def _tell(request: Request, line: dict[str, Any]) -> StandIns:
    path = context_of(request).places.stand_ins
    try:
        with socket.socket(socket.AF_UNIX) as connection:
            connection.settimeout(3)
            connection.connect(str(path))
            connection.sendall(json.dumps(line).encode() + b"\n")
            with connection.makefile("rb") as stream:
                answer = json.loads(stream.readline())
    except (OSError, ValueError):
        raise HTTPException(404, "No simulated instruments run here: ./tidy demo has them.") from None
    if not answer["ok"]:
        raise HTTPException(400, f"{answer['why']}.")
    found = [StandIn.model_validate(one) for one in answer["stand-ins"]]
    return StandIns(valve=answer["valve"], empty=answer["empty"], stand_ins=found)
