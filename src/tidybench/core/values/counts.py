"""What went by in a run."""

from dataclasses import dataclass


@dataclass(slots=True)
class RunCounts:
    """Counts of a run so far, exact at the tape's line `sequence`."""

    sequence: int = 0
    polls: int = 0
    missed: int = 0
    gave_up: int = 0
    lost: int = 0
