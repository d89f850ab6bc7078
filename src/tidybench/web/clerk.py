"""The clerk: follows run folders into the records, and catches up after any outage by itself."""

import contextlib
import threading
import traceback
import uuid
from pathlib import Path

from sqlalchemy import Engine, select, update
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.orm import Session

from tidybench.core.samples import RECORD_SIZE, unpack
from tidybench.records import blocks
from tidybench.records.database import upgrade
from tidybench.records.models import Mark, Run, RunChannel
from tidybench.records.setups import bench_id
from tidybench.runs.folder import SAMPLES, RunState, read_marks, read_state, run_folders

EVERY = 1.0
PIECE = 200_000
"""Records taken in one transaction."""


class Clerk(threading.Thread):
    """Runs until `stop`. `trouble` says why the records do not follow, "" when they do."""

    def __init__(self, engine: Engine, runs: Path) -> None:
        super().__init__(name="clerk", daemon=True)
        self._engine, self._runs = engine, runs
        self._stopping = threading.Event()
        self._complete: set[Path] = set()
        self.migrated = False
        self.trouble = ""

    def run(self) -> None:
        while not self._stopping.is_set():
            try:
                self.follow()
                self.trouble = ""
            except (OperationalError, DBAPIError) as error:
                first = str(error.orig).splitlines()[0] if error.orig else str(error)
                self.trouble = (
                    f"The database does not answer ({first}). Runs are logged all the same; records follow."
                )
            except OSError as error:
                self.trouble = f"A run folder cannot be read: {error}."
            except Exception as error:  # the clerk must not end before the server does
                traceback.print_exc()
                self.trouble = f"The records do not follow: {error!r}. Runs are logged all the same."
            self._stopping.wait(EVERY)

    def stop(self) -> None:
        """End after the present transaction."""
        self._stopping.set()
        self.join(10)

    def follow(self) -> None:
        """Take in everything there is now."""
        if not self.migrated:
            upgrade(self._engine)
            self.migrated = True
        for folder in run_folders(self._runs):
            if folder in self._complete or self._stopping.is_set():
                continue
            with contextlib.suppress(ValueError, FileNotFoundError):  # a folder that is just being made
                self._follow(folder)

    def _follow(self, folder: Path) -> None:
        state = read_state(folder)
        with Session(self._engine) as session, session.begin():
            followed, complete = self._register(session, folder, state)
        if complete:
            self._complete.add(folder)
            return
        key = uuid.UUID(state.id)
        while not self._stopping.is_set():
            with open(folder / SAMPLES, "rb") as file:
                file.seek(followed * RECORD_SIZE)
                records = unpack(file.read(PIECE * RECORD_SIZE))
            if not len(records):
                break
            with Session(self._engine) as session, session.begin():
                blocks.append(session, key, followed, records)
                followed += len(records)
                session.execute(update(Run).where(Run.id == key).values(followed=followed))
                blocks.merge(session, key)
        with Session(self._engine) as session, session.begin():
            self._marks(session, key, folder)
            # The state was read before the samples: if it had ended, they are whole now.
            if state.status != "logging" and not self._stopping.is_set():
                blocks.merge(session, key, all_of_it=True)
                session.execute(update(Run).where(Run.id == key).values(complete=True))

    def _register(self, session: Session, folder: Path, state: RunState) -> tuple[int, bool]:
        key = uuid.UUID(state.id)
        changing = {
            "ended_at": state.ended_at,
            "status": state.status,
            "reason": state.reason,
            "folder": str(folder),
            "counts": state.counts.model_dump(),
            "repairs": state.repairs,
        }
        row = session.execute(select(Run.followed, Run.complete, Run.status).where(Run.id == key)).first()
        if row is not None:
            if not row.complete:
                session.execute(update(Run).where(Run.id == key).values(**changing))
            return row.followed, row.complete
        fixed = state.model_dump(include={"name", "item", "operator", "row_rule", "begun_at", "csv"})
        session.add(
            Run(
                id=key,
                bench_id=bench_id(session, state.bench),
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
                    **channel.model_dump(
                        include={"name", "unit", "decimals", "interval_s", "instrument", "low", "high"}
                    ),
                )
            )
        return 0, False

    @staticmethod
    def _marks(session: Session, key: uuid.UUID, folder: Path) -> None:
        values = [
            {"run_id": key, "position": n, "at": mark.at, "text": mark.text, "by": mark.by}
            for n, mark in enumerate(read_marks(folder))
        ]
        if values:
            new = upsert(Mark)
            corrected = {"text": new.excluded.text}
            session.execute(
                new.on_conflict_do_update(index_elements=["run_id", "position"], set_=corrected), values
            )

    def complete(self, run: str) -> bool:
        """Whether all of a run is in the records."""
        with Session(self._engine) as session:
            return bool(session.scalar(select(Run.complete).where(Run.id == uuid.UUID(run))))
