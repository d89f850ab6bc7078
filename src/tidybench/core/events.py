"""What happens on a link, in the order it happened: the lines of the tape.

Events are not frozen, for speed alone: nothing changes one. Every event has `at`, microseconds since 1970 UTC. `tape_line` writes one event as a line of JSON and
`parse_tape_line` reads it back; bytes become text with one character per byte (ISO 8859-1), so
that a technician can read a tape in any editor and a script can get the bytes back exactly.
"""

import json
from dataclasses import dataclass
from functools import lru_cache
from json.encoder import encode_basestring
from typing import Any, ClassVar


class TapeError(ValueError):
    """A line of a tape that cannot be read."""


@dataclass(slots=True)
class Start:
    """The state of a link's reader when a run's tape (or a segment of it) begins."""

    kind: ClassVar[str] = "start"
    at: int
    state: dict[str, Any]


@dataclass(slots=True)
class Opened:
    """The port was opened with these settings; whatever was half received before is void."""

    kind: ClassVar[str] = "open"
    at: int
    settings: dict[str, Any]


@dataclass(slots=True)
class Lost:
    """The link was lost or given up; `reason` in words."""

    kind: ClassVar[str] = "lost"
    at: int
    reason: str


@dataclass(slots=True)
class Received:
    """Bytes read from the link in one piece; `at` is when they were read."""

    kind: ClassVar[str] = "in"
    at: int
    data: bytes


@dataclass(slots=True)
class Sent:
    """Bytes written to the link: a query (`poll` counts up per link, `query` names it) or a command
    (no poll; `query` says why it was sent: "command" typed by a person, or INSTRUMENT/start/1 and so on)."""

    kind: ClassVar[str] = "out"
    at: int
    data: bytes
    poll: int = 0
    query: str = ""


@dataclass(slots=True)
class GaveUp:
    """No whole reply came in time to this poll."""

    kind: ClassVar[str] = "gave-up"
    at: int
    poll: int


@dataclass(slots=True)
class Quiet:
    """The link has been drained after a poll was given up; the next query may go."""

    kind: ClassVar[str] = "quiet"
    at: int


@dataclass(slots=True)
class Missed:
    """Slots of the poll grid that went by without the query being sent."""

    kind: ClassVar[str] = "missed"
    at: int
    query: str
    count: int


@dataclass(slots=True)
class Tick:
    """A deadline of the framing passed with nothing received (silence ends a message)."""

    kind: ClassVar[str] = "tick"
    at: int


@dataclass(slots=True)
class Identified:
    """An instrument was asked who it is; `matches` says whether it is the expected one."""

    kind: ClassVar[str] = "identity"
    at: int
    instrument: str
    matches: bool
    text: str


@dataclass(slots=True)
class SetUp:
    """From here on the link's set-ups are others: the files of these names in the run's set-ups."""

    kind: ClassVar[str] = "set-up"
    at: int
    files: list[str]


@dataclass(slots=True)
class Zeroed:
    """From here on `amount` is taken off a channel's values (0: nothing any more). `before`: what was taken off until now."""

    kind: ClassVar[str] = "zero"
    at: int
    channel: str
    amount: float
    before: float = 0.0


@dataclass(slots=True)
class Note:
    """Something that concerns the whole run: begin, mark, clock step, recorder restarted, end."""

    kind: ClassVar[str] = "note"
    at: int
    what: str
    text: str = ""


Event = (
    Start
    | Opened
    | Lost
    | Received
    | Sent
    | GaveUp
    | Quiet
    | Missed
    | Tick
    | Identified
    | SetUp
    | Zeroed
    | Note
)

_KINDS: dict[str, type[Any]] = {
    cls.kind: cls
    for cls in (
        Start,
        Opened,
        Lost,
        Received,
        Sent,
        GaveUp,
        Quiet,
        Missed,
        Tick,
        Identified,
        SetUp,
        Zeroed,
        Note,
    )
}


def tape_line(sequence: int, link: str, event: Event) -> str:
    """One line of the tape, without its line end."""
    kind = type(event)
    if kind is Received:
        text = encode_basestring(event.data.decode("latin-1"))  # type: ignore[union-attr]
        return f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"in","b":{text}}}'
    if kind is Sent:
        text = encode_basestring(event.data.decode("latin-1"))  # type: ignore[union-attr]
        return (
            f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"out","b":{text},'
            f'"p":{event.poll},"q":{_quoted(event.query)}}}'  # type: ignore[union-attr]
        )
    rest = {name: getattr(event, name) for name in event.__slots__ if name != "at"}
    more = "".join(f",{encode_basestring(k)}:{json.dumps(v, ensure_ascii=False)}" for k, v in rest.items())
    return f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"{event.kind}"{more}}}'


_quoted = lru_cache(4096)(encode_basestring)
"""Links and queries come again and again."""


def parse_tape_line(line: str) -> tuple[int, str, Event]:
    """A line of the tape as (sequence number, link, event).

    Raises TapeError, naming what is wrong, for a line that no version of the tape writes.
    """
    try:
        fields = json.loads(line)
        sequence, at, link = int(fields.pop("n")), int(fields.pop("t")), str(fields.pop("l"))
        cls = _KINDS[fields.pop("k")]
        if cls in (Received, Sent):
            fields["data"] = fields.pop("b").encode("latin-1")
        if cls is Sent:
            fields["poll"], fields["query"] = fields.pop("p"), fields.pop("q")
        return sequence, link, cls(at, **fields)
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise TapeError(f"not a line of a tape ({error}): {line[:80]!r}") from error
