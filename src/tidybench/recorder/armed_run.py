"""A run that waits for what begins it."""

import logging
from collections.abc import Callable, Mapping, Sequence

from tidybench.core.plan.begin_watch import BeginWatch, Occasion
from tidybench.core.values.channel import Channel
from tidybench.recorder.planned_begin import begin_watch
from tidybench.recorder.state import Armed
from tidybench.runs.entry import Entry
from tidybench.wire.runs import ArmedStatus

logger = logging.getLogger(__name__)

AGAIN = 1_000_000
"""Microseconds after which a run that could not begin is tried again."""


class ArmedRun:
    """The writer's alone."""

    def __init__(self, armed: Armed, channels: Mapping[str, Channel]) -> None:
        """`channels` of the bench, by id."""
        self.armed = armed
        self._watch: BeginWatch = begin_watch(armed.plan.begins, armed.armed_at, channels)
        self._trouble = ""
        self._not_before = 0

    def know(self, channels: Mapping[str, Channel]) -> None:
        """The bench has other channels. What must hold for a time begins again."""
        self._watch = begin_watch(self.armed.plan.begins, self.armed.armed_at, channels)

    def look(self, entries: Sequence[Entry], now: int, beyond: Callable[[int, int], bool]) -> Occasion | None:
        """What begins it, after these entries; None where it still waits. `beyond`: see BeginWatch.look."""
        for entry in entries:
            if entry.batch is not None:
                self._watch.take(entry.batch)
        return self._watch.look(now, beyond) if now >= self._not_before else None

    def begins(self, now: int) -> None:
        """It is about to begin; where that does not come about it is tried again."""
        self._not_before = now + AGAIN

    def refused(self, why: str) -> None:
        """It could not begin."""
        if why != self._trouble:
            logger.error("the run “%s” could not begin: %s", self.armed.plan.name, why)
        self._trouble = why

    @property
    def in_the_way(self) -> str:
        """Why no other one can begin, or wait."""
        return f"The run “{self.armed.plan.name}” waits to begin. Begin it now, or call it off first."

    def status(self) -> ArmedStatus:
        """How it stands."""
        troubles = [f"The run “{self.armed.plan.name}” was to begin, and could not: {self._trouble}"] * bool(
            self._trouble
        )
        if self._watch.gone:
            gone = ", ".join(f"“{key}”" for key in self._watch.gone)
            troubles.append(
                f"The run “{self.armed.plan.name}” waits for {gone}, not on the bench any more. Connect its instrument, or call "
                "the run off."
            )
        plan = self.armed.plan
        return ArmedStatus(
            id=self.armed.id,
            name=plan.name,
            item=plan.item,
            operator=plan.operator,
            begins=plan.begins,
            begins_at=self._watch.at,
            armed_at=self.armed.armed_at,
            troubles=troubles,
        )
