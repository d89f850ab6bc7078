"""The curves of runs in the records."""

import uuid
from math import isfinite
from pathlib import Path

from pydantic import BaseModel
from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from tidybench.core.values.curve import Curve
from tidybench.records.models import CurveColumn, Run, RunCurve
from tidybench.records.storable import storable
from tidybench.runs.curves import read_rows, run_curves


class KeptCurve(BaseModel):
    """A curve of a run in the Logbook, without its rows. `run`: the run's key."""

    run: uuid.UUID
    run_name: str
    item: str
    curve: Curve


def keep_curves(session: Session, run: uuid.UUID, folder: Path) -> None:
    """Have the curves that are in a run's folder; their rows, when they are in progress no more."""
    have = {one.number: one.about for one in session.scalars(select(RunCurve).where(RunCurve.run_id == run))}
    for curve in run_curves(folder):
        about = _about(curve)
        if have.get(curve.number) == about:
            continue
        session.execute(delete(RunCurve).where(RunCurve.run_id == run, RunCurve.number == curve.number))
        row = {
            "run_id": run,
            "number": curve.number,
            "name": storable(curve.name),
            "begun_at": curve.begun_at,
        }
        session.execute(insert(RunCurve), [{**row, "about": about}])
        if curve.state == "in progress":
            continue
        try:
            columns = read_rows(folder, curve).tolist()
        except (OSError, ValueError):
            continue  # what can be said of it is there; its file cannot be read
        session.execute(
            insert(CurveColumn),
            [
                {
                    "run_id": run,
                    "number": curve.number,
                    "position": n,
                    "name": storable(column.name),
                    "unit": storable(column.unit),
                    "values": [value if isfinite(value) else None for value in values],
                }
                for n, (column, values) in enumerate(zip(curve.columns, columns, strict=True))
            ],
        )


def _about(curve: Curve) -> dict[str, object]:
    plain = curve.model_dump(mode="json", exclude={"words"})
    return {key: storable(value) if isinstance(value, str) else value for key, value in plain.items()}


def kept_curves(session: Session, most: int) -> list[KeptCurve]:
    """The newest curves of all runs, the newest first."""
    found = (
        select(RunCurve, Run.name, Run.item)
        .join(Run, Run.id == RunCurve.run_id)
        .order_by(RunCurve.begun_at.desc(), RunCurve.number.desc())
        .limit(most)
    )
    return [
        KeptCurve(run=one.run_id, run_name=name, item=item, curve=Curve.model_validate(one.about))
        for one, name, item in session.execute(found)
    ]
