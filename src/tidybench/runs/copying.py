"""A finished run copied to a folder elsewhere, and compared there with its seal."""

import os
import shutil
from pathlib import Path

from tidybench.runs.disk import synced_folders
from tidybench.runs.seal import SealError, seal_of, verify

PART = ".part"


class CopyError(ValueError):
    """Why a run was not copied, in a sentence."""


def copy_run(folder: Path, to: Path, runs: Path) -> Path:
    """Copy a sealed run below `to`, into a folder of its day; gives the copy, which is whole, verified and on the disk. `to` must be there:
    a share that is not mounted must not be filled with files of this computer. `runs`: where this bench keeps its own. What a copy
    that was broken off has got there already is used again. It takes as long as writing and reading the run. Raises CopyError,
    OSError."""
    if not to.is_dir():
        raise CopyError(f"The folder {to} is not there. Mount it or make it: the copy follows by itself.")
    if to.resolve().is_relative_to(runs.resolve()):
        raise CopyError(f"The folder {to} is where this bench keeps its runs. Choose one elsewhere.")
    try:
        fingerprint = seal_of(folder).fingerprint
    except SealError as error:
        raise CopyError(str(error)) from error
    target = to / folder.parent.name / folder.name
    if target.exists():
        if _is(target, fingerprint):
            return target
        raise CopyError(
            f"{target} is there already, and is another run. Move it away: the copy follows by itself."
        )
    part = target.with_name(target.name + PART)
    for path in sorted(folder.rglob("*")):
        place = part / path.relative_to(folder)
        if path.is_dir():
            place.mkdir(parents=True, exist_ok=True)
        elif not (place.exists() and place.stat().st_size == path.stat().st_size):
            place.parent.mkdir(parents=True, exist_ok=True)
            _copied(path, place)
    problems = verify(part).problems
    if problems or seal_of(part).fingerprint != fingerprint:
        shutil.rmtree(part)
        if own := verify(folder).problems:
            raise CopyError(
                f"The run has changed since it was sealed, and is not copied: {' '.join(own[:3])}"
            )
        raise CopyError(f"The copy was not what the run is: {' '.join(problems[:3])} It is made again.")
    part.rename(target)
    synced_folders([target.parent, to])()
    return target


def _copied(path: Path, place: Path) -> None:
    shutil.copyfile(path, place)
    with open(place, "rb") as file:
        os.fsync(file.fileno())


def _is(target: Path, fingerprint: str) -> bool:
    try:
        return seal_of(target).fingerprint == fingerprint and not verify(target).problems
    except (SealError, OSError, ValueError):
        return False
