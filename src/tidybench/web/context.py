"""What the routes share, and how the recorder's answers become HTTP's."""

import asyncio
from dataclasses import dataclass, field

from fastapi import HTTPException
from sqlalchemy import Engine
from sqlalchemy.orm import Session
from starlette.requests import HTTPConnection

from tidybench.records.setups import bench_id
from tidybench.web.clerk import Clerk
from tidybench.web.copier import Copier
from tidybench.web.database_question import QuestionFile
from tidybench.web.hub import Hub
from tidybench.web.recent import Recent
from tidybench.wire.bench import BenchName
from tidybench.wire.places import Places
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.runs import EndRun
from tidybench.wire.setups import ApplySetups


@dataclass(slots=True)
class Context:
    """Everything a route may need."""

    places: Places
    bench: BenchName
    hub: Hub
    engine: Engine
    clerk: Clerk
    recent: Recent
    copier: Copier
    applying: asyncio.Lock = field(default_factory=asyncio.Lock)
    ready: bool = False  # the set-ups in force have been agreed on with the recorder

    @property
    def question(self) -> QuestionFile:
        """What a person is asked about the database."""
        return QuestionFile(self.places.database_question)

    def bench_id(self, session: Session) -> int:
        """This bench's id in the records."""
        return bench_id(session, self.bench.name, self.bench.key)


def context_of(connection: HTTPConnection) -> Context:
    """The context of the application that a request came to."""
    context = connection.app.state.context
    assert isinstance(context, Context)
    return context


PATIENCE: dict[type, float] = {EndRun: 65.0, ApplySetups: 40.0}
"""Seconds that requests may take which wait for the disk, or for ports to be freed; others 10."""

STATUS = {"invalid": 400, "conflict": 409, "not found": 404, "disk": 507, "version": 503, "failed": 500}


async def asked(connection: HTTPConnection, request: Request) -> tuple[Answer, list[bytes]]:
    """The recorder's answer and what follows it; raises HTTPException with its sentence where it refused."""
    answer, frames = await context_of(connection).hub.ask(request, PATIENCE.get(type(request), 10.0))
    if answer.trouble:
        raise HTTPException(STATUS[answer.trouble], answer.why)
    return answer, frames


async def answered(connection: HTTPConnection, request: Request) -> Answer:
    """The recorder's answer; raises HTTPException with its sentence where it refused."""
    return (await asked(connection, request))[0]
