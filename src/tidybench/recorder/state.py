"""recorder.json: what a recorder that was killed needs to carry on."""

import logging
from collections.abc import Callable
from pathlib import Path

from pydantic import BaseModel, model_validator

from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.plan.run_plan import RunPlan
from tidybench.runs.disk import Disk
from tidybench.runs.reserve import Reserve
from tidybench.runs.whole import WholeFile, newest_of, read_newest
from tidybench.wire.reactions import KeptReactions
from tidybench.wire.safe import SafeStatus
from tidybench.wire.setups import SetupText

logger = logging.getLogger(__name__)


class Zero(BaseModel):
    """A channel that was zeroed: what is taken off its values since `at`."""

    amount: float
    at: int


class Armed(BaseModel):
    """A run that waits for what begins it. `armed_at`: microseconds since 1970 UTC."""

    id: str
    plan: RunPlan
    armed_at: int


class KeptProcedure(BaseModel):
    """A procedure that is being carried out. `begun_at` tells it from others. `line`: how far it had come when that was last remembered;
    `inside`: the procedures that it was carrying out, the innermost last. `plans`: those that it begins runs from, `called`: the texts of
    those that it carries out, by their names."""

    name: str
    text: str
    by: str
    begun_at: int
    line: int = 0
    inside: list[str] = []
    plans: dict[str, RunPlan] = {}
    called: dict[str, str] = {}


class RecorderState(BaseModel):
    """Set-ups in force, channel numbers, zeros, released ports, labels, the run in progress, the one that waits, the procedures that
    are carried out, reactions and why some of them are disarmed, destinations, captures that wait or are taken, safe states that were not reached. Never changed in place: a new
    one takes its place once it is written."""

    setups: list[SetupText] = []
    calculations: str = ""
    zeros: dict[str, list[Zero]] = {}
    numbers: dict[str, int] = {}
    released: list[str] = []
    labels: dict[str, str] = {}
    run: str | None = None
    armed: Armed | None = None
    procedures: list[KeptProcedure] = []
    reactions: KeptReactions = KeptReactions()
    disarmed: dict[str, str] = {}
    forwarding: str = ""
    captures: list[CaptureOrder] = []
    unreached: list[SafeStatus] = []

    @model_validator(mode="before")
    @classmethod
    def _one_procedure(cls, found: object) -> object:
        """As it was written while there was one procedure at a time."""
        if isinstance(found, dict) and found.get("procedure") and not found.get("procedures"):
            return {**found, "procedures": [found["procedure"]]}
        return found


class StateFile:
    """What the recorder remembers. Only one thread may `remember`; any may look at `now`."""

    def __init__(self, path: Path, disk: Disk, reserve: Reserve | None = None) -> None:
        self._file = WholeFile(path, disk, lambda error: logger.error("%s: %s", path, error), reserve)
        self.now = _read(path)

    def remember(self, **changes: object) -> RecorderState:
        """Change what is remembered; gives what was remembered before. Safe against a kill when it returns, against a power
        cut a little later. Raises OSError, and has changed nothing, where it cannot be written."""
        before = self.now
        after = before.model_copy(update=changes)
        self._file.put(after.model_dump_json(indent=1))
        self.now = after
        return before

    def take_back(self, before: RecorderState) -> None:
        """What was remembered before, again: what was to come has failed."""
        self.now = before
        try:
            self._file.put(before.model_dump_json(indent=1))
        except OSError as error:
            logger.error("the state could not be taken back: %s", error)


def _read(path: Path) -> RecorderState:
    """The state, or a fresh one where there is none that can be read."""
    parse: Callable[[bytes], RecorderState] = RecorderState.model_validate_json
    try:
        return read_newest(path, parse)
    except FileNotFoundError:
        return RecorderState()
    except ValueError as error:
        logger.error("%s cannot be read and is set aside: %s", path, error)
        newest_of(path).unlink(missing_ok=True)
        path.replace(path.with_suffix(".unreadable"))
        return RecorderState()
