"""The seal of a run: SHA-256 sums (FIPS 180-4) of all its files, and whether they still are what they were."""

import hashlib
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

from pydantic import BaseModel, ValidationError

from tidybench.runs.chain import broken
from tidybench.runs.checks import all_checks, holds, newest_checks
from tidybench.runs.disk import synced_folders
from tidybench.runs.folder import AGAIN, LATER, MANIFEST
from tidybench.runs.run_state import read_state
from tidybench.runs.sealed_file import SealedFile, sealed_file, sha256_of
from tidybench.runs.stamps import Stamps
from tidybench.runs.taken_out import taken_out
from tidybench.runs.whole import sync_file, write_whole


class Manifest(BaseModel):
    """What manifest.json holds. `sealed_at` in microseconds since 1970 UTC."""

    format: int = 1
    id: str
    sealed_at: int
    files: list[SealedFile]


class Seal(BaseModel):
    """A run's seal. `fingerprint`: the first 32 digits of the manifest's own SHA-256; who notes it elsewhere has the whole run
    fixed by it."""

    sealed_at: int
    fingerprint: str
    files: int
    bytes: int


class Verified(BaseModel):
    """What comparing gave: a sentence each for what differs; none where nothing has changed. `taken_out`: what was taken out of it since to free the disk, in a
    sentence; "" for nothing. That is no problem: it was compared before."""

    seal: Seal
    problems: list[str]
    taken_out: str = ""
    checked_at: int


class SealError(ValueError):
    """There is no seal, or it cannot be read; the message says so in a sentence."""


def seal(folder: Path) -> Manifest:
    """Sum up the files of a run that has ended, and keep that in its folder. Any thread; it takes as long as reading them. Raises
    OSError."""
    state = read_state(folder)
    files = []
    for path in _files(folder):
        files.append(sealed_file(folder, path))
        sync_file(path)  # a seal that outlives a power cut must not speak of bytes that did not
    synced_folders({(folder / file.path).parent for file in files})()
    manifest = Manifest(id=state.id, sealed_at=time.time_ns() // 1000, files=files)
    write_whole(folder / MANIFEST, manifest.model_dump_json(indent=1))
    return manifest


def sealed_files(folder: Path) -> list[SealedFile]:
    """The files that a run was sealed with. Raises SealError, OSError."""
    return _manifest(folder)[1].files


def _manifest(folder: Path) -> tuple[bytes, Manifest]:
    try:
        data = (folder / MANIFEST).read_bytes()
    except FileNotFoundError:
        raise SealError(
            "The run is not sealed: it goes on, was logged before runs were sealed, or the computer stopped at its end."
        ) from None
    try:
        return data, Manifest.model_validate_json(data)
    except ValidationError:
        raise SealError(f"The seal itself was changed: {MANIFEST} cannot be read.") from None


def seal_of(folder: Path) -> Seal:
    """The seal as it stands in the folder, without comparing anything. Raises SealError, OSError."""
    data, manifest = _manifest(folder)
    return Seal(
        sealed_at=manifest.sealed_at,
        fingerprint=hashlib.sha256(data).hexdigest()[:32],
        files=len(manifest.files),
        bytes=sum(file.size for file in manifest.files),
    )


def verify(folder: Path) -> Verified:
    """Compare a run's files with its seal. Any thread; it takes as long as reading them. Raises SealError, OSError."""
    told = seal_of(folder)
    manifest = Manifest.model_validate_json((folder / MANIFEST).read_bytes())
    gone = taken_out(folder)
    problems = []
    if manifest.id != read_state(folder).id:
        problems.append("The seal is that of another run.")
    for file in manifest.files:
        path = folder / file.path
        if not path.resolve().is_relative_to(folder.resolve()):
            problems.append(f"{file.path} is no file of the run: the seal itself was changed.")
        elif not path.is_file():
            if gone is not None and file in gone.files:
                continue
            problems.append(f"{file.path} is gone.")
        elif path.stat().st_size != file.size:
            problems.append(
                f"{file.path} has {path.stat().st_size} bytes instead of {file.size}.{_where(folder, file.path)}"
            )
        elif sha256_of(path) != file.sha256:
            problems.append(f"{file.path} has changed.{_where(folder, file.path)}")
    if gone is None:
        problems += _chain_problem(folder)
    known = {file.path for file in manifest.files}
    problems += [
        f"{name} was added."
        for path in _files(folder)
        if (name := path.relative_to(folder).as_posix()) not in known
    ]
    return Verified(
        seal=told,
        problems=problems,
        taken_out=gone.words if gone is not None else "",
        checked_at=time.time_ns() // 1000,
    )


def _files(folder: Path) -> Iterator[Path]:
    """What a seal covers: all but itself, later versions of the CSV, later marks, and what is being replaced just now."""
    for path in sorted(folder.rglob("*")):
        inside = path.relative_to(folder)
        if path.is_file() and inside.parts[0] not in (AGAIN, LATER, MANIFEST) and path.suffix != ".new":
            yield path


def tape_words(folder: Path) -> str:
    """Of a run without a seal: whether its tape is what was recorded, in a sentence; "" where nothing is known of it."""
    newest = newest_checks(folder)
    if not newest or not newest[-1].chain:
        return ""
    return " ".join(_chain_problem(folder)) or (
        f"Its tape is as it was recorded, up to {_clock(newest[-1].at)}."
    )


def _chain_problem(folder: Path) -> list[str]:
    """Where the tape's chain is broken, in a sentence; none where it holds."""
    try:
        state = read_state(folder)
        found = broken(folder, state.id, ended=state.status != "logging")
    except (OSError, EOFError, zlib.error) as error:
        return [f"The tape cannot be read: {error}."]
    if found is None:
        return []
    before, after = found.before, found.after
    if after is None:
        assert before is not None
        return [f"What the tape has behind {_clock(before.at)} has no link in its chain."]
    since = f"between {_clock(before.at)} and" if before is not None else "before"
    return [f"The tape is not what was recorded {since} {_clock(after.at)}: its chain is broken there."]


_clock = Stamps().milli


def _where(folder: Path, name: str) -> str:
    """When what differs was written, as far as the checks of the run tell; "" where they do not."""
    before, clock = None, _clock
    for check in all_checks(folder):
        for piece in check.pieces:
            if piece.path == folder / name and not holds(piece):
                words = (
                    f"before {clock(check.at)}"
                    if before is None
                    else f"between {clock(before)} and {clock(check.at)}"
                )
                return f" What differs was written {words}."
        before = check.at
    return ""
