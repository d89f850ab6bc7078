"""What the disk holds by run, tape and age; rules for what may be taken out, which a person is asked about first."""

import shutil
import time
import uuid
from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy import ColumnElement, case, func, select, text, update
from sqlalchemy.orm import Session

from tidybench.core.values.exact import Exact
from tidybench.records.models import Run
from tidybench.runs.holding import holding_of
from tidybench.runs.seal import SealError, sealed_files
from tidybench.runs.taken_out import TakeOutError, take_tape_out
from tidybench.runs.whole import write_whole
from tidybench.web.context import Context, context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of

DAY = 86_400_000_000

AGES = (7, 31, 92, 366)
"""Days between which runs are summed up by age."""

LARGEST = 20

MOST_DUE = 1000
"""Runs that are named at once."""

Days = Annotated[int, Field(ge=1, le=36_500)]


class ThinningRule(Exact):
    """What may be taken out: the tapes of runs that ended more than so many days ago, and runs that have been in the bin for so many days; null for never."""

    tapes_after_days: Days | None = None
    bin_after_days: Days | None = None


class Age(BaseModel):
    """Runs that ended less than `under_days` ago and are in no younger one; null: all that are older."""

    under_days: int | None
    runs: int
    bytes: int
    tape_bytes: int


class HeldRun(BaseModel):
    """A run and what it takes, in bytes."""

    id: uuid.UUID
    name: str
    item: str
    ended_at: int
    bytes: int
    tape_bytes: int


class DiskUse(BaseModel):
    """In bytes. `unknown`: runs that are not counted yet; `bin_runs`, `bin_bytes`: in the bin, counted in the ages too."""

    total: int
    free: int
    bytes: int
    tape_bytes: int
    unknown: int
    database_bytes: int
    bin_runs: int
    bin_bytes: int
    ages: list[Age]
    largest: list[HeldRun]
    rule: ThinningRule


class Due(BaseModel):
    """What may be taken out by the rule: runs whose tape is old, those that have been in the bin for long; at most 1000 of each, the oldest first."""

    tapes: list[HeldRun]
    bin: list[HeldRun]


class Freed(BaseModel):
    """Bytes that are free now."""

    bytes: int


class TakeTapeOut(Exact):
    """Who takes a tape out."""

    by: Annotated[str, Field(max_length=120)] = ""


router = APIRouter(prefix="/api", responses=REFUSALS)


@router.get("/disk")
def disk_use(request: Request) -> DiskUse:
    """What the bench's runs take, by age, and the largest of them."""
    context = context_of(request)
    now = time.time_ns() // 1000
    try:
        disk = shutil.disk_usage(context.places.runs)
    except OSError as error:
        raise HTTPException(404, f"{context.places.runs} cannot be looked at: {error.strerror}.") from error
    with Session(context.engine) as session:
        age = case(
            *((Run.ended_at >= now - days * DAY, position) for position, days in enumerate(AGES)),
            else_=len(AGES),
        )
        held = [func.coalesce(func.sum(column), 0) for column in (Run.bytes, Run.tape_bytes)]
        rows = session.execute(
            select(age, func.count(), func.count(Run.bytes), *held, func.count(Run.removed_at))
            .where(_here(context, session))
            .group_by(age)
        ).all()
        by_age = {row[0]: row for row in rows}
        bin_runs, bin_bytes = session.execute(
            select(func.count(), func.coalesce(func.sum(Run.bytes), 0)).where(
                _here(context, session), Run.removed_at.is_not(None)
            )
        ).one()
        largest = session.scalars(
            select(Run)
            .where(_here(context, session), Run.bytes > 0)
            .order_by(Run.bytes.desc())
            .limit(LARGEST)
        ).all()
        database = session.scalar(text("SELECT pg_database_size(current_database())")) or 0
    return DiskUse(
        total=disk.total,
        free=disk.free,
        bytes=sum(int(row[3]) for row in rows),
        tape_bytes=sum(int(row[4]) for row in rows),
        unknown=sum(row[1] - row[2] for row in rows),
        database_bytes=database,
        bin_runs=bin_runs,
        bin_bytes=int(bin_bytes or 0),
        ages=[
            Age(under_days=days, runs=row[1], bytes=int(row[3]), tape_bytes=int(row[4]))
            for position, days in enumerate((*AGES, None))
            if (row := by_age.get(position)) is not None
        ],
        largest=[_held(one) for one in largest],
        rule=_rule(context),
    )


@router.put("/disk/rule")
def set_rule(request: Request, body: ThinningRule) -> ThinningRule:
    """Another rule. Nothing is taken out by it alone."""
    try:
        write_whole(context_of(request).places.thinning, body.model_dump_json(indent=1))
    except OSError as error:
        raise HTTPException(507, f"The rule cannot be written: {error.strerror}.") from error
    return body


@router.get("/disk/due")
def due(request: Request) -> Due:
    """What may be taken out by the rule, now."""
    context = context_of(request)
    rule = _rule(context)
    now = time.time_ns() // 1000
    with Session(context.engine) as session:
        ended = select(Run).where(_here(context, session), Run.ended_at.is_not(None)).order_by(Run.ended_at)
        tapes = (
            session.scalars(
                ended.where(
                    Run.ended_at < now - rule.tapes_after_days * DAY,
                    Run.tape_bytes > 0,
                    Run.removed_at.is_(None),
                ).limit(MOST_DUE)
            ).all()
            if rule.tapes_after_days is not None
            else []
        )
        removed = (
            session.scalars(
                ended.where(Run.removed_at < now - rule.bin_after_days * DAY).limit(MOST_DUE)
            ).all()
            if rule.bin_after_days is not None
            else []
        )
        return Due(tapes=[_held(one) for one in tapes], bin=[_held(one) for one in removed])


@router.post("/runs/{key}/tape/take-out")
def take_out(request: Request, key: uuid.UUID, body: TakeTapeOut) -> Freed:
    """Take the tape of a run out, for good: values can no longer be followed to their bytes, nor the run read again. It is compared with its seal first, which takes as long
    as reading it."""
    folder, _ = folder_of(request, key)
    try:
        freed = take_tape_out(folder, sealed_files(folder), body.by, time.time_ns() // 1000)
        holding = holding_of(folder)
    except (TakeOutError, SealError) as error:
        raise HTTPException(409, str(error)) from None
    except (OSError, ValueError) as error:
        raise HTTPException(507, f"The run's folder cannot be changed: {error}.") from error
    with Session(context_of(request).engine) as session, session.begin():
        session.execute(update(Run).where(Run.id == key).values(bytes=holding.total, tape_bytes=holding.tape))
    return Freed(bytes=freed)


def _here(context: Context, session: Session) -> ColumnElement[bool]:
    """Runs of this bench: the disks of others are not here."""
    return Run.bench_id == context.bench_id(session)


def _held(run: Run) -> HeldRun:
    return HeldRun(
        id=run.id,
        name=run.name,
        item=run.item,
        ended_at=run.ended_at or run.begun_at,
        bytes=run.bytes or 0,
        tape_bytes=run.tape_bytes or 0,
    )


def _rule(context: Context) -> ThinningRule:
    try:
        return ThinningRule.model_validate_json(context.places.thinning.read_bytes())
    except (OSError, ValidationError):
        return ThinningRule()
