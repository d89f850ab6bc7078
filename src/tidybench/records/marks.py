"""The marks of runs in the records."""

import uuid
from collections.abc import Sequence

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from tidybench.core.values.mark import Mark
from tidybench.records.models import Mark as MarkTable
from tidybench.records.storable import storable


def keep_marks(session: Session, run: uuid.UUID, marks: Sequence[Mark]) -> None:
    """Have these marks, in this order, and no others."""
    wanted = [Mark(mark.at, storable(mark.text), storable(mark.by)) for mark in marks]
    if wanted == kept_marks(session, run):
        return
    session.execute(delete(MarkTable).where(MarkTable.run_id == run))
    if wanted:
        rows = [
            {"run_id": run, "position": n, "at": mark.at, "text": mark.text, "by": mark.by}
            for n, mark in enumerate(wanted)
        ]
        session.execute(insert(MarkTable), rows)


def kept_marks(session: Session, run: uuid.UUID) -> list[Mark]:
    """The marks of a run, in order."""
    found = select(MarkTable).where(MarkTable.run_id == run).order_by(MarkTable.position)
    return [Mark(one.at, one.text, one.by) for one in session.scalars(found)]
