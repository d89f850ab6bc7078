"""The clerk: follows run folders into the records, and catches up after any outage by itself."""

import logging
import threading
import time
import uuid
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict
from pathlib import Path

from sqlalchemy import Engine, delete, select, update
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError, ProgrammingError
from sqlalchemy.orm import Session

from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import unpack
from tidybench.core.values.channel import Channel
from tidybench.core.values.crossing import SERIOUS
from tidybench.records import blocks
from tidybench.records.blocks import Prepared
from tidybench.records.curves import keep_curves
from tidybench.records.database import upgrade
from tidybench.records.marks import keep_marks
from tidybench.records.models import Run, RunChannel
from tidybench.records.said import said_columns
from tidybench.records.setups import bench_id
from tidybench.records.statistics import keep_whole
from tidybench.records.storable import storable
from tidybench.runs.crossings import read_crossings
from tidybench.runs.folder import LATER, SAMPLES, run_folders
from tidybench.runs.holding import holding_of
from tidybench.runs.later_marks import marks_of
from tidybench.runs.removal import deleted_runs, removal_of, wipe
from tidybench.runs.run_state import STATE, RunState, read_state
from tidybench.runs.said import corrected

logger = logging.getLogger(__name__)

EVERY, LONGEST = 1.0, 5.0
RESTS = 3
"""So many times as long as it took it rests, between these seconds: with a thousand channels it would have no core left for the pages."""
UNDEFINED_TABLE = "42P01"
"""PostgreSQL's code of a table that is not there (PostgreSQL, appendix A)."""

PIECE = 600_000
"""Records taken in one transaction."""


JUST_MADE = 10.0
"""Seconds after which a folder whose state cannot be read is not just being made."""

TRY_AGAIN = 60.0
"""Seconds after which a run that could not be imported is tried again."""


class Clerk(threading.Thread):
    """Runs until `stop`. `trouble` says why the records do not follow, "" when they do; `behind` counts the samples that the
    run in progress has and the records have not. Any thread may look at them."""

    def __init__(self, engine: Engine, runs: Path) -> None:
        super().__init__(name="clerk", daemon=True)
        self._engine, self._runs = engine, runs
        self._stopping = threading.Event()
        self._complete: dict[Path, uuid.UUID] = {}  # those that are all in the records
        self._failed: dict[Path, tuple[float, str]] = {}  # when to try again, and what is wrong
        self.migrated = False
        self.trouble = ""
        self.behind = 0

    @property
    def troubles(self) -> str:
        """What is wrong with the runs that could not be imported; "" for nothing."""
        return " ".join(why for _, why in self._failed.values())

    @property
    def words(self) -> str:
        """How far the records follow."""
        return f"{self.behind} samples behind" if self.behind else "records follow"

    def run(self) -> None:
        while not self._stopping.is_set():
            begun = time.monotonic()
            try:
                self.follow()
                self.trouble = self.troubles
            except (OperationalError, InterfaceError) as error:
                self._say(
                    f"The database does not answer ({_first_line(error)}). Runs are logged all the same; records follow."
                )
            except Exception as error:  # the clerk must not end before the server does
                logger.exception("the records do not follow")
                self._say(f"The records do not follow: {error!r}. Runs are logged all the same.")
            took = time.monotonic() - begun
            self._stopping.wait(min(max(EVERY, RESTS * took), LONGEST))

    def _say(self, trouble: str) -> None:
        if not self.trouble:
            logger.warning(trouble)
        self.trouble = trouble

    def stop(self) -> None:
        """End after the present transaction."""
        self._stopping.set()
        self.join(10)

    def look_again(self, folder: Path) -> None:
        """Something was added to this run after its end. Any thread."""
        self._complete.pop(folder, None)

    def follow(self) -> None:
        """Take in everything there is now. A run that cannot be imported fails by itself; raises where the database does
        not answer."""
        if not self.migrated:
            upgrade(self._engine)
            self.migrated = True
        there = run_folders(self._runs)
        if self._was_emptied(there):
            logger.warning("the database has lost its records: they are made again from the run folders")
            self._complete.clear()
            upgrade(self._engine)
        self._delete()
        for gone in set(self._failed).difference(there):
            self._failed.pop(gone)
        for folder in there:
            if folder in self._complete or self._stopping.is_set():
                continue
            due, _ = self._failed.get(folder, (0.0, ""))
            if time.monotonic() < due:
                continue
            try:
                self._follow(folder)
                self._failed.pop(folder, None)
            except (OperationalError, InterfaceError):
                raise
            except Exception as error:
                if folder not in self._failed:
                    logger.exception("the run in %s cannot be taken into the records", folder)
                why = f"The run in {folder.name} cannot be taken into the records: {_first_line(error)}."
                self._failed[folder] = time.monotonic() + TRY_AGAIN, why

    def _was_emptied(self, there: list[Path]) -> bool:
        """Whether somebody has taken the records away beneath us: another database stands here, or its tables do no longer, or they do not know
        the newest run that was complete."""
        known = next((self._complete[folder] for folder in reversed(there) if folder in self._complete), None)
        try:
            with Session(self._engine) as session:
                found = session.scalar(select(Run.id).where(Run.id == (known or uuid.UUID(int=0))))
        except ProgrammingError as error:
            if getattr(error.orig, "sqlstate", "") != UNDEFINED_TABLE:
                raise
            return True
        return known is not None and found is None

    def _delete(self) -> None:
        """What is deleted for good goes from the records first: what is gone from both is found in neither."""
        for key, place in deleted_runs(self._runs):
            if self._stopping.is_set():
                return
            with Session(self._engine) as session, session.begin():
                session.execute(delete(Run).where(Run.id == key))
            try:
                wipe(place)
            except OSError as error:
                logger.warning("what is left of a deleted run cannot be removed (%s): %s", place, error)

    def _follow(self, folder: Path) -> None:
        try:
            state = read_state(folder)
        except FileNotFoundError:
            return  # a folder that is just being made
        except ValueError as error:
            if time.time() - folder.stat().st_mtime < JUST_MADE:
                return
            raise ValueError(f"its {STATE} is damaged ({_first_line(error)})") from error
        with Session(self._engine) as session, session.begin():
            followed, complete = self._register(session, folder, state)
        if complete:
            self._complete[folder] = uuid.UUID(state.id)
            return
        key = uuid.UUID(state.id)
        if followed * RECORD_SIZE > (folder / SAMPLES).stat().st_size:
            followed = self._begin_anew(key)
        with ThreadPoolExecutor(1) as ahead:
            coming: Future[Prepared] | None = None
            while not self._stopping.is_set():
                piece = coming.result() if coming is not None else _piece(folder, key, followed)
                coming = None
                if state.status == "logging":
                    size = (folder / SAMPLES).stat().st_size // RECORD_SIZE
                    self.behind = max(0, size - followed - piece.count)
                if not piece.count:
                    break
                if piece.count == PIECE:  # the next one is made ready while PostgreSQL takes this one
                    coming = ahead.submit(_piece, folder, key, followed + PIECE)
                with Session(self._engine) as session, session.begin():
                    blocks.append(session, piece)
                    followed += piece.count
                    session.execute(update(Run).where(Run.id == key).values(followed=followed))
                    blocks.merge(session, key)
                if state.status == "logging" and coming is None:
                    break  # what came meanwhile waits its turn: else a lively bench would be followed without a pause
        with Session(self._engine) as session, session.begin():
            keep_marks(session, key, marks_of(folder))
            keep_curves(session, key, folder)
            # The state was read before the samples: if it had ended, they are whole now.
            if state.status != "logging" and not self._stopping.is_set():
                blocks.merge(session, key, all_of_it=True)
                keep_whole(session, key)
                counted = {"complete": True, "alarms": _alarms(folder), **_holding(folder)}
                session.execute(update(Run).where(Run.id == key).values(**counted))

    def _begin_anew(self, key: uuid.UUID) -> int:
        """Its samples are fewer than were imported."""
        with Session(self._engine) as session, session.begin():
            blocks.clear(session, key)
            session.execute(update(Run).where(Run.id == key).values(followed=0))
        return 0

    def _register(self, session: Session, folder: Path, state: RunState) -> tuple[int, bool]:
        key = uuid.UUID(state.id)
        changing = {
            "ended_at": state.ended_at,
            "status": state.status,
            "reason": storable(state.reason),
            "folder": str(folder),
            "counts": asdict(state.counts),
            "repairs": state.repairs,
        }
        row = session.get(Run, key)
        if row is not None:
            if row.folder != str(folder) and _has_run(Path(row.folder), state.id):
                raise ValueError(f"it is a copy of {row.folder}. Move it out of the folder of runs")
            lost = state.mended is not None and state.mended < row.followed
            if not row.complete and row.repairs != state.repairs and lost:
                # A power cut took samples that the records have: they are imported again.
                blocks.clear(session, key)
                session.execute(update(Run).where(Run.id == key).values(followed=0, **changing))
                return 0, False
            if row.folder != str(folder):
                session.execute(update(Run).where(Run.id == key).values(folder=str(folder)))
            if not row.complete:
                session.execute(update(Run).where(Run.id == key).values(**changing))
            else:
                # What was added after its end, and what records of before did not count.
                later = _later(folder, state) if (folder / LATER).is_dir() else {}
                if later:
                    keep_marks(session, key, marks_of(folder))
                if row.alarms is None:
                    later["alarms"] = _alarms(folder)
                if row.bytes is None:
                    later |= _holding(folder)
                changed = {name: value for name, value in later.items() if getattr(row, name) != value}
                if changed:
                    session.execute(update(Run).where(Run.id == key).values(**changed))
            return row.followed, row.complete
        fixed = state.model_dump(include={"begun_at", "lead_us", "csv"})
        fixed |= _later(folder, state)
        fixed |= {
            "row_rule": state.row_rule.words,
            "begun_by": storable(state.begun_by),
            "copy_to": storable(state.copy_to),
            "glance": [{**found.model_dump(), "words": storable(found.words)} for found in state.glance],
        }
        session.add(
            Run(
                id=key,
                bench_id=bench_id(session, state.bench, state.bench_key),
                followed=0,
                complete=False,
                **fixed,
                **changing,
            )
        )
        session.flush()
        for position, channel in enumerate(state.channels):
            session.add(
                RunChannel(
                    run_id=key,
                    number=channel.number,
                    position=position,
                    key=channel.id,
                    **channel.model_dump(include=set(Channel.model_fields) - {"number", "id"}),
                )
            )
        return 0, False

    def complete(self, run: str) -> bool:
        """Whether all of a run is in the records."""
        with Session(self._engine) as session:
            return bool(session.scalar(select(Run.complete).where(Run.id == uuid.UUID(run))))


def _later(folder: Path, state: RunState) -> dict[str, object]:
    """The columns of what may be added to a run after its end."""
    removal = removal_of(folder)
    return {
        **said_columns(corrected(folder, state)),
        "removed_at": removal.at if removal is not None else None,
    }


def _holding(folder: Path) -> dict[str, object]:
    try:
        holding = holding_of(folder)
    except OSError:
        return {}
    return {"bytes": holding.total, "tape_bytes": holding.tape}


def _alarms(folder: Path) -> int | None:
    """How often a run was beyond a limit, or not measured where it has one; None where its folder does not say."""
    try:
        return sum(one.state in SERIOUS for one in read_crossings(folder))
    except OSError:
        return None


def _has_run(folder: Path, run: str) -> bool:
    """Whether this run stands in this folder."""
    try:
        return read_state(folder).id == run
    except (OSError, ValueError):
        return False


def _piece(folder: Path, run: uuid.UUID, first: int) -> Prepared:
    """The next samples of a run, from this record on, made ready."""
    with open(folder / SAMPLES, "rb") as file:
        file.seek(first * RECORD_SIZE)
        return blocks.prepare(run, first, unpack(file.read(PIECE * RECORD_SIZE)))


def _first_line(error: Exception) -> str:
    origin = error.orig if isinstance(error, DBAPIError) and error.orig else error
    return (str(origin).splitlines() or [repr(origin)])[0]
