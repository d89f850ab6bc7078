"""One command on its way: what goes out, what is asked after it, what came of it."""

from collections.abc import Callable, Sequence

from tidybench.core.compile.command import REGISTER, CompiledCommand, Meaning
from tidybench.core.curves.piece import CurveEnded
from tidybench.core.exchange.command import Command
from tidybench.core.setup.commands import ErrorQueuePart
from tidybench.core.tape.events import CommandEnded, CommandGiven
from tidybench.core.values.origin import Acting
from tidybench.core.values.outcome import Outcome

STALE = 10_000_000
"""Microseconds after which a command that could not go out yet does not any more: nobody expects it then."""

MOST_ERRORS = 20
"""Entries that are taken out of an error queue after one command."""

QUIET = 120_000
"""Microseconds of silence that end what comes where nothing says what must."""

UNASKED_S = 0.3
"""Seconds in which something may come where nothing need come: a refusal."""


class InstrumentAct:
    """A command that somebody gave. Made by any thread, then its link's alone; `given`, `ended` and `lines` may be looked at, `ended` is
    written last."""

    def __init__(
        self,
        compiled: CompiledCommand,
        number: int,
        values: dict[str, float | str],
        by: str,
        at: int,
        when_ended: "Callable[[InstrumentAct], None] | None" = None,
    ) -> None:
        """`number` tells it from all others; `by`: who or what asks for it, at `at`. `when_ended` is told, in the link's thread. Raises
        CommandError."""
        self.compiled, self.number, self.by, self.asked_at = compiled, number, by, at
        self.values = compiled.values(values)
        self.sent = compiled.data(self.values)
        self._when_ended = when_ended
        self.given: CommandGiven | None = None
        self.ended: CommandEnded | None = None
        self.lines: list[bytes] = []
        self._errors: list[str] | None = None  # of the queue, while it is asked
        self._meaning: Meaning | None = None
        self._reading_back = False
        self._drawn: CurveEnded | None = None

    @property
    def starts(self) -> str:
        """The curve that is its answer, "" for none."""
        return "" if self._errors is not None else self.compiled.part.starts

    @property
    def origin(self) -> Acting:
        """What stands on the tape with all that it sends."""
        return Acting(self.compiled.setup.instrument.id, self.compiled.part.id, self.number)

    def command(self) -> Command:
        """What goes out first."""
        part = self.compiled.part
        return self._made(
            self.sent, part.give_up_after_s if self._expects else min(part.give_up_after_s, 0.3)
        )

    @property
    def _expects(self) -> bool:
        return self.compiled.is_answered

    def _made(self, data: bytes, wait_s: float) -> Command:
        wire = round(len(data) * self.compiled.setup.link.byte_time)
        # An instrument that sweeps may say that it has understood, and nothing for a while.
        quiet = round(wait_s * 1e6) if self.compiled.part.starts else QUIET
        return Command(self.origin, data, round(wait_s * 1e6), quiet, wire_time=wire, act=self)

    def go(self, now: int) -> CommandEnded | None:
        """It is about to go out; gives its end where it may not any more."""
        if self.given is not None:
            return None
        if now - self.asked_at > STALE:
            return self.fail(now, "not sent", f"not sent: the link was busy for {STALE / 1e6:g} s")
        who = self.origin
        self.given = CommandGiven(
            now, self.number, who.instrument, who.command, self.values, self.by, self.asked_at
        )
        return None

    def is_answer(self, line: bytes) -> bool:
        """Whether a line is what is waited for."""
        if self._errors is not None:
            return True
        if self._reading_back:
            return self.compiled.reads_back(line) is not None
        return self.compiled.meaning(self.sent, line).found

    def drawn(self, ended: CurveEnded) -> None:
        """A table of its instrument has ended."""
        self._drawn = ended

    def heard(self, lines: Sequence[bytes], now: int) -> Command | CommandEnded:
        """What came: the next thing to be sent, or the end."""
        if self._reading_back:
            self._reading_back = False
            value = self.values[REGISTER]
            assert not isinstance(value, str)
            return self._end(now, self.compiled.written_and_read(value, lines))
        if self._errors is None:
            self.lines = list(lines)
            self._meaning = self.compiled.came_to(self.sent, lines, self._drawn)
            if self.compiled.reads_it_back and self._meaning.outcome == "answered":
                self._reading_back = True
                return self._made(self.compiled.asks_back(), self.compiled.part.give_up_after_s)
            queue = self.compiled.setup.error_queue
            if queue is None or self.compiled.part.does == "reads":
                return self._end(now, self._meaning)
            self._errors = []
            return self._made(queue.send.encode("latin-1"), queue.wait_s)
        queue = self.compiled.setup.error_queue
        assert queue is not None
        assert self._meaning is not None
        told = [
            text
            for line in lines
            if (text := line.decode("latin-1").strip()) and line != queue.send.encode("latin-1")
        ]
        if told and not told[0].startswith(queue.none) and len(self._errors) < MOST_ERRORS:
            self._errors.append(told[0])
            return self._made(queue.send.encode("latin-1"), queue.wait_s)
        return self._end(now, _with_errors(self._meaning, self._errors, queue, bool(told)))

    def _end(self, now: int, meaning: Meaning) -> CommandEnded:
        who = self.origin
        self.ended = CommandEnded(now, self.number, who.instrument, who.command, meaning.outcome, meaning.words, meaning.fields)  # fmt: skip
        if self._when_ended is not None:
            self._when_ended(self)
        return self.ended

    def fail(self, now: int, outcome: Outcome, words: str) -> CommandEnded:
        """It comes to nothing."""
        return self._end(now, Meaning(False, outcome, words))

    def lost(self, now: int, why: str) -> CommandEnded:
        """The link was lost, or the port was opened again."""
        if self.given is None:
            return self.fail(now, "not sent", f"not sent. {why}")
        return self.fail(now, "not known", f"sent, but it is not known whether it was done. {why}")


def _with_errors(meaning: Meaning, errors: list[str], queue: ErrorQueuePart, heard: bool) -> Meaning:
    if errors:
        said = " / ".join(f"“{one}”" for one in errors)
        return Meaning(True, "refused", f"{meaning.words}; its error queue says {said}", meaning.fields)
    if not heard:
        asked = queue.send.strip()
        return Meaning(meaning.found, meaning.outcome, f"{meaning.words}; its error queue ({asked}) did not answer", meaning.fields)  # fmt: skip
    return meaning
