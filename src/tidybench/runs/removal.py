"""Runs in the bin: their folders stay where they are, with a line in `later/bin.jsonl`, until they are deleted for good."""

import contextlib
import shutil
import threading
import uuid
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.runs.disk import synced_folders
from tidybench.runs.later_lines import append_line, read_lines
from tidybench.runs.run_state import read_state

FILE = "bin.jsonl"

DELETED = ".deleted"
"""The folder, beside those of the days, of what is being deleted: each run in a folder that is called as its id."""

_writing = threading.Lock()


class Removal(BaseModel):
    """A run put in the bin, or taken out of it again (`removed` is false), at `at` (microseconds since 1970 UTC)."""

    removed: bool
    at: int
    by: Annotated[str, Field(max_length=120)] = ""


class RemovalError(ValueError):
    """Why a run stays where it is, in a sentence."""


def removal_of(folder: Path) -> Removal | None:
    """Since when a run is in the bin, and by whom; None where it is not. Raises OSError."""
    newest = None
    for line in read_lines(folder, FILE, Removal):
        newest = line
    return newest if newest is not None and newest.removed else None


def put_in_bin(folder: Path, by: str, now: int) -> Removal:
    """Put a run that has ended in the bin. Any thread. Raises RemovalError, OSError, ValueError."""
    with _writing:
        if read_state(folder).status == "logging":
            raise RemovalError("The run goes on. End it before you remove it.")
        if (there := removal_of(folder)) is not None:
            return there
        removal = Removal(removed=True, at=now, by=by)
        append_line(folder, FILE, removal)
        return removal


def restore(folder: Path, by: str, now: int) -> None:
    """Take a run out of the bin. Any thread. Raises OSError."""
    with _writing:
        if removal_of(folder) is not None:
            append_line(folder, FILE, Removal(removed=False, at=now, by=by))


def delete(runs: Path, folder: Path) -> None:
    """Have a run in the bin deleted for good: from here on it is none of the bench's runs; `deleted_runs` has it until its files are gone. Any thread. Raises RemovalError,
    OSError, ValueError."""
    with _writing:
        state = read_state(folder)
        if removal_of(folder) is None:
            raise RemovalError(f"“{state.name}” is not in the bin any more: it was restored meanwhile.")
        place = runs / DELETED / state.id
        place.mkdir(parents=True, exist_ok=True)
        folder.rename(place / folder.name)
        synced_folders([place, folder.parent])()


def deleted_runs(runs: Path) -> list[tuple[uuid.UUID, Path]]:
    """What is being deleted: the runs' ids, and where their files are. Raises OSError."""
    found = []
    try:
        for path in (runs / DELETED).iterdir():
            with contextlib.suppress(ValueError):  # no run's id: somebody else put it there
                found.append((uuid.UUID(path.name), path))
    except FileNotFoundError:
        pass
    return found


def wipe(place: Path) -> None:
    """Delete what `deleted_runs` gave. It takes as long as deleting its files. Raises OSError."""
    shutil.rmtree(place)
