"""A disk that can really be full: a small tmpfs."""

import contextlib
import subprocess
from collections.abc import Iterator
from pathlib import Path


@contextlib.contextmanager
def small_disk(place: Path, mb: int) -> Iterator[bool]:
    """A disk of its own on this folder, which is made, where this user may mount one; gives whether it is one."""
    place.mkdir(parents=True, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={mb}m", "tmpfs", str(place)]
    mounted = False
    with contextlib.suppress(FileNotFoundError):
        mounted = subprocess.run(command, capture_output=True, check=False).returncode == 0
    try:
        yield mounted
    finally:
        if mounted:
            subprocess.run(["umount", "-l", str(place)], check=False)


def fill(disk: Path) -> Path:
    """Take all that is free, to the last byte; gives the file that does."""
    path = disk / "filled"
    with contextlib.suppress(OSError), open(path, "wb", buffering=0) as file:
        while True:
            file.write(bytes(1 << 16))
    return path
