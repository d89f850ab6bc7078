"""Browsers that have shown the token: each gets a secret of its own, which ends by itself and can be taken away.

A cookie reaches every program that listens on this computer, whatever its port. So it is never the token, which opens the
bench for ever; only its hash is kept, and taking the file away ends every session.
"""

import hashlib
import json
import secrets
import threading
import time
from collections.abc import Callable
from pathlib import Path

from tidybench.runs.whole import write_whole

LASTS = 14 * 86_400
"""Seconds that a session lasts after it was used last."""

MAX_SESSIONS = 50
"""Sessions that are kept; of more the one used longest ago ends."""

NOTED_EVERY = 3600
"""Seconds between two times that a session's use is noted."""


class Sessions:
    """Kept in a file, so that a restart ends none. Any thread may ask."""

    def __init__(self, path: Path, now: Callable[[], float] = time.time) -> None:
        self._path, self._now = path, now
        self._lock = threading.Lock()
        self._used: dict[str, float] = {}
        self._stamp = 0.0
        self._read()

    def begin(self) -> str:
        """A new session's secret. Works for this process alone where it cannot be kept."""
        secret = secrets.token_urlsafe(32)
        with self._lock:
            self._read()
            self._used[_hash(secret)] = self._now()
            self._keep()
        return secret

    def holds(self, secret: str) -> bool:
        """Whether this is a session's secret, and the session has not ended."""
        if not secret:
            return False
        key, now = _hash(secret), self._now()
        with self._lock:
            self._read()
            used = self._used.get(key)
            if used is None or now - used > LASTS:
                return False
            if now - used > NOTED_EVERY:
                self._used[key] = now
                self._keep()
        return True

    def _read(self) -> None:
        """What another process, or a person, did with the file."""
        try:
            stamp = self._path.stat().st_mtime
        except OSError:
            if self._stamp:
                self._used, self._stamp = {}, 0.0  # taken away: every session has ended
            return
        if stamp == self._stamp:
            return
        try:
            kept = json.loads(self._path.read_text("utf-8"))
            self._used = {str(key): float(at) for key, at in kept.items()}
        except (OSError, ValueError, AttributeError, TypeError):
            self._used = {}
        self._stamp = stamp

    def _keep(self) -> None:
        now = self._now()
        alive = sorted((at, key) for key, at in self._used.items() if now - at <= LASTS)[-MAX_SESSIONS:]
        self._used = {key: at for at, key in alive}
        try:
            write_whole(self._path, json.dumps(self._used))
            self._stamp = self._path.stat().st_mtime
        except OSError:
            self._stamp = 0.0


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
