"""Rehearsals: a procedure in quick time, against instruments that are played from a run's tape."""

import time
import uuid
from itertools import islice
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field

from tidybench.core.procedure.checked import checked
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.procedure.text import parse
from tidybench.core.rehearsal.played import Played
from tidybench.core.rehearsal.rehearsal import Rehearsal
from tidybench.core.setup.scaling import Finite
from tidybench.core.tape.lines import TapeError
from tidybench.core.values.exact import Exact
from tidybench.runs.folder import TAPE
from tidybench.runs.taken_out import taken_out
from tidybench.runs.tape import read_tape
from tidybench.web.context import context_of
from tidybench.web.procedure_routes import bench_now
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of
from tidybench.wire.procedures import AnswerText, LoggedStep, QuestionStatus, question_status

MOST_EVENTS = 400_000
"""Events of a tape that are played; of a longer one its beginning."""

WITHIN = 15.0
"""Seconds in which a rehearsal is worked out, or given up."""

router = APIRouter(prefix="/api", responses=REFUSALS)


class RehearsalWanted(Exact):
    """A procedure to be rehearsed against the tape of a run. `answers`: of its questions for numbers and texts, by the questions'
    numbers."""

    text: Annotated[str, Field(max_length=200_000)]
    run: uuid.UUID
    answers: Annotated[dict[int, Finite | AnswerText], Field(max_length=200)] = {}


class RehearsedCommand(BaseModel):
    """A command that would go out. `after_s` since it begins; `data`: one character a byte; `known`: the tape has it, else it was taken as
    answered."""

    after_s: float
    instrument: str
    command: str
    data: str
    known: bool


class RehearsalReport(BaseModel):
    """What came of a rehearsal. `log`: as of a procedure that is carried out, at times from 0 on (microseconds). `asks`: a question whose answer
    is wanted. `silent`: instruments of which the tape has nothing. `played_s`: how much of the tape there is."""

    took_s: float
    failed: bool
    why: str
    log: list[LoggedStep]
    sends: list[RehearsedCommand]
    asks: QuestionStatus | None
    silent: list[str]
    played_s: float


@router.post("/procedures/rehearse")
def rehearse_procedure(request: Request, body: RehearsalWanted) -> RehearsalReport:
    """Carry a procedure out in quick time, as the instruments answered in a run. Nothing is sent."""
    context = context_of(request)
    bench = bench_now(context)
    try:
        made = checked(parse(body.text), bench.view)
    except ProcedureError as error:
        raise HTTPException(400, str(error)) from None
    folder, _ = folder_of(request, body.run)
    try:
        if (gone := taken_out(folder)) is not None:
            raise HTTPException(409, f"{gone.words} Choose another run to rehearse with.")
        played = Played(islice(read_tape(folder / TAPE), MOST_EVENTS))
    except (TapeError, OSError, EOFError, UnicodeDecodeError) as error:
        raise HTTPException(409, f"The run's tape cannot be read: {error}") from None
    except ValueError as error:
        raise HTTPException(409, str(error)) from None
    until = time.monotonic() + WITHIN
    rehearsal = Rehearsal(
        made,
        bench.setups,
        bench.calculations,
        bench.numbers,
        played,
        body.answers,
        lambda: time.monotonic() < until,
    )
    done = rehearsal.carry_out()
    return RehearsalReport(
        took_s=(done.ended_at - done.begun_at) / 1e6,
        failed=done.failed,
        why=done.why,
        log=[
            LoggedStep(at=one.at - done.begun_at, line=one.line, words=one.words, good=one.good)
            for one in done.log
        ],
        sends=[
            RehearsedCommand(
                after_s=(one.at - done.begun_at) / 1e6,
                instrument=one.instrument,
                command=one.command,
                data=one.data.decode("latin-1"),
                known=one.known,
            )
            for one in done.sent
        ],
        asks=question_status(done.asks),
        silent=rehearsal.silent,
        played_s=(played.last - played.first) / 1e6,
    )
