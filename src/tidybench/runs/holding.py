"""How much of the disk a run's folder takes."""

import os
from dataclasses import dataclass
from pathlib import Path

from tidybench.runs.folder import TAPE


@dataclass(slots=True, frozen=True)
class Holding:
    """Bytes of all its files, and of its tape alone."""

    total: int
    tape: int


def holding_of(folder: Path) -> Holding:
    """Of the files there are. It takes as long as listing them. Raises OSError where the folder is not there."""
    total = tape = 0
    waiting = [(os.fspath(folder), False)]
    while waiting:
        place, is_tape = waiting.pop()
        with os.scandir(place) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    waiting.append((entry.path, is_tape or (entry.name == TAPE and place == str(folder))))
                elif entry.is_file(follow_symlinks=False):
                    size = entry.stat(follow_symlinks=False).st_size
                    total += size
                    tape += size if is_tape else 0
    return Holding(total, tape)
