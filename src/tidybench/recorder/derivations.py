"""Calculated channels and limits, each from a number of the journal on."""

import logging
from collections import deque

from tidybench.core.derivation import Derivation
from tidybench.core.setup.calculated import Calculations
from tidybench.core.tape.events import Start
from tidybench.core.values.crossing import Crossing
from tidybench.runs.entry import Entry

logger = logging.getLogger(__name__)


class Derivations:
    """The one in force and those that follow it. The writer's alone."""

    def __init__(self) -> None:
        self._kept: deque[tuple[int, Derivation]] = deque([(0, Derivation([], Calculations(), {}))])

    @property
    def newest(self) -> Derivation:
        """As it will be when all that has happened is imported."""
        return self._kept[-1][1]

    def follow(self, sequence: int, derivation: Derivation) -> None:
        """From this number of the journal on, another one; 0 for at once. It takes over how limits stand."""
        derivation.inherit(self.newest)
        self._kept.append((sequence, derivation))

    def feed(self, entry: Entry) -> list[Crossing]:
        """Append the calculated samples that come of an entry to its batch; gives the limits that were crossed. Ask in
        order."""
        kept = self._kept
        while len(kept) > 1 and kept[1][0] <= entry.sequence:
            kept.popleft()
        if type(entry.event) is Start and not entry.link:
            # A segment of a tape begins: what is remembered just here goes onto it.
            entry.event.state = kept[0][1].state()
            return []
        try:
            return kept[0][1].feed(entry.link, entry.event, entry.batch)
        except Exception:  # what is derived fails by itself: what was measured is logged all the same
            logger.exception("what is derived from entry %d failed", entry.sequence)
            return []

    def log_failures(self) -> None:
        """What failed since the last look stands in the log, with its traceback."""
        for _, derivation in self._kept:
            if derivation.failed:
                for name, failure in derivation.failures():
                    logger.error("the calculated channel %s failed", name, exc_info=failure)
