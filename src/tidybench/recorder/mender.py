"""Mends runs that a crash left, beside everything else: ports are polled meanwhile, and what comes waits in memory."""

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tidybench.core.batch import RECORD_SIZE
from tidybench.runs.checks import CHECKS
from tidybench.runs.folder import MANIFEST, SAMPLES, run_folders
from tidybench.runs.points import read_points
from tidybench.runs.recovery import Mended, Newest, close_ended, close_interrupted, mend, newest, set_aside
from tidybench.runs.run_state import RunState, read_state

logger = logging.getLogger(__name__)

PRELOADED = 24_000_000
"""Bytes of a run's newest samples that a restarted recorder remembers."""


@dataclass(slots=True, frozen=True)
class Unfinished:
    """A run that goes on after a restart: its folder, how it stood, how far its files have come, and how many versions of test points it
    has."""

    folder: Path
    state: RunState
    newest: Newest
    points: int = 0


@dataclass(slots=True, frozen=True)
class Ready:
    """The same, in order again, with its newest samples as records."""

    mended: Mended
    samples: bytes


def unfinished(run: str | None, even_where_stopped: bool = False) -> Unfinished | None:
    """The run in this folder, if it was not ended. `even_where_stopped`: everything was stopped or killed; then it goes on only where
    its plan says so."""
    if run is None:
        return None
    folder = Path(run)
    try:
        state = read_state(folder)
        if state.status != "logging" or (even_where_stopped and not state.carry_on):
            return None
        return Unfinished(folder, state, newest(folder, state), len(read_points(folder)))
    except FileNotFoundError:
        return None
    except (OSError, ValueError):
        logger.exception("the run in %s cannot be continued", folder)
        return None


class Mender(threading.Thread):
    """First the run that goes on, then those that nobody goes on with. Until it has told of one it alone touches its folder.
    `words`: what it is doing."""

    def __init__(
        self,
        runs: Path,
        going_on: Unfinished | None,
        ready: Callable[[Ready | None], None],
        bench_key: str = "",
    ) -> None:
        """Made before anything can begin a run. `bench_key`: of this bench, whose runs it may touch when they have ended. `ready` is called in this thread, with None where the run could not be put in
        order."""
        super().__init__(name="mender", daemon=True)
        self.words = ""
        self._bench_key = bench_key
        self._going_on, self._ready = going_on, ready
        # Those there are now: a run that is begun from here on is the writer's.
        self._folders = [
            folder
            for folder in run_folders(runs)
            if going_on is None or folder.resolve() != going_on.folder.resolve()
        ]

    def run(self) -> None:
        going_on = self._going_on
        if going_on is not None:
            self._ready(self._put_in_order(going_on))
        for folder in self._folders:
            self._close(folder)

    def _say(self, words: str) -> None:
        self.words = words

    def _put_in_order(self, one: Unfinished) -> Ready | None:
        try:
            mended = mend(one.folder, self._say)
            with open(one.folder / SAMPLES, "rb") as file:
                size = file.seek(0, 2)
                file.seek(max(0, size - size % RECORD_SIZE - PRELOADED))
                return Ready(mended, file.read())
        except Exception as error:  # one broken folder must not keep the bench from logging another run
            logger.exception("the run in %s could not be mended", one.folder)
            self._set_aside(one.folder, one.state, f"It could not be mended: {error}.")
            return None

    def _close(self, folder: Path) -> None:
        """A run that was not ended, and that nobody goes on with."""
        try:
            state = read_state(folder)
        except (OSError, ValueError) as error:
            logger.error("the run in %s cannot be read: %s", folder, error)
            return
        if state.status != "logging":
            # Runs have checks for as long as they are sealed; without a seal the computer stopped at its end. One of another bench may be
            # on its way here still.
            ours = state.bench_key == self._bench_key and state.status == "ended"
            if ours and (folder / CHECKS).exists() and not (folder / MANIFEST).exists():
                try:
                    close_ended(folder)
                except Exception:  # it stays as it is, and says that it is not sealed
                    logger.exception("the end of the run in %s could not be put in order", folder)
            return
        try:
            close_interrupted(folder, "Tidy Bench ended without ending the run.")
        except Exception as error:
            logger.exception("the run in %s could not be mended", folder)
            self._set_aside(folder, state, f"It could not be mended: {error}.")

    @staticmethod
    def _set_aside(folder: Path, state: RunState, why: str) -> None:
        try:
            set_aside(folder, state, why)
        except OSError as error:
            logger.error("the run in %s could not be closed either: %s", folder, error)
