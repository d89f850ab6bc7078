"""What is said of runs that have ended, corrected; what stood there before is kept."""

import time
import uuid
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import Field
from sqlalchemy.orm import Session

from tidybench.core.values.exact import Exact
from tidybench.records.said import keep_said
from tidybench.runs.said import Said, SaidChange, SaidConflict, SaidError, correct, said_changes
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of


class Correction(Exact):
    """What is to be said of a run, what is thought to be said of it, who says so and why."""

    said: Said
    before: Said
    by: Annotated[str, Field(max_length=120)] = ""
    why: Annotated[str, Field(max_length=500)] = ""


router = APIRouter(prefix="/api/runs", responses=REFUSALS)


@router.patch("/{key}/said")
def correct_said(request: Request, key: uuid.UUID, body: Correction) -> Said:
    """Correct what is said of a run that has ended. What was sealed stays as it is."""
    folder, _ = folder_of(request, key)
    context = context_of(request)
    try:
        state = correct(folder, body.said, body.before, body.by, body.why, time.time_ns() // 1000)
    except SaidConflict as error:
        raise HTTPException(409, str(error)) from error
    except SaidError as error:
        raise HTTPException(400, str(error)) from error
    except OSError as error:
        raise HTTPException(507, f"The correction cannot be written: {error.strerror}.") from error
    except ValueError as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error
    context.clerk.look_again(folder)  # should the database be away just now
    with Session(context.engine) as session, session.begin():
        keep_said(session, key, state)
    return body.said.model_copy(update={name: getattr(state, name) for name in Said.model_fields})


@router.get("/{key}/said/history")
def said_history(request: Request, key: uuid.UUID) -> list[SaidChange]:
    """What was corrected of what is said of a run, in order."""
    folder, _ = folder_of(request, key)
    try:
        return list(said_changes(folder))
    except OSError as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error.strerror}.") from error
