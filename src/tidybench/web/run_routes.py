"""The logbook: all runs, one run, its trend and its CSV."""

import os
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, TypeVar

import numpy as np
from fastapi import APIRouter, HTTPException, Query, Request, Response
from fastapi import Path as InPath
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.samples import DTYPE
from tidybench.core.values.channel import Channel
from tidybench.core.values.counts import RunCounts
from tidybench.core.values.crossing import SERIOUS, Crossing
from tidybench.core.values.exact import Exact
from tidybench.core.values.finding import Finding
from tidybench.core.values.mark import Mark
from tidybench.core.values.statistics import Statistics
from tidybench.records.marks import kept_marks
from tidybench.records.models import Run, RunChannel, SampleBlock
from tidybench.records.run_list import CursorError, Ended, Sort, Verdict, Wanted, found_runs
from tidybench.records.sketches import sketch
from tidybench.records.statistics import ALL_TIMES
from tidybench.records.trends import trends
from tidybench.report.run_report import ReportError, report
from tidybench.runs.crossings import read_crossings
from tidybench.runs.csv_files import CsvFile, csv_name, files_of
from tidybench.runs.later_marks import marks_of
from tidybench.runs.pictures import KINDS, PICTURES, pictures
from tidybench.runs.points import TABLE, RunPoints, run_points
from tidybench.runs.run_state import plan_of, read_state
from tidybench.runs.said import corrected
from tidybench.runs.seal import Seal, SealError, Verified, seal_of, verify
from tidybench.runs.taken_out import taken_out
from tidybench.web.context import Context, context_of
from tidybench.web.given import Moment
from tidybench.web.growing_file import GrowingFile
from tidybench.web.refusals import REFUSALS
from tidybench.web.statistics_routes import channel_statistics

T = TypeVar("T")


class RunRow(BaseModel):
    """A run in the logbook's list. `alarms`: how often it was beyond a limit or lost, null where that is not known; `limited`: whether any channel has a limit; `removed_at`: since when it
    is in the bin, null where it is not; `gone`: its folder is not where it was; `bytes`: of its folder, null where that is not known."""

    id: uuid.UUID
    name: str
    item: str
    operator: str
    order: str
    begun_at: int
    ended_at: int | None
    status: str
    reason: str
    channels: int
    samples: int
    complete: bool
    alarms: int | None
    limited: bool
    removed_at: int | None
    gone: bool
    bytes: int | None


class RunPage(BaseModel):
    """Some runs of the logbook. `total`: how many there are, 501 for more than 500; `next`: what the page behind this one is `after`, "" for none."""

    runs: list[RunRow]
    total: int
    next: str


class RunNumbers(Channel):
    """A channel of a run and what it came to."""

    statistics: Statistics


MOST_CROSSINGS = 2000
"""Crossings that a page is given."""


class RunDetail(RunRow):
    """One run, whole. `begun_by`: what began it, "" for a person; `lead_us`: so many microseconds at its beginning are from memory; `glance`: what was found before it began; `copy_to`: where it is
    copied to, `copied_at`: since when it is there, `copy_trouble`: why it is not yet; `crossings`: the first 2 000 of `crossings_in_all`; `taken_out`: that its tape was taken out, in a sentence, "" where it was not."""

    begun_by: str
    lead_us: int
    glance: list[Finding]
    copy_to: str
    copied_at: int | None
    copy_trouble: str
    notes: str
    fields: dict[str, str]
    row_rule: str
    folder: str
    csv: str
    counts: RunCounts
    repairs: list[str]
    numbers: list[RunNumbers]
    marks: list[Mark]
    crossings: list[Crossing]
    crossings_in_all: int
    points: RunPoints
    calibrates: CalibrationPlan | None
    taken_out: str
    csv_files: list[CsvFile]


router = APIRouter(prefix="/api/runs", responses=REFUSALS)


def _rows() -> Select[Any]:
    channels = select(func.count()).where(RunChannel.run_id == Run.id).scalar_subquery()
    return select(Run, channels.label("channels"))


def _row(run: Run, channels: int, limited: bool) -> RunRow:
    return RunRow(
        id=run.id,
        name=run.name,
        item=run.item,
        operator=run.operator,
        order=run.order_number,
        begun_at=run.begun_at,
        ended_at=run.ended_at,
        status=run.status,
        reason=run.reason,
        channels=channels,
        samples=run.followed,
        complete=run.complete,
        alarms=run.alarms,
        limited=limited,
        removed_at=run.removed_at,
        gone=not os.path.isdir(run.folder),
        bytes=run.bytes,
    )


@router.get("")
def list_runs(
    request: Request,
    search: Annotated[str, Query(max_length=100)] = "",
    ended: Ended = "",
    verdict: Verdict = "",
    since: Moment | None = None,
    until: Moment | None = None,
    sort: Sort = "begun",
    falling: bool = True,
    removed: bool = False,
    after: Annotated[str, Query(max_length=400)] = "",
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> RunPage:
    """Runs. `search`: words, each of which stands in name, test item, operator, order number, notes, fields, or in the name of a channel or an instrument; `verdict`: of runs whose
    alarms are known; begun from `since` to before `until`; `removed`: those in the bin; `after`: the `next` of the page before."""
    wanted = Wanted(search, ended, verdict, since, until, removed, sort, falling)
    with Session(context_of(request).engine) as session:
        try:
            found, next_, total = found_runs(session, wanted, after, limit)
        except CursorError as error:
            raise HTTPException(400, str(error)) from None
        return RunPage(
            runs=[_row(one.run, one.channels, one.limited) for one in found], total=total, next=next_
        )


class Sketches(Exact):
    """Runs whose trends are wanted."""

    runs: Annotated[list[uuid.UUID], Field(max_length=200)]


class Sketch(BaseModel):
    """A run's trend in a few means, null where nothing was measured; of the channel with this name, "" for none."""

    id: uuid.UUID
    channel: str
    values: list[float | None]


@router.post("/sketches")
def sketches(request: Request, of: Sketches) -> list[Sketch]:
    """The trends of runs, as small as a word; those that are not known are left out."""
    with Session(context_of(request).engine) as session:
        runs = session.scalars(select(Run).where(Run.id.in_(of.runs))).all()
        found = []
        for run in runs:
            channel, values = sketch(session, run)
            found.append(Sketch(id=run.id, channel=channel, values=values))
        return found


def _found(session: Session, key: uuid.UUID) -> tuple[Run, int]:
    row = session.execute(_rows().where(Run.id == key)).first()
    if row is None:
        raise HTTPException(404, "The logbook has no such run.")
    return row[0], row[1]


@router.get("/{key}")
def one_run(request: Request, key: uuid.UUID) -> RunDetail:
    """One run with its channels' numbers and its marks."""
    with Session(context_of(request).engine) as session:
        run, channels = _found(session, key)
        own = session.scalars(
            select(RunChannel).where(RunChannel.run_id == key).order_by(RunChannel.position)
        ).all()
        found = channel_statistics(session, key, own, *ALL_TIMES)
        crossings = read_crossings(Path(run.folder))
        row = _row(run, channels, any(one.low is not None or one.high is not None for one in own))
        if run.alarms is None:  # the records have not counted them yet
            row.alarms = sum(one.state in SERIOUS for one in crossings)
        return RunDetail(
            **row.model_dump(),
            begun_by=run.begun_by,
            lead_us=run.lead_us,
            glance=[Finding.model_validate(found) for found in run.glance],
            copy_to=run.copy_to,
            copied_at=run.copied_at,
            copy_trouble=run.copy_trouble,
            notes=run.notes,
            fields=run.fields,
            row_rule=run.row_rule,
            folder=run.folder,
            csv=run.csv,
            counts=RunCounts(**run.counts),
            repairs=run.repairs,
            numbers=[_numbers(c, one.statistics) for c, one in zip(own, found, strict=True)],
            marks=_marks(session, key, Path(run.folder)),
            crossings=crossings[:MOST_CROSSINGS],
            crossings_in_all=len(crossings),
            points=_points(Path(run.folder)),
            calibrates=_calibrates(Path(run.folder)),
            taken_out=_taken_out(Path(run.folder)),
            csv_files=files_of(Path(run.folder), run.csv),
        )


def _marks(session: Session, key: uuid.UUID, folder: Path) -> list[Mark]:
    """As the folder has them; as the records knew them where it is gone."""
    try:
        return marks_of(folder)
    except (OSError, ValueError):
        return kept_marks(session, key)


def _taken_out(folder: Path) -> str:
    try:
        found = taken_out(folder)
    except OSError:  # the folder cannot be read: the page says so elsewhere
        return ""
    return found.words if found is not None else ""


def _points(folder: Path) -> RunPoints:
    try:
        return run_points(folder)
    except (OSError, ValueError):  # the folder is gone: the page says so elsewhere
        return RunPoints()


def _calibrates(folder: Path) -> CalibrationPlan | None:
    try:
        return read_state(folder).calibrates
    except (OSError, ValueError):  # the folder is gone: the page says so elsewhere
        return None


@router.get("/{key}/points.csv", response_class=FileResponse)
def points_table(request: Request, key: uuid.UUID) -> Response:
    """The run's test points as CSV, a row for the newest version of each."""
    folder, _ = folder_of(request, key)
    if not (folder / TABLE).exists():
        raise HTTPException(404, "This run has no test points.")
    return csv_response(folder / TABLE, folder)


@router.get("/{key}/pictures")
def pictures_of_run(request: Request, key: uuid.UUID) -> list[str]:
    """The names of the run's pictures, in their order."""
    folder, _ = folder_of(request, key)
    return [one.name for one in pictures(folder)]


@router.get("/{key}/pictures/{name}", response_class=FileResponse)
def picture_of_run(
    request: Request,
    key: uuid.UUID,
    name: Annotated[str, InPath(pattern=r"^[0-9]{3,9}\.(jpg|png|webp)$", max_length=16)],
) -> Response:
    """A picture of the run."""
    folder, _ = folder_of(request, key)
    path = folder / PICTURES / name
    if not path.is_file():
        raise HTTPException(404, f"The run has no picture {name}.")
    return FileResponse(path, media_type=KINDS[path.suffix[1:]])


@router.get("/{key}/plan")
def plan_of_run(request: Request, key: uuid.UUID) -> RunPlan:
    """What the run was planned to be, as its folder has it: what another one like it begins with."""
    with Session(context_of(request).engine) as session:
        run, _ = _found(session, key)
    try:
        return plan_of(corrected(Path(run.folder), read_state(Path(run.folder))))
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read ({run.folder}).") from error


@router.get("/{key}/seal")
def seal_of_run(request: Request, key: uuid.UUID) -> Seal:
    """The seal that the run got at its end; nothing is compared."""
    folder, _ = folder_of(request, key)
    return _answered(lambda: seal_of(folder))


@router.post("/{key}/verify")
def verify_run(request: Request, key: uuid.UUID) -> Verified:
    """Compare all files of the run with its seal. It takes as long as reading them."""
    folder, _ = folder_of(request, key)
    return _answered(lambda: verify(folder))


def _answered(ask: Callable[[], T]) -> T:
    try:
        return ask()
    except SealError as error:
        raise HTTPException(404, str(error)) from error
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error


def _numbers(channel: RunChannel, statistics: Statistics) -> RunNumbers:
    return RunNumbers(
        number=channel.number,
        id=channel.key,
        name=channel.name,
        unit=channel.unit,
        decimals=channel.decimals,
        interval_s=channel.interval_s,
        instrument=channel.instrument,
        low=channel.low,
        high=channel.high,
        clock=channel.clock,
        timed_by=channel.timed_by,
        states=channel.states,
        usual=channel.usual,
        statistics=statistics,
    )


@router.get("/{key}/trend", response_class=Response)
async def trend(
    request: Request,
    key: uuid.UUID,
    start: Moment | None = None,
    end: Moment | None = None,
    points: Annotated[int, Query(ge=10, le=5000)] = 1000,
    channels: Annotated[
        list[Annotated[int, Field(ge=0, le=2**31 - 1)]] | None, Query(max_length=4096)
    ] = None,
) -> Response:
    """A run's samples for a picture `points` wide, packed as on the live socket; of some channels, by number, or of all."""
    data = await run_in_threadpool(_trend, context_of(request), key, start, end, points, channels)
    return Response(data, media_type="application/octet-stream")


def _trend(
    context: Context,
    key: uuid.UUID,
    start: int | None,
    end: int | None,
    points: int,
    channels: list[int] | None,
) -> bytes:
    with Session(context.engine) as session:
        run, _ = _found(session, key)
        last = session.scalar(select(func.max(SampleBlock.last_time)).where(SampleBlock.run_id == key))
        first = run.begun_at if start is None else start
        final = ((last or run.begun_at) + 1) if end is None else end
        pieces = []
        numbers = session.scalars(select(RunChannel.number).where(RunChannel.run_id == key)).all()
        if channels is not None:
            numbers = [number for number in numbers if number in set(channels)]
        for number, series in trends(session, key, numbers, first, final, points).items():
            records = np.empty(len(series.times), DTYPE)
            records["word"] = (number << 8) | series.qualities.astype(np.uint64)
            records["time"], records["value"] = series.times, series.values
            pieces.append(records.tobytes())
        return b"".join(pieces)


@router.get("/{key}/csv", response_class=FileResponse)
def csv_file(request: Request, key: uuid.UUID, file: Annotated[int, Query(ge=1, le=10**6)] = 1) -> Response:
    """A file of the run's CSV, the first unless another number is given; of a run in progress its whole rows up to now."""
    folder, name = folder_of(request, key)
    if file > 1 and not (folder / csv_name(name, file)).exists():
        raise HTTPException(404, f"The run’s CSV has no file {file}.")
    status = context_of(request).hub.status
    run = status.run if status is not None else None
    return csv_response(folder / csv_name(name, file), folder, growing=run is not None and run.id == str(key))


@router.get("/{key}/report", response_class=Response)
def report_of_run(request: Request, key: uuid.UUID) -> Response:
    """The run as one HTML page that prints, whole in itself. It takes as long as reading its samples once."""
    folder, _ = folder_of(request, key)
    try:
        return Response(report(folder), media_type="text/html; charset=utf-8")
    except ReportError as error:
        raise HTTPException(409, str(error)) from None
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error


def folder_of(request: Request, key: uuid.UUID) -> tuple[Path, str]:
    """A run's folder, and the name of its CSV; 404 where it is not where it was."""
    context = context_of(request)
    with Session(context.engine) as session:
        run, _ = _found(session, key)
        folder, name = Path(run.folder), run.csv
    if not folder.resolve().is_relative_to(context.places.runs.resolve()) or not folder.is_dir():
        raise HTTPException(404, f"The run's folder is not where it was: {folder}.")
    return folder, name


def csv_response(path: Path, folder: Path, growing: bool = False) -> Response:
    """A CSV of a run's folder; 404 where it is not there. One that does not grow can be fetched in parts (RFC 9110, 14)."""
    if not path.resolve().is_relative_to(folder.resolve()) or not path.is_file():
        raise HTTPException(404, f"The run's folder is not where it was: {folder}.")
    kind = "text/csv; charset=utf-8; header=present"
    return GrowingFile(path, kind) if growing else FileResponse(path, media_type=kind, filename=path.name)
