"""Procedures, kept by name for everyone at the bench."""

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.procedure.text import name_of
from tidybench.records.by_name import save_new
from tidybench.records.models import Procedure


@dataclass(slots=True, frozen=True)
class Kept:
    """One as it is kept. `saved_at`: microseconds since 1970 UTC."""

    name: str
    text: str
    saved_at: int


def procedures(session: Session, bench: int) -> list[Kept]:
    """All of a bench's, by their names."""
    found = session.execute(
        select(Procedure.name, Procedure.text, Procedure.saved_at)
        .where(Procedure.bench_id == bench)
        .order_by(Procedure.name)
    )
    return [Kept(name, text, saved_at) for name, text, saved_at in found]


def take_in(session: Session, bench: int, path: Path) -> bool:
    """Keep the procedure of a file, unless one of its name is kept already: a person may have changed that. Whether it was kept. Raises
    ProcedureError, OSError, UnicodeDecodeError."""
    text = path.read_text("utf-8")
    return save_new(session, Procedure, bench, name_of(text), text)
