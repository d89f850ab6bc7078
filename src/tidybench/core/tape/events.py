"""What happens on a link, in the order it happened.

Every event has `at`, microseconds since 1970 UTC. Events are not frozen, for speed alone: nothing changes one.
`lines` writes one as a line of JSON and reads it back.
"""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.origin import Asked, Origin
from tidybench.core.values.outcome import Outcome


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
    """Bytes written to the link: a query (`poll` counts up per link) or a command (0). `origin`: why it was sent; None
    where the tape does not say."""

    kind: ClassVar[str] = "out"
    at: int
    data: bytes
    poll: int = 0
    origin: Origin | None = None


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
    query: Asked
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
class SetupsInForce:
    """From here on the link's set-ups are others: the files of these names in the run's set-ups. `numbers`: those of
    their channels, by id; {} on tapes before 2026-11-25."""

    kind: ClassVar[str] = "set-up"
    at: int
    files: list[str]
    numbers: dict[str, int] = field(default_factory=dict)


@dataclass(slots=True)
class Zeroed:
    """From here on `amount` is taken off a channel's values (0: nothing any more). `before`: what was taken off until now."""

    kind: ClassVar[str] = "zero"
    at: int
    channel: str
    amount: float
    before: float = 0.0


@dataclass(slots=True)
class PointTaken:
    """A test point was taken, given up, or corrected: as it stands in the run's points (values.point)."""

    kind: ClassVar[str] = "point"
    at: int
    point: dict[str, Any]


@dataclass(slots=True)
class MarkCorrected:
    """The mark made at `mark` has another text from here on."""

    kind: ClassVar[str] = "mark corrected"
    at: int
    mark: int
    text: str
    before: str = ""


@dataclass(slots=True)
class CommandGiven:
    """A command goes out. `number` tells it from all others of the recorder; `values`: what was typed; `by`: who or what asked for
    it; `asked_at`: when."""

    kind: ClassVar[str] = "command"
    at: int
    number: int
    instrument: str
    command: str
    values: dict[str, float | str]
    by: str
    asked_at: int


@dataclass(slots=True)
class CommandEnded:
    """What came of a command: an outcome (values.outcome), in words, and the fields of its answer."""

    kind: ClassVar[str] = "command ended"
    at: int
    number: int
    instrument: str
    command: str
    outcome: Outcome
    words: str
    fields: dict[str, float | str] = field(default_factory=dict)


@dataclass(slots=True)
class Reacted:
    """A reaction is due: its channel has come to stand so (setup.reactions). `before`: how it stood at the last one, "" for not known;
    `value`: what was measured, null for nothing; `does`: what is done, in words; `instruments`: of each command of it, whose it is."""

    kind: ClassVar[str] = "reaction"
    at: int
    reaction: str
    name: str
    standing: str
    before: str
    value: float | None
    does: list[str]
    instruments: list[str] = field(default_factory=list)


@dataclass(slots=True)
class ReactionsStand:
    """A tape, or a segment of it, begins: how each reaction's channel stood when it reacted last, by the reactions' ids."""

    kind: ClassVar[str] = "reactions"
    at: int
    reacted: dict[str, str]


@dataclass(slots=True)
class Hole:
    """From line `first` to this one nothing could be kept: so many events and samples. Links count again from their next
    starting state."""

    kind: ClassVar[str] = "hole"
    at: int
    first: int
    events: int
    samples: int
    since: int = 0


@dataclass(slots=True)
class Note:
    """Something that concerns the whole run: begin, clock step, limits moved, recorder restarted, end."""

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
    | SetupsInForce
    | Zeroed
    | Mark
    | MarkCorrected
    | PointTaken
    | Crossing
    | CommandGiven
    | CommandEnded
    | Reacted
    | ReactionsStand
    | Hole
    | Note
)
