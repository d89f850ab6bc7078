"""A disk that is really full: a small tmpfs."""

import subprocess
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import pytest

PAGE = 4096
"""A file takes room by so many bytes: one that ends within may grow where nothing is free."""


@contextmanager
def small_disk(place: Path, mb: int) -> Iterator[Path]:
    """A disk of its own on this folder, which is made. Skips the test where nobody may mount one."""
    place.mkdir(exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={mb}m", "tmpfs", str(place)]
    try:
        why = subprocess.run(command, capture_output=True, text=True).stderr.strip()
    except FileNotFoundError as error:
        why = str(error)
    if why:
        pytest.skip(f"no disk can be mounted here: {why}")
    try:
        yield place
    finally:
        subprocess.run(["umount", "-l", str(place)], check=False)


def fill(disk: Path) -> Path:
    """Take all that is free, to the last byte; gives the file that does."""
    path = disk / "filled"
    with suppress(OSError), open(path, "wb", buffering=0) as file:
        while True:
            file.write(bytes(1 << 16))
    return path
