"""Plans of runs, kept by name for everyone at the bench."""

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tidybench.records.models import Plan


def plans(session: Session, bench: int) -> list[str]:
    """The texts of all of a bench's, by their names."""
    return list(session.scalars(select(Plan.text).where(Plan.bench_id == bench).order_by(Plan.name)))


def save_plan(session: Session, bench: int, name: str, text: str, at: int) -> None:
    """Save one, in the place of an older one of this name; `at` in microseconds since 1970 UTC."""
    new = insert(Plan).values(bench_id=bench, name=name, text=text, saved_at=at)
    changed = {"text": text, "saved_at": at}
    session.execute(new.on_conflict_do_update(index_elements=["bench_id", "name"], set_=changed))


def remove_plan(session: Session, bench: int, name: str) -> bool:
    """Remove one; whether there was one."""
    gone = session.scalars(delete(Plan).where(Plan.bench_id == bench, Plan.name == name).returning(Plan.id))
    return gone.first() is not None
