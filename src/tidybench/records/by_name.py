"""What is kept by name for everyone at a bench: layouts, plans of runs, procedures."""

import time
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidybench.records.models import Layout, Plan, Procedure

Kept = type[Layout] | type[Plan] | type[Procedure]


def save(session: Session, kind: Kept, bench: int, name: str, **values: Any) -> None:
    """Save one, in the place of an older one of this name."""
    new = insert(kind).values(bench_id=bench, name=name, **values)
    session.execute(new.on_conflict_do_update(index_elements=["bench_id", "name"], set_=values))


def remove(session: Session, kind: Kept, bench: int, name: str) -> bool:
    """Remove one; whether there was one."""
    gone = delete(kind).where(kind.bench_id == bench, kind.name == name).returning(kind.id)
    return session.scalars(gone).first() is not None


def save_new(session: Session, kind: type[Plan] | type[Procedure], bench: int, name: str, text: str) -> bool:
    """Keep what a file has, unless one of this name is kept already: a person may have changed that. Whether it was kept."""
    known = session.scalar(select(kind.id).where(kind.bench_id == bench, kind.name == name))
    if known is None:
        save(session, kind, bench, name, text=text, saved_at=time.time_ns() // 1000)
    return known is None
