"""Layouts of the Bench, saved by name for everyone at it."""

from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidybench.records.models import Layout


def layouts(session: Session, bench: int) -> dict[str, dict[str, Any]]:
    """All of a bench's, by name."""
    rows = session.execute(
        select(Layout.name, Layout.data).where(Layout.bench_id == bench).order_by(Layout.name)
    )
    return {row.name: row.data for row in rows}


def save_layout(session: Session, bench: int, name: str, data: dict[str, Any]) -> None:
    """Save one, in the place of an older one of this name."""
    new = insert(Layout).values(bench_id=bench, name=name, data=data)
    session.execute(new.on_conflict_do_update(index_elements=["bench_id", "name"], set_={"data": data}))


def remove_layout(session: Session, bench: int, name: str) -> bool:
    """Take one away; whether there was one."""
    gone = session.scalars(
        delete(Layout).where(Layout.bench_id == bench, Layout.name == name).returning(Layout.id)
    )
    return gone.first() is not None
