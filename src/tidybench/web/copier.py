"""Copies finished runs to where their plans want them, and tries again until they are there."""

import logging
import threading
import time
import uuid
from pathlib import Path

from sqlalchemy import Engine, select, update
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.orm import Session

from tidybench.records.models import Run
from tidybench.runs.copying import CopyError, copy_run
from tidybench.runs.folder import MANIFEST

logger = logging.getLogger(__name__)

EVERY = 2.0
"""Seconds between two looks."""

SOONEST, LATEST = 5.0, 600.0
"""Seconds after which a copy that failed is tried again: at first, and at last."""


SEALED_WITHIN = 600_000_000
"""Microseconds after its end in which a run without a seal is nothing strange."""


class Copier(threading.Thread):
    """A thread beside the clerk, so that a share that hangs holds nothing else up. `trouble`: what is wrong with the last copy that was
    tried, "" where nothing is. `waiting`: how many are not there yet."""

    def __init__(self, engine: Engine, runs: Path) -> None:
        super().__init__(name="copier", daemon=True)
        self._engine, self._runs = engine, runs
        self._stopping = threading.Event()
        self._due: dict[uuid.UUID, tuple[float, float]] = {}
        self._troubles: dict[uuid.UUID, str] = {}
        self.waiting = 0

    @property
    def trouble(self) -> str:
        """What is wrong with one that is not there yet; "" where nothing is."""
        return next(iter(list(self._troubles.values())), "")

    def run(self) -> None:
        while not self._stopping.wait(EVERY):
            try:
                self.look()
            except (OperationalError, InterfaceError):
                continue  # the clerk says so
            except Exception:  # the next look may do better
                logger.exception("finished runs cannot be copied")

    def stop(self) -> None:
        """End; a copy that hangs is left behind."""
        self._stopping.set()
        self.join(2)

    def look(self) -> None:
        """Copy what is to be copied and due."""
        wanted = select(Run.id, Run.folder, Run.copy_to, Run.ended_at).where(
            Run.complete, Run.copied_at.is_(None), Run.copy_to != ""
        )
        with Session(self._engine) as session:
            found = session.execute(wanted.order_by(Run.begun_at)).all()
        self.waiting = len(found)
        for key, folder, to, ended_at in found:
            due, _ = self._due.get(key, (0.0, SOONEST))
            if _is_being_sealed(Path(folder), ended_at or 0):
                continue
            if time.monotonic() >= due and not self._stopping.is_set():
                self._copy(key, Path(folder), Path(to))

    def _copy(self, key: uuid.UUID, folder: Path, to: Path) -> None:
        try:
            copy_run(folder, to, self._runs)
        except (CopyError, OSError) as error:
            why = str(error) if isinstance(error, CopyError) else f"{to}: {error.strerror or error}."
            if self._troubles.get(key) != why:
                logger.warning("%s could not be copied: %s", folder.name, why)
            _, delay = self._due.get(key, (0.0, SOONEST))
            self._due[key] = time.monotonic() + delay, min(2 * delay, LATEST)
            self._troubles[key] = why
            self._keep(key, copy_trouble=why.replace("\0", ""))
            return
        self._due.pop(key, None)
        self._troubles.pop(key, None)
        self.waiting -= 1
        self._keep(key, copied_at=time.time_ns() // 1000, copy_trouble="")

    def _keep(self, key: uuid.UUID, **changes: object) -> None:
        with Session(self._engine) as session, session.begin():
            session.execute(update(Run).where(Run.id == key).values(**changes))


def _is_being_sealed(folder: Path, ended_at: int) -> bool:
    """A run of weeks takes its time to be summed up."""
    return not (folder / MANIFEST).exists() and time.time_ns() // 1000 - ended_at < SEALED_WITHIN
