"""The bin: runs put in it, taken out of it again, deleted for good."""

import time
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field
from sqlalchemy import delete, update
from sqlalchemy.orm import Session

from tidybench.core.values.exact import Exact
from tidybench.records.models import Run
from tidybench.runs.removal import RemovalError, put_in_bin, restore
from tidybench.runs.removal import delete as delete_folder
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS

router = APIRouter(prefix="/api/runs", responses=REFUSALS)


class SomeRuns(Exact):
    """Runs, and who does something with them."""

    runs: Annotated[list[uuid.UUID], Field(min_length=1, max_length=1000)]
    by: Annotated[str, Field(max_length=120)] = ""


class RunsDone(BaseModel):
    """Those it was done with, and a sentence for each of the others."""

    done: list[uuid.UUID]
    troubles: list[str]


@router.post("/bin")
def remove_runs(request: Request, body: SomeRuns) -> RunsDone:
    """Put runs in the bin. Nothing is deleted: they can be restored."""

    def one(session: Session, run: Run, folder: Path | None) -> None:
        at = _now()
        if run.status == "logging":
            raise RemovalError("The run goes on. End it before you remove it.")
        if folder is not None:
            at = put_in_bin(folder, body.by, at).at
        session.execute(update(Run).where(Run.id == run.id).values(removed_at=at))

    return _each(request, body, one)


@router.post("/restore")
def restore_runs(request: Request, body: SomeRuns) -> RunsDone:
    """Take runs out of the bin."""

    def one(session: Session, run: Run, folder: Path | None) -> None:
        if folder is not None:
            restore(folder, body.by, _now())
        session.execute(update(Run).where(Run.id == run.id).values(removed_at=None))

    return _each(request, body, one)


@router.post("/delete")
def delete_runs(request: Request, body: SomeRuns) -> RunsDone:
    """Delete runs that are in the bin, for good: folder and records."""
    runs = context_of(request).places.runs

    def one(session: Session, run: Run, folder: Path | None) -> None:
        if run.removed_at is None:
            raise RemovalError("It is not in the bin: put it there first.")
        if folder is not None:
            delete_folder(runs, folder)
        session.execute(delete(Run).where(Run.id == run.id))

    return _each(request, body, one)


def _each(request: Request, body: SomeRuns, do: Callable[[Session, Run, Path | None], None]) -> RunsDone:
    """`do` it with each that is known, and its folder, None where that is gone; what does not work with one hinders no other."""
    context = context_of(request)
    within = context.places.runs.resolve()
    done, troubles = [], []
    for key in dict.fromkeys(body.runs):
        with Session(context.engine) as session, session.begin():
            run = session.get(Run, key)
            if run is None:
                troubles.append("A run is not in the logbook any more.")
                continue
            folder = Path(run.folder)
            name = run.name
            if folder.is_dir() and not folder.resolve().is_relative_to(within):
                troubles.append(f"{name}: its folder lies outside the bench's runs ({folder}).")
                continue
            if folder.is_dir():
                context.clerk.look_again(folder)  # should the database be away just now
            try:
                do(session, run, folder if folder.is_dir() else None)
            except OSError as error:
                troubles.append(f"{name}: {folder} cannot be written ({error.strerror}).")
            except ValueError as error:
                troubles.append(f"{name}: {error}")
            else:
                done.append(key)
    return RunsDone(done=done, troubles=troubles)


def _now() -> int:
    return time.time_ns() // 1000
