"""Instruments and the versions of their set-ups."""

import time
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tidybench.core.setup import load
from tidybench.records.models import Bench, Instrument, SetupVersion


@dataclass(slots=True, frozen=True)
class Stored:
    """A set-up in force."""

    key: str
    name: str
    version: int
    saved_at: int
    text: str


def bench_id(session: Session, name: str) -> int:
    """The id of a bench, made where it is new."""
    found = session.scalar(select(Bench.id).where(Bench.name == name))
    if found is not None:
        return found
    bench = Bench(name=name)
    session.add(bench)
    session.flush()
    return bench.id


def save(session: Session, bench: int, text: str) -> int:
    """Keep a set-up as a new version, unless some version is the same; gives the version's number.

    Raises SetupError where the text is not a set-up.
    """
    setup = load(text)
    instrument = session.scalar(
        select(Instrument).where(Instrument.bench_id == bench, Instrument.key == setup.instrument.id)
    )
    if instrument is None:
        instrument = Instrument(
            bench_id=bench, key=setup.instrument.id, name=setup.instrument.name, in_use=True
        )
        session.add(instrument)
        session.flush()
    same = session.scalar(
        select(SetupVersion.version).where(
            SetupVersion.instrument_id == instrument.id, SetupVersion.text == text
        )
    )
    if same is not None:
        return same
    newest = session.scalar(
        select(func.coalesce(func.max(SetupVersion.version), 0)).where(
            SetupVersion.instrument_id == instrument.id
        )
    )
    version = (newest or 0) + 1
    instrument.name, instrument.in_use = setup.instrument.name, True
    session.add(
        SetupVersion(instrument_id=instrument.id, version=version, text=text, saved_at=time.time_ns() // 1000)
    )
    return version


def in_force(session: Session, bench: int) -> list[Stored]:
    """The newest version of every instrument in use, in the order they came."""
    newest = (
        select(SetupVersion.instrument_id, func.max(SetupVersion.version).label("version"))
        .group_by(SetupVersion.instrument_id)
        .subquery()
    )
    rows = session.execute(
        select(
            Instrument.key, Instrument.name, SetupVersion.version, SetupVersion.saved_at, SetupVersion.text
        )
        .join(SetupVersion, SetupVersion.instrument_id == Instrument.id)
        .join(newest, (newest.c.instrument_id == Instrument.id) & (newest.c.version == SetupVersion.version))
        .where(Instrument.bench_id == bench, Instrument.in_use)
        .order_by(Instrument.id)
    ).all()
    return [Stored(r.key, r.name, r.version, r.saved_at, r.text) for r in rows]
