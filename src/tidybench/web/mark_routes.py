"""Marks of runs that have ended: set, corrected and taken out afterwards, with their history."""

import time
import uuid
from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from tidybench.core.values.exact import Exact
from tidybench.core.values.mark import Mark
from tidybench.records.marks import keep_marks
from tidybench.runs.later_marks import (
    MarkChange,
    MarkConflict,
    MarkError,
    change_mark,
    history_of,
    marks_of,
    set_mark,
)
from tidybench.web.context import context_of
from tidybench.web.given import Moment
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of


class SetMark(Exact):
    """A mark for a run that has ended. `at`: within it, in microseconds since 1970 UTC."""

    at: Moment
    text: Annotated[str, Field(max_length=500)]
    by: Annotated[str, Field(max_length=120)] = ""


class ChangedMark(SetMark):
    """Another text for the mark at `at`, or its end (`void`). `before`: the text that it is thought to have."""

    before: Annotated[str, Field(max_length=500)]
    void: bool = False


class MarksNow(BaseModel):
    """The marks of a run as they are."""

    marks: list[Mark]


router = APIRouter(prefix="/api/runs", responses=REFUSALS)


@router.post("/{key}/marks", status_code=201)
def set_a_mark(request: Request, key: uuid.UUID, body: SetMark) -> MarksNow:
    """Set a mark in a run that has ended. What was sealed stays as it is."""
    folder, _ = folder_of(request, key)
    return _done(request, key, lambda: set_mark(folder, body.at, body.text, body.by, _now()))


@router.patch("/{key}/marks")
def change_a_mark(request: Request, key: uuid.UUID, body: ChangedMark) -> MarksNow:
    """Correct a mark of a run that has ended, or take it out; the history keeps what it was."""
    folder, _ = folder_of(request, key)
    return _done(
        request,
        key,
        lambda: change_mark(folder, body.at, body.text, body.by, body.before, _now(), void=body.void),
    )


@router.get("/{key}/marks/history")
def marks_history(request: Request, key: uuid.UUID) -> list[MarkChange]:
    """What was changed of the run's marks, while it was on and since, in order. It takes as long as reading its tape."""
    folder, _ = folder_of(request, key)
    try:
        return history_of(folder)
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error


def _now() -> int:
    return time.time_ns() // 1000


def _done(request: Request, key: uuid.UUID, change: Callable[[], MarkChange]) -> MarksNow:
    folder, _ = folder_of(request, key)
    try:
        change()
        marks = marks_of(folder)
    except MarkConflict as error:
        raise HTTPException(409, str(error)) from error
    except MarkError as error:
        raise HTTPException(400, str(error)) from error
    except OSError as error:
        raise HTTPException(507, f"The mark cannot be written: {error.strerror}.") from error
    except ValueError as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error
    with Session(context_of(request).engine) as session, session.begin():
        keep_marks(session, key, marks)
    return MarksNow(marks=marks)
