"""What is added to a run after its end: files in `later/`, a JSON object a line, only ever appended to. No seal covers them."""

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from tidybench.runs.folder import LATER

T = TypeVar("T", bound=BaseModel)


def read_lines(folder: Path, name: str, kind: type[T]) -> Iterator[T]:
    """The lines of a file, in order. One that is torn, or that this version does not know, is left out. Raises OSError."""
    try:
        data = (folder / LATER / name).read_bytes()
    except FileNotFoundError:
        return
    for line in data.splitlines():
        try:
            yield kind.model_validate_json(line)
        except ValidationError:
            continue


def append_line(folder: Path, name: str, what: BaseModel) -> None:
    """Add a line, whole and on the disk, or nothing. One thread at a time for a file. Raises OSError."""
    (folder / LATER).mkdir(exist_ok=True)
    line = json.dumps(what.model_dump(mode="json"), ensure_ascii=False) + "\n"
    # Without a buffer: what a full disk refused must not be written when the file is closed.
    with open(folder / LATER / name, "ab+", buffering=0) as file:
        size = file.seek(0, os.SEEK_END)
        file.seek(max(0, size - 1))
        torn = file.read() not in (b"", b"\n")
        rest = memoryview((b"\n" if torn else b"") + line.encode())
        try:
            while rest:
                rest = rest[file.write(rest) :]
            os.fsync(file.fileno())
        except OSError:
            file.truncate(size)
            raise
