"""Messages that end with terminator bytes."""

import re
from typing import Any

from tidybench.core.framing.framer import Cut, WithoutDeadline

WHOLE_AFTER = 500_000
"""Silence after opening (microseconds) after which the first piece counts as whole."""


class TerminatorFramer(WithoutDeadline):
    """A message is everything up to a terminator; empty ones do not count.

    `terminator`: the bytes that end a message, or None for "either" (CR, LF or both, in any order).
    `byte_time`: microseconds one byte takes on the wire, 0 where arrival times are not to be
    dated back (TCP, UDP, files). `longest`: bytes a message may have without its terminator.
    `prompt`: what the instrument sends, without a terminator, when it is ready for the next command;
    it is taken off; those at the end are counted.

    A message's time is when its terminator's last byte arrived: the time of the read, less the
    wire time of the bytes that came after it in the same read, never before the previous read.
    """

    def __init__(
        self, terminator: bytes | None, byte_time: float = 0.0, longest: int = 4096, prompt: bytes = b""
    ) -> None:
        if terminator == b"":
            raise ValueError("a terminator has at least one byte")
        self._terminator = terminator
        self._byte_time = byte_time
        self._longest = longest
        self._prompt = prompt
        self._rest = b""
        self._floor = 0
        self._opened_at = 0
        self._fresh = False  # nothing received since an opening in the middle of talk
        self._skipping = False  # inside a piece that is to be dropped up to its terminator
        self._either = re.compile(rb"[\r\n]+")

    def opened(self, at: int, whole: bool) -> None:
        self._rest = b""
        self._floor = self._opened_at = at
        self._fresh = not whole
        self._skipping = False

    def asked(self, query: bytes, at: int) -> None:
        self._rest = b""
        self._skipping = False
        self._floor = max(self._floor, at)

    @property
    def pending(self) -> int:
        return len(self._rest)

    def state(self) -> dict[str, Any]:
        return {
            "rest": self._rest.decode("latin-1"),
            "floor": self._floor,
            "opened": self._opened_at,
            "fresh": self._fresh,
            "skipping": self._skipping,
        }

    def restore(self, state: dict[str, Any]) -> None:
        self._rest = state["rest"].encode("latin-1")
        self._floor, self._opened_at = state["floor"], state["opened"]
        self._fresh, self._skipping = state["fresh"], state["skipping"]

    def may_end(self, data: bytes) -> bool:
        if self._prompt and self._prompt[-1:] in data:
            return True
        if self._terminator is None:
            return b"\r" in data or b"\n" in data
        return self._terminator[-1:] in data

    def feed(self, data: bytes, at: int) -> Cut:
        cut = Cut()
        if self._fresh:
            first = at - round(len(data) * self._byte_time)
            self._skipping = first - self._opened_at < WHOLE_AFTER
            self._fresh = False
        buffer = self._rest + data if self._rest else data
        if self._terminator is None:
            self._split_either(buffer, at, cut)
        else:
            self._split_exact(buffer, at, cut)
        if self._prompt:
            self._take_prompts(cut)
        # The terminator may be half received: its beginning does not count, and stays.
        begun = 0 if self._terminator is None else len(self._terminator) - 1
        if len(self._rest) > self._longest + begun:
            cut.overlong += not self._skipping
            cut.stray += len(self._rest) - begun
            self._rest = self._rest[len(self._rest) - begun :]
            self._skipping = True
        self._floor = max(self._floor, at)
        return cut

    def _take_prompts(self, cut: Cut) -> None:
        prompt = self._prompt
        while self._rest.startswith(prompt):
            self._rest = self._rest[len(prompt) :]
            cut.prompts += 1
        if any(body.startswith(prompt) for body in cut.bodies):
            kept = []
            for body, time in zip(cut.bodies, cut.times, strict=True):
                while body.startswith(prompt):
                    body = body[len(prompt) :]  # of before this message: it ends nothing that comes here
                if body:
                    kept.append((body, time))
            cut.bodies, cut.times = [body for body, _ in kept], [time for _, time in kept]

    def _split_exact(self, buffer: bytes, at: int, cut: Cut) -> None:
        terminator = self._terminator
        assert terminator is not None
        parts = buffer.split(terminator)
        self._rest = parts.pop()
        if not parts:
            return
        step = len(terminator)
        after = len(buffer)
        for body in parts:
            after -= len(body) + step
            self._keep(body, after, at, cut)

    def _split_either(self, buffer: bytes, at: int, cut: Cut) -> None:
        # A message is whole at its first CR or LF; the rest of a pair is an empty message.
        total, position = len(buffer), 0
        for match in self._either.finditer(buffer):
            self._keep(buffer[position : match.start()], total - match.start() - 1, at, cut)
            position = match.end()
        self._rest = buffer[position:]

    def _keep(self, body: bytes, after: int, at: int, cut: Cut) -> None:
        if self._skipping:
            self._skipping = False
            cut.stray += len(body)
            return
        if not body:
            return
        if len(body) > self._longest:
            cut.overlong += 1
            cut.stray += len(body)
            return
        time = at - round(after * self._byte_time) if after else at
        cut.bodies.append(body)
        cut.times.append(time if time > self._floor else self._floor)
