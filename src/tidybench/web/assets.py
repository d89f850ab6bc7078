"""The front end's hashed files: packed once, and kept by browsers for good."""

import gzip
import mimetypes
import os
from functools import lru_cache
from pathlib import Path
from typing import Any

from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.responses import Response
from starlette.types import Scope

SMALLEST = 1024
"""Bytes below which a file is sent as it is."""
PACKABLE = {".js", ".css", ".svg"}
"""Fonts are packed already."""


class Assets(StaticFiles):
    """Files whose names have a hash of their content: they never change."""

    def file_response(
        self,
        full_path: str | os.PathLike[str],
        stat_result: os.stat_result,
        scope: Scope,
        status_code: int = 200,
    ) -> Response:
        """Give a file, packed where the browser can unpack it (RFC 9110, 8.4)."""
        path = Path(full_path)
        response: Response
        if (
            path.suffix in PACKABLE
            and stat_result.st_size >= SMALLEST
            and "gzip" in Headers(scope=scope).get("accept-encoding", "")
        ):
            kept: dict[str, Any] = {"Content-Encoding": "gzip", "Vary": "Accept-Encoding"}
            media_type = mimetypes.guess_type(path.name)[0]
            response = Response(_packed(path, stat_result.st_mtime_ns), status_code, kept, media_type)
        else:
            response = super().file_response(full_path, stat_result, scope, status_code)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


@lru_cache(maxsize=256)
def _packed(path: Path, changed: int) -> bytes:
    """The file's content packed; once for each time that it was changed."""
    return gzip.compress(path.read_bytes(), 9)
