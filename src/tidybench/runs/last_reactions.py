"""How reactions stood when a recorder was killed, from the tape of its run."""

from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from tidybench.core.tape.events import CommandEnded, CommandGiven, Reacted, ReactionsStand
from tidybench.core.tape.lines import TapeError
from tidybench.runs.folder import TAPE
from tidybench.runs.tape import number_of, read_kinds, segments

MOST = 3
"""Segments that are read back at most until one tells how all of them stood."""


def asked_by(reaction: str) -> str:
    """Who asks for the commands of a reaction of this name, as it stands on the tape."""
    return f"the reaction “{reaction}”"[:80]


@dataclass(slots=True)
class LastReaction:
    """The last time that a reaction was due. `wanted`: the instrument of each command that it was to give; `given`: how many went out;
    `waiting`: the instruments of those that have not ended, by the commands' numbers."""

    at: int
    standing: str
    before: str
    name: str = ""
    wanted: list[str] = field(default_factory=list)
    given: int = 0
    waiting: dict[int, str] = field(default_factory=dict)

    @property
    def none_given(self) -> bool:
        """None of its commands had gone out: it is due still."""
        return bool(self.wanted) and self.given == 0

    @property
    def open(self) -> list[str]:
        """The instruments of commands of which it is not known whether they were done, or that did not go out behind others that
        did."""
        missing = self.wanted[self.given :] if self.given else []
        return sorted({*self.waiting.values(), *missing})


def last_reactions(folder: Path) -> dict[str, LastReaction]:
    """By the reactions' ids, from the tape of a run folder; it may be torn at its end. Raises OSError."""
    tape = folder / TAPE
    newest = segments(tape)
    found: dict[str, LastReaction] = {}
    for place, path in reversed(list(enumerate(newest))[-MOST:]):
        if _read(tape, number_of(path), found := {}):
            # A command may have been on its way when this segment began.
            _read(tape, number_of(newest[max(0, place - 1)]), found := {})
            break
    return found


def _read(tape: Path, first: int, found: dict[str, LastReaction]) -> bool:
    """Whether it was told how all of them stood."""
    told = False
    with suppress(TapeError):  # its last line was being written
        for _, _, event in read_kinds(tape, "reactions", "reaction", "command", "command ended", first=first):
            if isinstance(event, ReactionsStand):
                told = True
                for id, standing in event.reacted.items():
                    if id not in found or found[id].standing != standing:
                        found[id] = LastReaction(event.at, standing, standing)
            elif isinstance(event, Reacted):
                found[event.reaction] = LastReaction(event.at, event.standing, event.before, event.name, event.instruments)  # fmt: skip
            elif isinstance(event, CommandGiven):
                for one in found.values():
                    if one.name and asked_by(one.name) == event.by and event.asked_at == one.at:
                        one.given += 1
                        one.waiting[event.number] = event.instrument
            elif isinstance(event, CommandEnded):
                for one in found.values():
                    one.waiting.pop(event.number, None)
    return told
