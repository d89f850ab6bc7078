"""Instruments and the versions of their set-ups."""

import time
from dataclasses import dataclass

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError
from tidybench.core.setup.calculated import CALCULATED, load_calculations
from tidybench.core.setup.reactions import REACTIONS, load_reactions
from tidybench.records.models import Bench, Instrument, SetupVersion

CALCULATED_NAME = "Calculated channels"
REACTIONS_NAME = "Reactions"
DOCUMENTS = (CALCULATED, REACTIONS)
"""Ids of what is kept like set-ups and is none."""

NO_CALCULATIONS = "format = 1\n"
"""A document of none."""


@dataclass(slots=True, frozen=True)
class Stored:
    """A set-up in force."""

    key: str
    name: str
    version: int
    saved_at: int
    text: str


def bench_id(session: Session, name: str, key: str = "") -> int:
    """The id of a bench, made where it is new. By `key`, which stays when the computer is called otherwise; a bench of before
    there were keys is known by its name, and has its key from then on."""
    if key:
        own = session.execute(select(Bench.id, Bench.name).where(Bench.key == key)).first()
        if own is not None:
            return int(own.id)
    named = session.execute(select(Bench.id, Bench.key).where(Bench.name == name)).first()
    if named is not None and (not key or named.key is None):
        if key:
            session.execute(update(Bench).where(Bench.id == named.id).values(key=key))
        return int(named.id)
    if named is not None:
        name = f"{name} {key[:6]}"  # another bench's computer is called the same
    bench = Bench(name=name, key=key or None)
    session.add(bench)
    session.flush()
    return bench.id


@dataclass(slots=True, frozen=True)
class Difference:
    """What the database did not know of what the recorder has in force (names of instruments): it does now. `out_of_use`: what
    it thought to be in use and the recorder had not. `before`: the set-ups it had in use, and `calculations_before`."""

    filled: tuple[str, ...] = ()
    out_of_use: tuple[str, ...] = ()
    before: tuple[str, ...] = ()
    calculations_before: str = ""


def fill_from(
    session: Session, bench: int, texts: list[str], calculations: str, reactions: str = ""
) -> Difference:
    """Teach the database what the recorder has in force. A database that knows less (empty, another one, an older backup)
    must not take a set-up away; one that knows all of it, and newer versions besides, is left as it is."""
    before, calculated = in_force(session, bench), calculations_in_force(session, bench)
    unknown: list[str] = []
    keys: set[str] = set()
    for text in texts:
        try:
            instrument = load(text).instrument
        except SetupError:
            continue  # of another version: it is not in force either
        key = instrument.id
        keys.add(key)
        known = history(session, bench, key)
        if all(one.text != text for one in known):
            save(session, bench, text)
            unknown.append(instrument.name)
        elif known:
            session.execute(
                update(Instrument)
                .where(Instrument.bench_id == bench, Instrument.key == key)
                .values(in_use=True)
            )
    if calculations and all(one.text != calculations for one in history(session, bench, CALCULATED)):
        save_calculations(session, bench, calculations)
        unknown.append(CALCULATED_NAME)
    if reactions and all(one.text != reactions for one in history(session, bench, REACTIONS)):
        save_reactions(session, bench, reactions)
        unknown.append(REACTIONS_NAME)
    if not unknown:
        return Difference()
    extra = [one for one in in_force(session, bench) if one.key not in keys]
    for one in extra:
        remove(session, bench, one.key)
    return Difference(
        tuple(unknown),
        tuple(one.name for one in extra),
        tuple(one.text for one in before),
        calculated.text if calculated is not None else "",
    )


def take_back(session: Session, bench: int, texts: list[str], calculations: str) -> None:
    """Have these set-ups in use again, as newest versions, and no others; calculated channels where there were any. Raises
    SetupError."""
    keys = {load(text).instrument.id for text in texts}
    for one in in_force(session, bench):
        if one.key not in keys:
            remove(session, bench, one.key)
    for text in texts:
        save(session, bench, text)
    if calculations or calculations_in_force(session, bench) is not None:
        save_calculations(session, bench, calculations or NO_CALCULATIONS)


def save(session: Session, bench: int, text: str, *, from_file: bool = False) -> int:
    """Keep a set-up as a new version and in use, unless the newest is the same; gives its number.

    A file that is imported at every start (`from_file`) gives no new version when any version is the
    same: it must not undo what was changed since, nor bring back what was removed.
    Raises SetupError where the text is not a set-up.
    """
    setup = load(text)
    return _keep(session, bench, setup.instrument.id, setup.instrument.name, text, from_file)


def save_calculations(session: Session, bench: int, text: str, *, from_file: bool = False) -> int:
    """Keep the calculated channels' document as a new version, see `save`. Raises SetupError."""
    load_calculations(text)
    return _keep(session, bench, CALCULATED, CALCULATED_NAME, text, from_file)


def save_reactions(session: Session, bench: int, text: str, *, from_file: bool = False) -> int:
    """Keep the reactions' document as a new version, see `save`. Raises SetupError."""
    load_reactions(text)
    return _keep(session, bench, REACTIONS, REACTIONS_NAME, text, from_file)


def _keep(session: Session, bench: int, key: str, name: str, text: str, from_file: bool) -> int:
    instrument = session.scalar(select(Instrument).where(Instrument.bench_id == bench, Instrument.key == key))
    if instrument is None:
        instrument = Instrument(bench_id=bench, key=key, name=name, in_use=True)
        session.add(instrument)
        session.flush()
    own = session.execute(
        select(SetupVersion.version, SetupVersion.text)
        .where(SetupVersion.instrument_id == instrument.id)
        .order_by(SetupVersion.version.desc())
    ).all()
    same = [version for version, kept in own if kept == text]
    if from_file and same:
        return int(same[0])
    instrument.name, instrument.in_use = name, True
    if own and own[0].version in same:
        return int(own[0].version)
    version = int(own[0].version) + 1 if own else 1
    session.add(
        SetupVersion(instrument_id=instrument.id, version=version, text=text, saved_at=time.time_ns() // 1000)
    )
    return version


def history(session: Session, bench: int, key: str) -> list[Stored]:
    """All versions of an instrument's set-up, newest first; [] where there is no such instrument."""
    rows = session.execute(
        select(Instrument.name, SetupVersion.version, SetupVersion.saved_at, SetupVersion.text)
        .join(SetupVersion, SetupVersion.instrument_id == Instrument.id)
        .where(Instrument.bench_id == bench, Instrument.key == key)
        .order_by(SetupVersion.version.desc())
    ).all()
    return [Stored(key, name, version, saved_at, text) for name, version, saved_at, text in rows]


def remove(session: Session, bench: int, key: str) -> str | None:
    """Take an instrument out of use; its versions are kept. Gives the newest one's text, None for no such one."""
    stored = next((s for s in in_force(session, bench) if s.key == key), None)
    if stored is None:
        return None
    session.execute(
        update(Instrument).where(Instrument.bench_id == bench, Instrument.key == key).values(in_use=False)
    )
    return stored.text


def _newest(session: Session, bench: int) -> list[Stored]:
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


def in_force(session: Session, bench: int) -> list[Stored]:
    """The newest version of every instrument in use, in the order they came."""
    return [stored for stored in _newest(session, bench) if stored.key not in DOCUMENTS]


def calculations_in_force(session: Session, bench: int) -> Stored | None:
    """The calculated channels' document; None where there is none yet."""
    return _document(session, bench, CALCULATED)


def reactions_in_force(session: Session, bench: int) -> Stored | None:
    """The reactions' document; None where there is none yet."""
    return _document(session, bench, REACTIONS)


def _document(session: Session, bench: int, key: str) -> Stored | None:
    return next((stored for stored in _newest(session, bench) if stored.key == key), None)


def known_keys(session: Session, bench: int) -> set[str]:
    """The ids of all instruments there ever were on this bench: a new one must not take up another's past."""
    return set(session.scalars(select(Instrument.key).where(Instrument.bench_id == bench)))
