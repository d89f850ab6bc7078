"""What instruments can be told, and telling them."""

import asyncio
import time
from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tidybench.core.compile.command import compile_command
from tidybench.core.compile.load import load
from tidybench.core.setup.commands import Does, InstrumentCommandPart, Plain
from tidybench.core.teaching.command_table import read_table
from tidybench.core.values.exact import Exact
from tidybench.web.context import answered, context_of
from tidybench.web.given import Key
from tidybench.web.instrument_routes import setups_in_force, stored_setup
from tidybench.web.refusals import REFUSALS
from tidybench.wire.commands import ActStatus, GetAct, GiveCommand, WriteRegister

PATIENCE = 700.0
"""Seconds after which a command is not waited for any more: longer than any answer may take."""


class ArgumentInfo(BaseModel):
    """What is typed for one field of a command. `numeric`: it is a number."""

    field: str
    title: str
    unit: str
    numeric: bool
    lowest: float | None
    highest: float | None
    choices: list[float | str]
    default: float | str | None


class CommandInfo(BaseModel):
    """A command that an instrument can be given."""

    id: str
    name: str
    does: Does
    button: bool
    note: str
    arguments: list[ArgumentInfo]


class InstrumentCommands(BaseModel):
    """All commands of an instrument, as its set-up has them."""

    instrument: str
    name: str
    commands: list[CommandInfo]


class CommandGivenBy(Exact):
    """What was typed, and who asks. `sure`: it may be one that cannot be undone."""

    values: Annotated[dict[str, Plain], Field(max_length=20)] = {}
    by: Annotated[str, Field(max_length=80)] = ""
    sure: bool = False


class CommandTable(Exact):
    """A command table, as it was copied from a manual."""

    text: Annotated[str, Field(max_length=100_000)]


class TableCommand(BaseModel):
    """A line of it as a command, to be checked: what it was taken from, and what is not known."""

    line: int
    source: str
    part: InstrumentCommandPart
    evidence: list[str]
    doubts: list[str]


class TableSkipped(BaseModel):
    """A line that became no command, and why."""

    line: int
    source: str
    why: str


class TableRead(BaseModel):
    """A table, line by line."""

    commands: list[TableCommand]
    skipped: list[TableSkipped]


router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/commands")
async def list_commands(request: Request) -> list[InstrumentCommands]:
    """The commands of all instruments in use; those that have some."""
    return await run_in_threadpool(_all, request)


def _all(request: Request) -> list[InstrumentCommands]:
    found = []
    for stored in setups_in_force(context_of(request)):
        setup = load(stored.text)
        told = []
        for part in setup.command:
            compiled = compile_command(setup, part)
            numeric = {one.name: one.is_number for one in compiled.pattern.fields} if compiled.pattern else {}
            told.append(
                CommandInfo(
                    id=part.id,
                    name=part.name,
                    does=part.does,
                    button=part.button,
                    note=part.note,
                    arguments=[
                        ArgumentInfo(
                            field=one.field,
                            title=one.title,
                            unit=one.unit,
                            numeric=numeric.get(one.field, True),
                            lowest=one.lowest,
                            highest=one.highest,
                            choices=list(one.choices),
                            default=one.default,
                        )
                        for one in compiled.arguments
                    ],
                )
            )
        if told:
            found.append(InstrumentCommands(instrument=stored.key, name=setup.instrument.name, commands=told))
    return found


@router.post("/instruments/{key}/commands/{command}")
async def give_command(request: Request, key: Key, command: Key, body: CommandGivenBy) -> ActStatus:
    """Give a command between two polls, and wait for what comes of it."""
    given = GiveCommand(instrument=key, command=command, values=body.values, by=body.by, sure=body.sure)
    return await ended(request, given)


async def ended(request: Request, given: GiveCommand | WriteRegister) -> ActStatus:
    """What came of a command, once it has come."""
    act = (await answered(request, given)).act
    assert act is not None
    until = time.monotonic() + PATIENCE
    while act.ended_at is None and time.monotonic() < until:
        await asyncio.sleep(0.03)
        act = (await answered(request, GetAct(number=act.number))).act
        assert act is not None
    return act


@router.post("/instruments/{key}/command-table")
async def read_command_table(request: Request, key: Key, body: CommandTable) -> TableRead:
    """Read a command table for an instrument. Nothing is kept: a person checks it first."""
    setup = load((await stored_setup(request, key)).text)
    found, skipped = await run_in_threadpool(read_table, setup, body.text)
    return TableRead(
        commands=[
            TableCommand(
                line=one.line,
                source=one.source,
                part=one.part,
                evidence=list(one.evidence),
                doubts=list(one.doubts),
            )
            for one in found
        ],
        skipped=[TableSkipped(line=one.line, source=one.source, why=one.why) for one in skipped],
    )
