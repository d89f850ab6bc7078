"""A disk that is really full, for tests."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from torture.small_disk import fill
from torture.small_disk import small_disk as disk_on

__all__ = ["PAGE", "fill", "small_disk"]

PAGE = 4096
"""A file takes room by so many bytes: one that ends within may grow where nothing is free."""


@contextmanager
def small_disk(place: Path, mb: int) -> Iterator[Path]:
    """A disk of its own on this folder. Skips the test where nobody may mount one."""
    with disk_on(place, mb) as mounted:
        if not mounted:
            pytest.skip("no disk can be mounted here")
        yield place
