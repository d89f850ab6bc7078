"""An instrument played from a tape: it answers as the tape's did at about the same time.

The player has a place on the tape, in the tape's own time, which goes on with the clock. A query is answered as the newest one of the
same bytes before that place was; a command that is on the tape moves the place to where it was given, so that what follows is what
followed then.
"""

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, GaveUp, Lost, Received, Sent
from tidybench.core.values.origin import Acting, Asked, Triggered

Answer = tuple[tuple[int, bytes], ...]
"""What came after something was sent: microseconds after it, and bytes."""

LATEST = 5_000_000
"""Microseconds after which what comes is no answer: the instrument talks on its own."""


@dataclass(slots=True)
class _Said:
    """All answers to the same bytes, in order of time."""

    times: list[int] = field(default_factory=list)
    answers: list[Answer] = field(default_factory=list)


@dataclass(slots=True)
class PlayedLink:
    """What was said on one link. `queries` (also start commands and the like) and `commands` by their bytes; `alone_at`, `alone`: what came
    without having been asked, and when. `instruments`: the ids of those that were asked."""

    key: str
    queries: dict[bytes, _Said] = field(default_factory=dict)
    commands: dict[bytes, _Said] = field(default_factory=dict)
    alone_at: list[int] = field(default_factory=list)
    alone: list[bytes] = field(default_factory=list)
    instruments: set[str] = field(default_factory=set)


class Played:
    """A whole tape. `first`, `last`: the times of its first and last event; `place`: where it is played. One thread at a time may use
    it."""

    def __init__(self, events: Iterable[tuple[int, str, Event]]) -> None:
        """As `runs.tape.read_tape` gives them. Raises ValueError where nothing was ever sent or received."""
        self.links: dict[str, PlayedLink] = {}
        self.first = self.last = 0
        out: dict[str, tuple[Sent, list[tuple[int, bytes]]]] = {}
        for _, link, event in events:
            if not link:
                continue
            self.first = self.first or event.at
            self.last = max(self.last, event.at)
            one = self.links.setdefault(link, PlayedLink(link))
            if isinstance(event, Received):
                asked = out.get(link)
                if asked is not None and event.at - asked[0].at <= LATEST:
                    asked[1].append((event.at - asked[0].at, event.data))
                else:
                    one.alone_at.append(event.at)
                    one.alone.append(event.data)
            elif isinstance(event, Sent | GaveUp | Lost):
                _keep(one, out.pop(link, None))
                if isinstance(event, Sent):
                    out[link] = event, []
        for link, asked in out.items():
            _keep(self.links[link], asked)
        if not any(one.queries or one.commands or one.alone for one in self.links.values()):
            raise ValueError("Nothing was sent or received on this tape.")
        self.place = self.first

    def call(self, key: str, instruments: set[str]) -> None:
        """The link of these instruments is called so here: it may have been another port then."""
        found = next((one for one in self.links.values() if one.instruments & instruments), None)
        if key not in self.links and found is not None:
            self.links[key] = found

    def introduce(self, setups: Sequence[Setup]) -> None:
        """Who an instrument is was asked when its port was opened, which may have been before the tape: it says what its set-up expects."""
        for setup in setups:
            one, identity = self.links.get(setup.link.address), setup.identity
            if one is None or identity is None or identity.send.encode("latin-1") in one.queries:
                continue
            end = setup.framing.terminator.replace("either", "\r\n") or "\n"
            answer = (20_000, (identity.expect + end).encode("latin-1", "replace"))
            one.queries[identity.send.encode("latin-1")] = _Said([self.first], [(answer,)])

    def go_on(self, microseconds: int) -> None:
        """Time passes; at its end the tape begins again."""
        self.place += microseconds
        if self.place > self.last:
            self.place = self.first + (self.place - self.first) % max(1, self.last - self.first)

    def hear(self, link: str, data: bytes) -> Answer | None:
        """What an instrument of this link says to these bytes, which come whole; None where the tape has nothing like them."""
        one = self.links.get(link)
        if one is None:
            return None
        if (command := one.commands.get(data)) is not None:
            n = min(bisect_right(command.times, self.place), len(command.times) - 1)
            self.place = command.times[n]
            return command.answers[n]
        if (query := one.queries.get(data)) is not None:
            return query.answers[max(0, bisect_right(query.times, self.place) - 1)]
        return None

    def knows(self, link: str, data: bytes) -> bool:
        """Whether a command of these bytes is on the tape."""
        one = self.links.get(link)
        return one is not None and data in one.commands

    def alone(self, link: str, since: int, until: int) -> list[bytes]:
        """What came without having been asked, later than `since` and up to `until`, both places on the tape."""
        one = self.links.get(link)
        if one is None:
            return []
        return one.alone[bisect_right(one.alone_at, since) : bisect_right(one.alone_at, until)]

    def next_alone(self, link: str) -> int | None:
        """Microseconds until something comes that was not asked for; None for nothing more."""
        one = self.links.get(link)
        if one is None or (n := bisect_right(one.alone_at, self.place)) >= len(one.alone_at):
            return None
        return one.alone_at[n] - self.place


def _keep(link: PlayedLink, asked: "tuple[Sent, list[tuple[int, bytes]]] | None") -> None:
    if asked is None:
        return
    sent, answer = asked
    if isinstance(sent.origin, Asked | Acting | Triggered):
        link.instruments.add(sent.origin.instrument)
    among = link.commands if isinstance(sent.origin, Acting) else link.queries
    said = among.setdefault(sent.data, _Said())
    said.times.append(sent.at)
    said.answers.append(tuple(answer))
