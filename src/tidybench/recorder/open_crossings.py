"""Limits that were crossed, kept until a person has seen them: the first cause first."""

import logging
from dataclasses import replace

from pydantic import TypeAdapter

from tidybench.core.values.crossing import OUTAGES, SERIOUS, Crossing
from tidybench.runs.whole import WholeFile, read_newest
from tidybench.wire.crossings import OpenCrossing

logger = logging.getLogger(__name__)
MAX_OPEN = 100
"""Crossings that are kept; of more than these the first and the newest."""


def _of(crossing: Crossing) -> tuple[int, str, bool]:
    """What a crossing is one of: a channel's limits, or its being measured at all."""
    return crossing.channel, "" if crossing.channel else crossing.name, crossing.state in OUTAGES


_KEPT: TypeAdapter[list[OpenCrossing]] = TypeAdapter(list[OpenCrossing])


class OpenCrossings:
    """The writer's alone. With a file they outlive the recorder: what nobody has seen calls again."""

    def __init__(self, file: WholeFile | None = None) -> None:
        self._file = file
        self._open: list[OpenCrossing] = _read(file) if file is not None else []
        self._next = max((entry.id for entry in self._open), default=0) + 1
        # What was going on when an earlier recorder ended, and has not been heard of since.
        self._known = {_of(entry.crossing) for entry in self._open if not entry.back_at}

    def going_on(self) -> list[Crossing]:
        """What was going on when an earlier recorder ended, and has not been heard of since."""
        return [e.crossing for e in self._open if not e.back_at and _of(e.crossing) in self._known]

    def resume(self, crossing: Crossing) -> bool:
        """The first that is heard after a restart of what it is one of: gives whether it goes on as it was, and nobody need be
        called again. Where all is well, it was over meanwhile."""
        mine = _of(crossing)
        if mine not in self._known:
            return False
        self._known.discard(mine)
        for index, entry in enumerate(self._open):
            if _of(entry.crossing) != mine or entry.back_at:
                continue
            if entry.crossing.state == crossing.state:
                return True
            if crossing.state not in SERIOUS:
                self._open[index] = entry.model_copy(update={"back_at": crossing.at})
                self._keep()
        return False

    def enter(self, crossing: Crossing) -> None:
        """A channel's state changed: a new entry where it is serious, and the end of its earlier one."""
        before = list(self._open)
        self._enter(crossing)
        if self._open != before:
            self._keep()

    def _enter(self, crossing: Crossing) -> None:
        for index, entry in enumerate(self._open):
            if _of(entry.crossing) == _of(crossing) and not entry.back_at:
                self._open[index] = entry.model_copy(update={"back_at": crossing.at})
        if crossing.state not in SERIOUS:
            return
        if len(self._open) >= MAX_OPEN:
            del self._open[MAX_OPEN // 2]
        self._open.append(OpenCrossing(id=self._next, crossing=replace(crossing)))
        self._next += 1

    def acknowledge(self, ids: list[int]) -> list[OpenCrossing]:
        """A person has seen these; gives those that were open."""
        seen = [entry for entry in self._open if entry.id in ids]
        self._open = [entry for entry in self._open if entry.id not in ids]
        self._keep()
        return seen

    def _keep(self) -> None:
        if self._file is None:
            return
        try:
            self._file.put(_KEPT.dump_json(self._open).decode())
        except OSError as error:  # they call all the same, as long as this recorder lives
            logger.error("%s: %s", self._file.path, error)

    def all(self) -> list[OpenCrossing]:
        """What nobody has acknowledged, in the order it happened."""
        return list(self._open)


def _read(file: WholeFile) -> list[OpenCrossing]:
    try:
        return read_newest(file.path, _KEPT.validate_json)
    except FileNotFoundError:
        return []
    except (OSError, ValueError) as error:
        logger.error("%s cannot be read: %s", file.path, error)
        return []
