"""Layouts of the Bench, saved by name for everyone at it."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.records.models import Layout


def layouts(session: Session, bench: int) -> dict[str, dict[str, Any]]:
    """All of a bench's, by name."""
    rows = session.execute(
        select(Layout.name, Layout.data).where(Layout.bench_id == bench).order_by(Layout.name)
    )
    return {row.name: row.data for row in rows}
