"""What is sent around a session: who are you, start commands, release commands.

On connecting, an instrument with an identity query is asked who it is; start commands follow when it
is the one expected (or nothing is expected). All of it again when the instrument was restarted: it says
its power-up text, answers again after it was silent, or talks again after it had stopped. Sans-I/O: it
gives commands for the link, and is told how they went.
"""

from collections.abc import Sequence

from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.identity import Identity
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.setup import CommandPart, Setup
from tidybench.core.tape.events import Identified
from tidybench.core.values.origin import IdentityQuery, Origin, ReleaseCommand, StartCommand

ASK_AGAIN = 5_000_000
"""Microseconds until an instrument that has not said who it is is asked again."""

SILENT_POLLS = 2
"""Polls given up in a row after which an answer may be that of a restarted instrument."""

STRANGE_WITHIN = 10_000_000
"""Microseconds after a lost reply in which messages that are not understood any more mean a restart."""


class SessionManager:
    """For the instruments of one link. `identities` and `troubles` are for the reading path."""

    def __init__(self, plan: LinkPlan) -> None:
        self._plan = plan
        self._setups = {s.instrument.id: s for s in plan.setups}
        self.identities: dict[str, Identity] = {
            s.instrument.id: Identity(expected=s.identity.expect, matches=not s.identity.expect)
            for s in plan.setups
            if s.identity is not None
        }
        self.troubles: dict[str, str] = {}
        # Nothing to do, nothing to watch: the hot path asks this first.
        self.active = any(s.identity is not None or s.start for s in plan.setups)
        self._patience = round(
            1e6
            * max(
                [2.0, *(5 * s.listening_interval for s in plan.setups if s.instrument.talks == "on its own")]
            )
        )
        self._last_in = 0
        self._silent = False
        self._power_ups = 0
        self._asked_at = 0

    def opened(self, at: int) -> list[Command]:
        """The link was opened: everything from the beginning."""
        self._last_in, self._silent = at, False
        return [command for setup in self._plan.setups for command in self._greet(setup, at, again=True)]

    def _greet(self, setup: Setup, at: int, again: bool = False) -> list[Command]:
        self._asked_at = at
        self.troubles.pop(setup.instrument.id, None)
        if setup.identity is None:
            return self._start(setup)
        part = setup.identity
        if again:
            self.identities[setup.instrument.id] = Identity(expected=part.expect, matches=not part.expect)
        return [self._made(IdentityQuery(setup.instrument.id), part.send, part.wait_s, part.lines)]

    def _start(self, setup: Setup) -> list[Command]:
        return self._sequence(StartCommand, setup, setup.start)

    def release_commands(self) -> list[Command]:
        """What is sent before the link is given up. Nothing to an instrument that is not the expected one."""
        return [
            command
            for setup in self._plan.setups
            if setup.instrument.id not in self.identities or self.identities[setup.instrument.id].matches
            for command in self._sequence(ReleaseCommand, setup, setup.release)
        ]

    def _sequence(
        self, why: type[StartCommand] | type[ReleaseCommand], setup: Setup, parts: list[CommandPart]
    ) -> list[Command]:
        return [
            self._made(why(setup.instrument.id, n), part.send, part.wait_s, 1 if part.expect else 0)
            for n, part in enumerate(parts, 1)
        ]

    def _made(self, origin: Origin, send: str, wait_s: float, lines: int) -> Command:
        data = send.encode("latin-1")
        wire = round(len(data) * self._plan.link.byte_time)
        return Command(origin, data, round(wait_s * 1e6), lines=lines, wire_time=wire)

    def finished(
        self, origin: Origin, answer: Sequence[bytes], at: int
    ) -> tuple[list[Identified], list[Command]]:
        """A command was answered, or its time is over."""
        if not isinstance(origin, IdentityQuery | StartCommand):
            return [], []
        instrument = origin.instrument
        setup = self._setups[instrument]
        text = [line.decode("latin-1").strip() for line in answer]
        if isinstance(origin, IdentityQuery) and setup.identity is not None:
            expected = setup.identity.expect
            known = self.identities[instrument]
            if not text and known.heard and known.matches:
                return [], []  # it was known already: one lost answer does not make it a stranger
            matches = not expected or any(expected in line for line in text)
            self.identities[instrument] = Identity(expected, tuple(text), bool(text), matches)
            event = Identified(at, instrument, matches, "\n".join(text))
            return [event], self._start(setup) if matches else []
        if isinstance(origin, StartCommand):
            part = setup.start[origin.number - 1]
            if part.expect and not any(part.expect in line for line in text):
                said = f"it answered “{' / '.join(text)}”" if text else "it did not answer"
                self.troubles[instrument] = (
                    f"The start command “{_shown(part.send)}” was to be answered with “{part.expect}”, but {said}. "
                    "The instrument may not be set as it should be."
                )
        return [], []

    def heard(self, reader: LinkReader, at: int) -> list[Command]:
        """Bytes came, and the reader has had them. Gives what is to be sent if an instrument was restarted."""
        quiet, self._last_in = at - self._last_in, at
        if reader.power_ups != self._power_ups:
            self._power_ups = reader.power_ups
            return self._again(at)
        if reader.counts.silent_polls >= SILENT_POLLS:
            self._silent = True
        elif self._silent:
            self._silent = False
            return self._again(at)
        if self._reads_strangely(reader, at):
            return self._again(at)
        if self._plan.talks_alone and quiet > self._patience and reader.counts.messages > 1:
            return self._again(at)
        return []

    def _reads_strangely(self, reader: LinkReader, at: int) -> bool:
        """Whether a reply was lost and those since are not understood: a restart that was over before the
        next poll, with other settings now."""
        lost = reader.counts.last_gave_up
        if not lost or lost < self._asked_at or at - lost > STRANGE_WITHIN:
            return False
        return any(
            r.counts.recent & 0b111 == 0b111 and r.counts.understood for r in self._plan.readers.values()
        )

    @property
    def ask_again_at(self) -> int:
        """When whoever has not said who it is is asked again."""
        return self._asked_at + ASK_AGAIN

    def idle(self, reader: LinkReader, at: int) -> list[Command]:
        """Now and then: whoever has not said who it is is asked again."""
        if not reader.withheld or at < self.ask_again_at:
            return []
        return [e for key in sorted(reader.withheld) for e in self._greet(self._setups[key], at)]

    def _again(self, at: int) -> list[Command]:
        return [command for setup in self._plan.setups for command in self._greet(setup, at)]


def _shown(send: str) -> str:
    return send.replace("\r", "").replace("\n", "")
