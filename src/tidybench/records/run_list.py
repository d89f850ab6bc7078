"""Runs as they are found: by words, dates, how they ended and whether they were beyond a limit; sorted, a page after the other."""

import base64
import binascii
import json
import uuid
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import ColumnElement, and_, func, or_, select
from sqlalchemy.orm import Session

from tidybench.records.models import Run, RunChannel

Sort = Literal["begun", "name", "item", "operator", "length", "samples"]
Ended = Literal["", "logging", "ended", "interrupted"]
Verdict = Literal["", "within", "beyond"]


COUNTED = 500
"""Runs that are counted; of more it is only known that they are more."""


class CursorError(ValueError):
    """A cursor that this list has not given."""


@dataclass(slots=True, frozen=True)
class Wanted:
    """Which runs: `words`, each somewhere in what is said of a run; begun from `since` to before `until` (microseconds since 1970 UTC);
    `removed`: those in the bin, else those that are not."""

    words: str = ""
    ended: Ended = ""
    verdict: Verdict = ""
    since: int | None = None
    until: int | None = None
    removed: bool = False
    sort: Sort = "begun"
    falling: bool = True


@dataclass(slots=True, frozen=True)
class Listed:
    """A run of the list, with how many channels it has, and whether any has a limit."""

    run: Run
    channels: int
    limited: bool


def found_runs(session: Session, wanted: Wanted, after: str, most: int) -> tuple[list[Listed], str, int]:
    """Runs behind the cursor `after` ("" for the first ones), at most so many; the cursor of the next ones ("" where there are none); and how many there are
    altogether, COUNTED + 1 where they are more than are counted. Raises CursorError."""
    conditions = list(_conditions(wanted))
    counted = select(Run.id).where(*conditions).limit(COUNTED + 1).subquery()
    total = session.scalar(select(func.count()).select_from(counted)) or 0
    value = _SORTED[wanted.sort]
    query = select(Run.id, value.label("value")).where(*conditions)
    if after:
        last, key = _opened(after, wanted.sort)
        later = value < last if wanted.falling else value > last
        beside = Run.id < key if wanted.falling else Run.id > key
        query = query.where(or_(later, and_(value == last, beside)))
    order = (value.desc(), Run.id.desc()) if wanted.falling else (value.asc(), Run.id.asc())
    # Channels are counted of the page's runs alone.
    page = query.order_by(*order).limit(most + 1).subquery()
    channels = select(func.count()).where(RunChannel.run_id == Run.id).scalar_subquery()
    limited = (
        select(RunChannel.run_id)
        .where(RunChannel.run_id == Run.id, or_(RunChannel.low.is_not(None), RunChannel.high.is_not(None)))
        .exists()
    )
    told = page.c.value.desc() if wanted.falling else page.c.value.asc()
    keys = Run.id.desc() if wanted.falling else Run.id.asc()
    rows = session.execute(
        select(Run, channels, limited, page.c.value).join(page, page.c.id == Run.id).order_by(told, keys)
    ).all()
    listed = [Listed(run, count, has) for run, count, has, _ in rows[:most]]
    more = rows[most - 1] if len(rows) > most else None
    return listed, _closed(more[3], more[0].id) if more is not None else "", total


def _conditions(wanted: Wanted) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [
        Run.removed_at.is_not(None) if wanted.removed else Run.removed_at.is_(None)
    ]
    # Those that few runs have first: one that is not there ends the look at a run.
    for word in sorted(wanted.words.split(), key=lambda one: (one.isalpha(), -len(one))):
        escaped = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        found.append(Run.searched.ilike(f"%{escaped}%", escape="\\"))
    if wanted.ended:
        found.append(Run.status == wanted.ended)
    if wanted.verdict == "beyond":
        found.append(Run.alarms > 0)
    elif wanted.verdict == "within":
        found.append(Run.alarms == 0)
    if wanted.since is not None:
        found.append(Run.begun_at >= wanted.since)
    if wanted.until is not None:
        found.append(Run.begun_at < wanted.until)
    return found


_SORTED: dict[Sort, ColumnElement[Any]] = {
    "begun": Run.begun_at.expression,
    "name": func.lower(Run.name),
    "item": func.lower(Run.item),
    "operator": func.lower(Run.operator),
    "length": func.coalesce(Run.ended_at - Run.begun_at, 0),
    "samples": Run.followed.expression,
}


def _closed(value: Any, key: uuid.UUID) -> str:
    return base64.urlsafe_b64encode(json.dumps([value, str(key)]).encode()).decode()


def _opened(cursor: str, sort: Sort) -> tuple[Any, uuid.UUID]:
    try:
        value, key = json.loads(base64.urlsafe_b64decode(cursor.encode()))
        kind = str if sort in ("name", "item", "operator") else int
        if type(value) is not kind or not isinstance(key, str):
            raise TypeError
        return value, uuid.UUID(key)
    except (ValueError, TypeError, binascii.Error) as error:
        raise CursorError("That is no place in the list. Open the Logbook again.") from error
