"""A capture: a tape, a run folder, a tape saved from the page, or plain bytes."""

import gzip
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Literal

from tidybench.core.tape.events import Event, Hole, Received, Sent
from tidybench.core.tape.lines import TapeError, parse_tape_line
from tidybench.runs.tape import read_tape

Kind = Literal["tape", "saved text", "plain bytes"]
PIECE = 65_536
_SAVED = re.compile(r"(\d{4}-\d\d-\d\dT\S+) {2}(.+?) {2}(<-|->|--) {2}(.*)")


class CaptureError(ValueError):
    """A capture that cannot be read, in a sentence."""


Events = Iterable[tuple[str, Event]]


@dataclass(slots=True)
class Capture:
    """What was captured: events of one or several links, or bytes of which nothing else is known.

    `source` gives the events again each time: the tape of a run of weeks does not fit into memory.
    """

    kind: Kind
    source: Callable[[], Events] = tuple
    data: bytes = b""
    _links: list[str] | None = None

    @property
    def links(self) -> list[str]:
        """The links on it, in order of appearance."""
        if self._links is None:
            self._links = list(dict.fromkeys(link for link, _ in self.source() if link))
        return self._links

    @property
    def has_times(self) -> bool:
        """Whether it is known when what came."""
        return self.kind != "plain bytes"

    def of(self, link: str) -> Iterator[Event]:
        """The events of one link, and the holes of the tape, which concern all."""
        return (event for name, event in self.source() if name == link or type(event) is Hole)


def open_capture(path: Path | None, data: bytes = b"") -> Capture:
    """Read a capture from a file, a run folder, or `data`; raises CaptureError or OSError."""
    if path is not None and path.is_dir():
        tape = path / "tape" if (path / "tape").is_dir() else path
        return Capture("tape", partial(_segments, tape))
    if path is not None:
        data = path.read_bytes()
        if data[:2] == b"\x1f\x8b":
            try:
                data = gzip.decompress(data)
            except (OSError, EOFError) as error:
                raise CaptureError(f"{path}: this is not a whole gzip file ({error}).") from None
    head = data[:200]
    if head.startswith(b'{"n":'):
        events = _tape(data)
        return Capture("tape", lambda: events)
    if _SAVED.match(head.decode("utf-8", "replace")):
        saved = _saved(data)
        return Capture("saved text", lambda: saved)
    return Capture("plain bytes", data=data)


def _segments(tape: Path) -> Iterator[tuple[str, Event]]:
    try:
        for _, link, event in read_tape(tape):
            yield link, event
    except TapeError as error:
        raise CaptureError(f"{tape}: {error}") from None


def _tape(data: bytes) -> list[tuple[str, Event]]:
    events: list[tuple[str, Event]] = []
    lines = data.decode("utf-8", "replace").split("\n")
    for number, line in enumerate(lines, 1):
        if not line:
            continue
        try:
            _, link, event = parse_tape_line(line)
        except TapeError as error:
            if number == len(lines):
                break  # torn off by a crash: the rest is whole
            raise CaptureError(f"line {number}: {error}") from None
        events.append((link, event))
    return events


def _saved(data: bytes) -> list[tuple[str, Event]]:
    """What the page saves as text; which query a line belongs to is not on it."""
    events: list[tuple[str, Event]] = []
    for number, line in enumerate(data.decode("utf-8", "replace").splitlines(), 1):
        found = _SAVED.fullmatch(line)
        if found is None:
            raise CaptureError(f"line {number}: not a line of a saved tape: {line[:80]!r}")
        when, link, arrow, text = found.groups()
        if arrow == "--":
            continue
        try:
            at = round(datetime.fromisoformat(when).timestamp() * 1e6)
            raw = text.encode("ascii").decode("unicode_escape").encode("latin-1")
        except (ValueError, UnicodeError) as error:
            raise CaptureError(f"line {number}: {error}") from None
        events.append((link, Received(at, raw) if arrow == "<-" else Sent(at, raw)))
    return events


def pieces(data: bytes) -> Iterator[bytes]:
    """Plain bytes as reads would give them."""
    for begin in range(0, len(data), PIECE):
        yield data[begin : begin + PIECE]
