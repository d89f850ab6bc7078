"""What is said of runs, in the records: what they are found by."""

import uuid

from sqlalchemy import update
from sqlalchemy.orm import Session

from tidybench.records.models import Run
from tidybench.records.storable import storable
from tidybench.runs.run_state import RunState
from tidybench.runs.said import searched_text


def said_columns(state: RunState) -> dict[str, object]:
    """The columns of a run that say what is said of it; `state` with what is said now."""
    return {
        "name": storable(state.name),
        "item": storable(state.item),
        "operator": storable(state.operator),
        "order_number": storable(state.order),
        "notes": storable(state.notes),
        "fields": {storable(name): storable(text) for name, text in state.fields.items()},
        "searched": storable(searched_text(state)),
    }


def keep_said(session: Session, run: uuid.UUID, state: RunState) -> None:
    """Have this said of a run; `state` with what is said now."""
    session.execute(update(Run).where(Run.id == run).values(**said_columns(state)))
