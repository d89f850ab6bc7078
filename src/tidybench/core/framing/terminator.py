"""Messages that end with terminator bytes."""

import re
from typing import Any

from tidybench.core.framing.buffer import Buffered
from tidybench.core.framing.framer import Cut

_EITHER = re.compile(rb"[\r\n]+")

WHOLE_AFTER = 500_000
"""Silence after opening (microseconds) after which the first piece counts as whole."""


MANY = 4
"""Messages in one piece from which on they are looked at together."""


class TerminatorFramer(Buffered):
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
        super().__init__(byte_time, longest)
        self._terminator = terminator
        self._prompt = prompt
        self._opened_at = 0
        self._fresh = False  # nothing received since an opening in the middle of talk
        self._skipping = False  # inside a piece that is to be dropped up to its terminator

    def opened(self, at: int, whole: bool) -> None:
        super().opened(at, whole)
        self._opened_at = at
        self._fresh = not whole
        self._skipping = False

    def follows(self, before: bytes) -> None:
        end = self._terminator
        whole = before.endswith((b"\r", b"\n") if end is None else end) or not before
        # What goes on in the middle of a message is dropped, however long nothing came.
        self._fresh, self._skipping = False, not whole

    def asked(self, query: bytes, at: int) -> None:
        super().asked(query, at)
        self._skipping = False

    def state(self) -> dict[str, Any]:
        return {
            **super().state(),
            "opened": self._opened_at,
            "fresh": self._fresh,
            "skipping": self._skipping,
        }

    def restore(self, state: dict[str, Any]) -> None:
        super().restore(state)
        self._opened_at = state["opened"]
        self._fresh, self._skipping = state["fresh"], state["skipping"]

    def may_end(self, data: bytes) -> bool:
        if self._prompt and self._prompt[-1:] in data:
            return True
        if self._terminator is None:
            return b"\r" in data or b"\n" in data
        return self._terminator[-1:] in data

    def feed(self, data: bytes, at: int) -> Cut:
        cut, buffer = Cut(), self._buffer
        if self._fresh:
            first = self._buffer.begun(len(data), at)
            self._skipping = first - self._opened_at < WHOLE_AFTER
            self._fresh = False
        if len(buffer):
            buffer.add(data, at)
            # Only what is new is searched: what waits has no end in it.
            ends = buffer.find(self._terminator) >= 0 if self._terminator else self.may_end(data)
            if ends:
                self._split(buffer.take(len(buffer)), cut)
        else:
            buffer.read(at)
            self._split(data, cut)
        if self._prompt:
            self._take_prompts(cut)
        # The terminator may be half received: its beginning does not count, and stays.
        begun = 0 if self._terminator is None else len(self._terminator) - 1
        if len(buffer) > self._longest + begun:
            cut.overlong += not self._skipping
            cut.stray += len(buffer) - begun
            buffer.drop(len(buffer) - begun)
            self._skipping = True
        return cut

    def _split(self, data: bytes, cut: Cut) -> None:
        """Messages out of bytes that are in no buffer; what is left goes into it."""
        if self._terminator is None:
            rest = self._split_either(data, cut)
        else:
            rest = self._split_exact(data, self._terminator, cut)
        if rest:
            self._buffer.put(rest)

    def _split_exact(self, data: bytes, terminator: bytes, cut: Cut) -> bytes:
        parts = data.split(terminator)
        rest = parts.pop()
        if parts:
            step, longest = len(terminator), self._longest
            after, afters = len(data), []
            bodies = cut.bodies
            if len(parts) >= MANY and not self._skipping:
                sizes = list(map(len, parts))
                if min(sizes) and max(sizes) <= longest:  # nearly always
                    bodies += parts
                    cut.times = self._buffer.times([after := after - size - step for size in sizes])
                    return rest
            for body in parts:
                size = len(body)
                after -= size + step
                if self._skipping or not size or size > longest:
                    self._pass_over(body, cut)
                else:
                    bodies.append(body)
                    afters.append(after)
            cut.times = self._buffer.times(afters)
        return rest

    def _split_either(self, data: bytes, cut: Cut) -> bytes:
        # A message is whole at its first CR or LF; the rest of a pair is an empty message.
        total, position = len(data), 0
        afters = []
        for match in _EITHER.finditer(data):
            body, position = data[position : match.start()], match.end()
            if self._skipping or not body or len(body) > self._longest:
                self._pass_over(body, cut)
            else:
                cut.bodies.append(body)
                afters.append(total - match.start() - 1)
        cut.times = self._buffer.times(afters)
        return data[position:]

    def _pass_over(self, body: bytes, cut: Cut) -> None:
        """What is no message: the rest of one that was to be dropped, nothing at all, or too much."""
        cut.stray += len(body)
        if self._skipping:
            self._skipping = False
        elif body:
            cut.overlong += 1

    def _take_prompts(self, cut: Cut) -> None:
        prompt, buffer = self._prompt, self._buffer
        while buffer[: len(prompt)] == prompt:
            buffer.drop(len(prompt))
            cut.prompts += 1
        if any(body.startswith(prompt) for body in cut.bodies):
            kept = []
            for body, time in zip(cut.bodies, cut.times, strict=True):
                while body.startswith(prompt):
                    body = body[len(prompt) :]  # of before this message: it ends nothing that comes here
                if body:
                    kept.append((body, time))
            cut.bodies, cut.times = [body for body, _ in kept], [time for _, time in kept]
