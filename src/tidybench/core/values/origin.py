"""Where what is sent comes from, and what reads the answers: keys, not texts.

On the tape an origin is text (`text`); `origin_of` reads it back. Two origins are never equal because their texts are.
"""

from dataclasses import dataclass, field


@dataclass(slots=True, frozen=True)
class Asked:
    """A query of an instrument's set-up, asked by itself or on demand: a poll."""

    instrument: str
    query: str
    _hash: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_hash", hash((self.instrument, self.query)))

    def __hash__(self) -> int:
        # Looked up at every poll: not made again each time.
        return self._hash

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/{self.query}"


@dataclass(slots=True, frozen=True)
class Heard:
    """What an instrument says without being asked."""

    instrument: str


@dataclass(slots=True, frozen=True)
class Triggered:
    """A query's trigger, which is sent before it."""

    instrument: str
    query: str

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/{self.query}/trigger"


@dataclass(slots=True, frozen=True)
class ByHand:
    """A person's command, by its number."""

    number: int

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"command/{self.number}"


@dataclass(slots=True, frozen=True)
class Acting:
    """A command of an instrument's set-up, by its id and the number it was given."""

    instrument: str
    command: str
    number: int

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/command/{self.command}/{self.number}"


@dataclass(slots=True, frozen=True)
class IdentityQuery:
    """An instrument is asked who it is."""

    instrument: str

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/identity"


@dataclass(slots=True, frozen=True)
class StartCommand:
    """A command that is sent on connecting; `number` from 1."""

    instrument: str
    number: int

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/start/{self.number}"


@dataclass(slots=True, frozen=True)
class ReleaseCommand:
    """A command that is sent before the port is given up; `number` from 1."""

    instrument: str
    number: int

    @property
    def text(self) -> str:
        """As it stands on the tape."""
        return f"{self.instrument}/release/{self.number}"


ReaderKey = Asked | Heard
"""What has a reader of its own on a link."""

Origin = Asked | Triggered | ByHand | Acting | IdentityQuery | StartCommand | ReleaseCommand
"""Why something was sent."""


def origin_of(text: str, poll: bool) -> Origin | None:
    """The origin that stands on a tape as `text`, of a poll or not; None for one that says nothing (a tape saved as
    text; the triggers of tapes before 2026-11-25)."""
    first, _, rest = text.partition("/")
    if poll:
        return Asked(first, rest) if rest else None
    what, _, number = rest.partition("/")
    if rest == "identity":
        return IdentityQuery(first)
    if number.isdecimal() and what in ("start", "release"):
        return (StartCommand if what == "start" else ReleaseCommand)(first, int(number))
    if number == "trigger":
        return Triggered(first, what)
    if what == "command" and number:
        command, _, which = number.rpartition("/")
        return Acting(first, command, int(which)) if command and which.isdecimal() else None
    return ByHand(int(rest)) if first == "command" and rest.isdecimal() else None
