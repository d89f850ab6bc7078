"""Registers of Modbus devices, written by a person and read back."""

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.web.command_routes import ended
from tidybench.web.given import Key
from tidybench.web.refusals import REFUSALS
from tidybench.wire.commands import WriteRegister


class RegisterValue(Exact):
    """A register of the kept register map, what to write into it, and who asks."""

    name: Annotated[str, Field(max_length=80)]
    value: Finite
    by: Annotated[str, Field(max_length=80)] = ""


class RegisterWritten(BaseModel):
    """What came of it, in a sentence; `read_back` where it could be read."""

    good: bool
    read_back: float | None
    sentence: str


router = APIRouter(prefix="/api/instruments", responses=REFUSALS)


@router.post("/{key}/registers")
async def write(request: Request, key: Key, body: RegisterValue) -> RegisterWritten:
    """Write a register or coil of the register map in force between two polls, and read it back: a command like any other."""
    given = WriteRegister(instrument=key, name=body.name, value=body.value, by=body.by)
    act = await ended(request, given)
    back = act.fields.get("value")
    return RegisterWritten(
        good=act.outcome == "answered",
        read_back=back if isinstance(back, float) else None,
        sentence=f"{body.name}: {act.words}.",
    )
