"""Registers of Modbus devices, written by a person and read back."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.acting.register_write import write_register
from tidybench.core.compile.load import load
from tidybench.core.framing import make_check
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.web.given import Key
from tidybench.web.instrument_routes import Command, command, stored_setup
from tidybench.web.refusals import REFUSALS


class RegisterValue(Exact):
    """A register of the kept register map, and what to write into it."""

    name: Annotated[str, Field(max_length=80)]
    value: Finite


class RegisterWritten(BaseModel):
    """What came of it, in a sentence; `read_back` where it could be read."""

    good: bool
    read_back: float | None
    sentence: str


router = APIRouter(prefix="/api/instruments", responses=REFUSALS)


@router.post("/{key}/registers")
async def write(request: Request, key: Key, body: RegisterValue) -> RegisterWritten:
    """Write a register or coil of the kept register map between two polls, and read it back."""
    setup = load((await stored_setup(request, key)).text)
    modbus = setup.modbus
    one = next((r for r in modbus.registers if r.name == body.name), None) if modbus is not None else None
    if modbus is None or one is None:
        raise HTTPException(404, f"There is no register “{body.name}” in the kept register map.")
    check, loop = make_check(setup.framing), asyncio.get_running_loop()
    wait = modbus.give_up_after_s * 1000

    def exchange(data: bytes) -> bytes | None:
        said = Command(data=data.decode("latin-1"), wait_ms=wait)
        answer = asyncio.run_coroutine_threadsafe(command(request, key, said), loop).result(80)
        for line in answer.lines:
            body = line.encode("latin-1")
            if body == data:
                # With functions 5 and 6 the answer is the request again; so is a line's echo, before it.
                continue
            return check(body) if check is not None else body
        same = answer.lines and answer.lines[0].encode("latin-1") == data
        return (check(data) if check is not None else data) if same else None

    try:
        done = await run_in_threadpool(
            write_register, setup.framing.kind, modbus.unit, one, body.value, exchange
        )
    except ValueError as error:
        raise HTTPException(400, str(error)) from None
    return RegisterWritten(good=done.good, read_back=done.read_back, sentence=done.sentence)
