"""Plans of runs, kept by name for everyone at the bench."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.records.models import Plan


def plans(session: Session, bench: int) -> list[str]:
    """The texts of all of a bench's, by their names."""
    return list(session.scalars(select(Plan.text).where(Plan.bench_id == bench).order_by(Plan.name)))
