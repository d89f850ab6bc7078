"""The recorder's short memory: the last hour of samples, the newest pieces of tape."""

import time
from collections import deque
from collections.abc import Iterable

from tidybench.core.events import (
    Event,
    GaveUp,
    Identified,
    Lost,
    Missed,
    Note,
    Opened,
    Received,
    Sent,
    SetUp,
    parse_tape_line,
)
from tidybench.core.samples import unpack
from tidybench.wire.messages import GetTape, TapeLine

HOUR = 3_600_000_000
CHUNK = 1_000_000


class SampleRing:
    """Packed samples of the last hour, in chunks of about a second."""

    def __init__(self, span: int = HOUR, most_bytes: int = 96 * 1024 * 1024) -> None:
        self._span, self._most = span, most_bytes
        self._chunks: deque[tuple[int, bytes]] = deque()
        self._size = 0
        self._open = bytearray()
        self._open_since = 0

    def add(self, packed: bytes, now: int) -> None:
        """Take in samples that were packed just now."""
        if not self._open:
            self._open_since = now
        self._open += packed
        if now - self._open_since >= CHUNK or len(self._open) > 1 << 20:
            self._chunks.append((now, bytes(self._open)))
            self._size += len(self._open)
            self._open.clear()
        while self._chunks and (self._chunks[0][0] < now - self._span or self._size > self._most):
            self._size -= len(self._chunks.popleft()[1])

    def since(self, at: int) -> bytes:
        """Packed samples from about `at` on. Any thread may ask: the chunks are copied in one step."""
        chunks = list(self._chunks)
        return b"".join(data for last, data in chunks if last >= at) + bytes(self._open)

    def preload(self, packed: bytes, now: int) -> None:
        """Take in samples of before a restart; older ones than the span are left out."""
        records = unpack(packed)
        recent = records[records["time"] >= now - self._span]
        if len(recent):
            data = recent.tobytes()
            self._chunks.appendleft((int(recent["time"][-1]), data))
            self._size += len(data)


class TapeRing:
    """The newest events as lines of the tape, whether or not a run is on.

    Lines, not events: a hundred thousand objects would be walked through by every collection of
    the interpreter's garbage, just when a poll is due.
    """

    def __init__(self, most: int = 100_000) -> None:
        self._lines: deque[str] = deque(maxlen=most)

    def add(self, lines: Iterable[str]) -> None:
        """Take in lines."""
        self._lines.extend(lines)

    def find(self, wanted: GetTape) -> list[TapeLine]:
        """The newest lines for the eye that pass the filters. Any thread may ask: the ring is copied in one
        step, and looking through all of it lets others have the interpreter."""
        lines: list[TapeLine] = []
        sought = wanted.find.casefold()
        heads: dict[tuple[str, str], str] = {}
        for count, text in enumerate(reversed(list(self._lines))):
            if len(lines) == wanted.last:
                break
            if count % 500 == 499:
                time.sleep(0.0005)
            number = int(text[5 : text.index(",")])  # {"n":123,"t":…
            if wanted.before and number >= wanted.before:
                continue
            if number <= wanted.after:
                break
            line = for_the_eye(*parse_tape_line(text))
            if line is None or (wanted.link and line.link not in ("", wanted.link)):
                continue
            kind = line.kind if line.kind in ("in", "out") else "events"
            if wanted.direction and kind != wanted.direction:
                continue
            if sought:
                # A slow line brings a word in two pieces: the beginning of the next one counts too.
                text_here = line.text.casefold()
                ahead = heads.get((line.link, kind), "")
                heads[line.link, kind] = (text_here + ahead)[: len(sought) - 1]
                if sought not in text_here + ahead:
                    continue
            lines.append(line)
        return lines[::-1]


def for_the_eye(sequence: int, link: str, event: Event) -> TapeLine | None:
    """An event as a line of the tape view; None for those that mean nothing to a person."""
    text = ""
    if isinstance(event, Received | Sent):
        text = event.data[:2000].decode("latin-1")
    elif isinstance(event, GaveUp):
        text = "no reply in time, given up"
    elif isinstance(event, Missed):
        text = f"{event.count} polls missed: the link was busy"
    elif isinstance(event, Lost):
        text = event.reason
    elif isinstance(event, Opened):
        text = f"port open, {event.settings.get('short', '')}"
    elif isinstance(event, Identified):
        said = " / ".join(event.text.split("\n")) or "nothing"
        text = f"{event.instrument} says it is “{said}”{'' if event.matches else ', which was not expected'}"
    elif isinstance(event, SetUp):
        text = (
            "its set-up from here on: " + ", ".join(event.files) if event.files else "no instrument any more"
        )
    elif isinstance(event, Note):
        text = f"{event.what}: {event.text}" if event.text else event.what
    else:
        return None
    why = event.query if isinstance(event, Sent) else ""
    return TapeLine(n=sequence, at=event.at, link=link, kind=event.kind, text=text, why=why)
