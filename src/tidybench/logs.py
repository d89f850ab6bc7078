"""Logs: the standard library's logging, one rotated file a process, no secret in it, the last errors kept in sight.

`TIDY_LOG` sets the level (debug, info, warning, error; info unless given). Unexpected errors are logged with their traceback,
whichever thread they end.
"""

import atexit
import logging
import logging.handlers
import os
import queue
import re
import sys
import threading
import time
import traceback
from collections import deque
from datetime import datetime
from pathlib import Path
from types import TracebackType

from pydantic import BaseModel

SIZE, KEPT = 5_000_000, 2
"""Bytes of a log file, and how many older ones are kept."""

MAX_ERRORS = 20
"""Errors that are kept in memory."""

FORMAT = "%(asctime)s.%(msecs)03d %(levelname)s %(name)s: %(message)s"
LEVELS = {"debug": logging.DEBUG, "info": logging.INFO, "warning": logging.WARNING, "error": logging.ERROR}

_SECRETS = re.compile(
    r"(://[^/\s:@]*:)[^@\s]+(@)|((?:token|password|authorization)[\"']?\s*[=:]\s*[\"']?(?:bearer )?)[^\s\"'&,}]+",
    re.I,
)


class LoggedError(BaseModel):
    """A warning or error, for the page that shows the bench's health. `at`: microseconds since 1970 UTC; `detail`: the
    last lines of its traceback."""

    at: int
    level: str
    where: str
    message: str
    detail: str = ""


_LINE = re.compile(r"(\S+) (WARNING|ERROR|CRITICAL) (\S+): (.*)")
TAIL = 65_536
"""Bytes at the end of another process's log that are looked through."""


def errors_in(path: Path) -> list[LoggedError]:
    """Warnings and errors at the end of a log that another process writes, the newest first; [] where there is none."""
    try:
        with open(path, "rb") as file:
            file.seek(max(0, file.seek(0, 2) - TAIL))
            lines = file.read().decode("utf-8", "replace").splitlines()
    except OSError:
        return []
    found = []
    for line in lines:
        match = _LINE.match(line)
        if match is None:
            continue
        try:
            at = datetime.fromisoformat(f"{match[1]}+00:00").timestamp()
        except ValueError:
            continue
        where = match[3].removeprefix("tidybench.")
        found.append(LoggedError(at=round(at * 1e6), level=match[2].lower(), where=where, message=match[4]))
    return found[::-1][:MAX_ERRORS]


class LastErrors(logging.Handler):
    """Keeps the newest warnings and errors. Any thread may look."""

    def __init__(self) -> None:
        super().__init__(logging.WARNING)
        self._kept: deque[LoggedError] = deque(maxlen=MAX_ERRORS)

    def emit(self, record: logging.LogRecord) -> None:
        detail = ""
        if record.exc_info and record.exc_info[0] is not None:
            detail = without_secrets("".join(traceback.format_exception(*record.exc_info)[-4:]))
        self._kept.append(
            LoggedError(
                at=round(record.created * 1e6),
                level=record.levelname.lower(),
                where=record.name.removeprefix("tidybench."),
                message=without_secrets(record.getMessage())[:1000],
                detail=detail[-2000:],
            )
        )

    def newest(self) -> list[LoggedError]:
        """The newest first."""
        return list(reversed(self._kept))


last_errors = LastErrors()


class _Plain(logging.Formatter):
    """One record, without secrets, times in UTC (ISO 8601)."""

    converter = staticmethod(time.gmtime)

    def __init__(self) -> None:
        super().__init__(FORMAT, "%Y-%m-%dT%H:%M:%S")

    def format(self, record: logging.LogRecord) -> str:
        return without_secrets(super().format(record))


def without_secrets(text: str) -> str:
    """The text with passwords and tokens blotted out."""
    return _SECRETS.sub(lambda m: f"{m[1]}…{m[2]}" if m[1] else f"{m[3]}…", text)


def level_wanted() -> int:
    """The level that TIDY_LOG names; info where it names none that there is."""
    return LEVELS.get(os.environ.get("TIDY_LOG", "").strip().lower(), logging.INFO)


_listener: logging.handlers.QueueListener | None = None


def set_up(name: str, folder: Path | None) -> None:
    """Begin to log into `folder`/NAME.log, or to standard error where there is no folder.

    Whoever logs never waits for the file: records go through a queue to a thread of their own.
    """
    global _listener
    finish()
    root = logging.getLogger()
    for old in root.handlers[:]:
        root.removeHandler(old)
    handler: logging.Handler
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        handler = logging.handlers.RotatingFileHandler(
            folder / f"{name}.log", maxBytes=SIZE, backupCount=KEPT, encoding="utf-8", delay=True
        )
    else:
        handler = logging.StreamHandler()
    handler.setFormatter(_Plain())
    records: queue.SimpleQueue[logging.LogRecord] = queue.SimpleQueue()
    root.addHandler(last_errors)  # first: the queue makes plain text of tracebacks
    root.addHandler(logging.handlers.QueueHandler(records))
    root.setLevel(level_wanted())
    for chatty in ("asyncio", "sqlalchemy", "alembic", "pint"):
        logging.getLogger(chatty).setLevel(max(level_wanted(), logging.WARNING))
    logging.raiseExceptions = False  # a full disk must not fill standard error
    sys.excepthook = _unexpected
    threading.excepthook = _unexpected_in_thread
    _listener = logging.handlers.QueueListener(records, handler)
    _listener.start()


def finish() -> None:
    """Write what is still in the queue. Before a process ends by itself."""
    global _listener
    listener, _listener = _listener, None
    if listener is not None:
        listener.stop()


atexit.register(finish)


def _unexpected(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    if not issubclass(kind, KeyboardInterrupt):
        logging.getLogger("tidybench").critical("unexpected error", exc_info=(kind, error, trace))


def _unexpected_in_thread(args: threading.ExceptHookArgs) -> None:
    if args.exc_value is not None:
        name = args.thread.name if args.thread is not None else "a thread"
        logging.getLogger("tidybench").critical(
            "%s ended by an unexpected error",
            name,
            exc_info=(args.exc_type, args.exc_value, args.exc_traceback),
        )
