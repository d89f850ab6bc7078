"""Limits that were crossed, kept until a person has seen them: the first cause first."""

from dataclasses import replace

from tidybench.core.values.crossing import OUTAGES, SERIOUS, Crossing
from tidybench.wire.crossings import OpenCrossing

MAX_OPEN = 100
"""Crossings that are kept; of more than these the first and the newest."""


def _of(crossing: Crossing) -> tuple[int, str, bool]:
    """What a crossing is one of: a channel's limits, or its being measured at all."""
    return crossing.channel, "" if crossing.channel else crossing.name, crossing.state in OUTAGES


class OpenCrossings:
    """The writer's alone."""

    def __init__(self) -> None:
        self._open: list[OpenCrossing] = []
        self._next = 1

    def enter(self, crossing: Crossing) -> None:
        """A channel's state changed: a new entry where it is serious, and the end of its earlier one."""
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
        return seen

    def all(self) -> list[OpenCrossing]:
        """What nobody has acknowledged, in the order it happened."""
        return list(self._open)
