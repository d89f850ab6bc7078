"""A file of a run as it was sealed."""

import hashlib
from pathlib import Path

from pydantic import BaseModel


class SealedFile(BaseModel):
    """Its `path` within the run's folder, with slashes; `size` in bytes, `sha256` in hexadecimal digits (FIPS 180-4)."""

    path: str
    size: int
    sha256: str


def sha256_of(path: Path) -> str:
    """The SHA-256 of a file. It takes as long as reading it. Raises OSError."""
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def sealed_file(folder: Path, path: Path) -> SealedFile:
    """A file of a run's folder, summed up. It takes as long as reading it. Raises OSError."""
    return SealedFile(
        path=path.relative_to(folder).as_posix(), size=path.stat().st_size, sha256=sha256_of(path)
    )
