"""A command that goes out between polls."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from tidybench.core.curves.piece import CurveEnded
from tidybench.core.tape.events import CommandEnded, CommandGiven
from tidybench.core.values.origin import Origin


class Act(Protocol):
    """What a person, a procedure or a reaction wants done: one command, and what is asked after it. One link's."""

    number: int
    given: CommandGiven | None

    @property
    def starts(self) -> str:
        """The curve that is its answer, "" for none."""

    def go(self, now: int) -> CommandEnded | None:
        """Its command is about to go out at `now`: it is `given` then, which stands on the tape before it. Gives its end where it may
        not go out any more."""

    def is_answer(self, line: bytes) -> bool:
        """Whether a line can be what is waited for: nothing more need come then."""

    def drawn(self, ended: CurveEnded) -> None:
        """A table of its instrument has ended: nothing more need come."""

    def heard(self, lines: Sequence[bytes], now: int) -> "Command | CommandEnded":
        """The lines that came upon the newest command: what is to be sent next, or what came of it all."""


@dataclass(slots=True, frozen=True)
class Command:
    """What to send out of turn, and when its answer is whole. Times in microseconds.

    `wait`: for the first byte of an answer; 0 where none is expected. `quiet`: silence that ends it, 0 where only `wait` does.
    `lines`: so many lines end it at once, 0 for silence alone. `act`: says itself which line ends it, and what comes next.
    """

    origin: Origin
    data: bytes
    wait: int
    quiet: int = 60_000
    lines: int = 0
    wire_time: int = 0
    act: Act | None = None
