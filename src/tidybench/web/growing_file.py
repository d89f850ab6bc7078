"""A text file as it stands now, while somebody writes on at its end."""

import os
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

from fastapi.responses import StreamingResponse

PIECE = 1 << 16
LONGEST_LINE = 1 << 20
"""Bytes from the end within which a line's end is looked for."""


class GrowingFile(StreamingResponse):
    """The file's whole lines up to now: its length is told before it is sent, and a line that is just being written is left
    out. What is appended meanwhile is not sent."""

    def __init__(self, path: Path, media_type: str) -> None:
        size = _whole(path)
        headers = {
            "Content-Length": str(size),
            "Content-Disposition": f"attachment; filename*=utf-8''{quote(path.name)}",
        }
        super().__init__(_pieces(path, size), media_type=media_type, headers=headers)


def _whole(path: Path) -> int:
    """Bytes up to the end of the last whole line."""
    with path.open("rb") as file:
        size = file.seek(0, os.SEEK_END)
        first = max(0, size - LONGEST_LINE)
        file.seek(first)
        return first + file.read(size - first).rfind(b"\n") + 1


def _pieces(path: Path, size: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        while size > 0 and (piece := file.read(min(PIECE, size))):
            size -= len(piece)
            yield piece
