"""The front end's hashed files: read and packed once, and kept by browsers for good."""

import gzip
import mimetypes
from dataclasses import dataclass
from pathlib import Path

import anyio.to_thread
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.responses import Response
from starlette.types import Scope

SMALLEST = 1024
"""Bytes below which a file is sent as it is."""
PACKABLE = {".js", ".css", ".svg"}
"""Fonts are packed already."""


class Assets(StaticFiles):
    """Files whose names have a hash of their content: each stays in memory once it was asked for."""

    def __init__(self, directory: Path) -> None:
        super().__init__(directory=directory)
        self._kept: dict[tuple[str, bool], _Kept] = {}

    async def get_response(self, path: str, scope: Scope) -> Response:
        """Give a file, packed where the browser can unpack it (RFC 9110, 8.4)."""
        packs = "gzip" in Headers(scope=scope).get("accept-encoding", "")
        kept = self._kept.get((path, packs))
        if kept is None or kept.changed != _changed(kept.file):
            found = await super().get_response(path, scope)
            if found.status_code != 200:
                return found
            kept = await anyio.to_thread.run_sync(_read, Path(str(self.directory)) / path, packs)
            self._kept[path, packs] = kept
        return Response(kept.body, 200, kept.headers, kept.media_type)


@dataclass(frozen=True, slots=True)
class _Kept:
    """A file as it is sent."""

    file: Path
    changed: int
    body: bytes
    headers: dict[str, str]
    media_type: str | None


def _changed(file: Path) -> int:
    """When a file was changed last, in nanoseconds; 0: it is gone."""
    try:
        return file.stat().st_mtime_ns
    except OSError:
        return 0


def _read(file: Path, packs: bool) -> _Kept:
    changed = _changed(file)
    body = file.read_bytes()
    headers = {"Cache-Control": "public, max-age=31536000, immutable"}
    if packs and file.suffix in PACKABLE and len(body) >= SMALLEST:
        body = gzip.compress(body, 9)
        headers |= {"Content-Encoding": "gzip", "Vary": "Accept-Encoding"}
    return _Kept(file, changed, body, headers, mimetypes.guess_type(file.name)[0])
