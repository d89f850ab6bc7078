"""From messages to samples: the patterns of one query (or listener) and the channels they feed."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from tidybench.core.framing.check import Checker
from tidybench.core.quality import Quality
from tidybench.core.reading.element import convert
from tidybench.core.reading.pattern import Pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.samples import NAN, Batch


@dataclass(slots=True, frozen=True)
class ChannelRule:
    """Which field a channel is made from, and its scaling: value = field x scale + offset."""

    channel: int
    field: str
    scale: float = 1.0
    offset: float = 0.0


@dataclass(slots=True)
class Counts:
    """How the messages of one reader went."""

    understood: int = 0
    not_understood: int = 0
    dashes: int = 0  # messages in a row whose fields had no reading
    bad_checks: int = 0
    last_bad_check: int = 0
    last_bad_body: bytes = b""
    same: int = 0  # messages in a row that were all alike
    last_body: bytes = b""
    last_not_understood: bytes = b""
    last_stop: Stop | None = None
    last_at: int = 0
    recent: int = 0  # of the last 200 messages, a bit each: 1 was not understood
    recent_count: int = 0


@dataclass(slots=True)
class _Program:
    """One pattern, with what each of its fields feeds."""

    pattern: Pattern
    plain: list[tuple[int, int, float, float]]  # group index, word, scale, offset: numbers without tokens
    rich: list[tuple[int, int, float, float]]  # the same for fields with tokens or a flag
    checked: list[int] = field(default_factory=list)  # numbers that feed no channel still must be numbers


class MessageReader:
    """Reads the messages of one query or listener.

    A message no pattern reads gives a not-understood sample on every channel; a number is never
    taken from it.
    """

    def __init__(
        self,
        instrument: str,
        patterns: Sequence[Pattern],
        rules: Sequence[ChannelRule],
        check: Checker | None = None,
    ) -> None:
        self.instrument = instrument
        self._check = check
        self.channels = tuple(rule.channel for rule in rules)
        self.counts = Counts()
        self._programs = [self._program(pattern, rules) for pattern in patterns]

    @staticmethod
    def _program(pattern: Pattern, rules: Sequence[ChannelRule]) -> _Program:
        program = _Program(pattern, [], [])
        for index, element in enumerate(pattern.fields):
            if element.kind not in ("number", "int"):
                continue
            mine = [rule for rule in rules if rule.field == element.name]
            target = program.rich if element.tokens or element.flag else program.plain
            target += [(index, rule.channel << 8, rule.scale, rule.offset) for rule in mine]
            if not mine:
                program.checked.append(index)
        return program

    def read(self, bodies: list[bytes], times: list[int], out: Batch) -> None:
        """Read messages; their samples are appended to `out`."""
        words, stamps, values = out.words, out.times, out.values
        counts = self.counts
        for body, at in zip(bodies, times, strict=True):
            if body == counts.last_body:
                counts.same += 1
            else:
                counts.same, counts.last_body = 1, body
            if self._check is not None:
                checked = self._check(body)
                if checked is None:
                    counts.bad_checks += 1
                    counts.last_bad_check, counts.last_bad_body = at, body[:200]
                    self.nothing(Quality.BAD_CHECK, at, out)
                    continue
                body = checked
            if not self._programs:
                continue
            for program in self._programs:
                matched = program.pattern.match(body)
                if matched is None:
                    continue
                before = len(words)
                groups = matched.groups()
                good = not program.checked or self._all_numbers(program, groups)
                for index, word, scale, offset in program.plain:
                    raw = groups[index]
                    try:
                        value = float(raw)
                    except ValueError:  # blanks after the sign
                        value = float(raw.replace(b" ", b""))
                    value = value * scale + offset
                    if value - value != 0.0:  # infinite or not a number
                        good = False
                        break
                    words.append(word)
                    stamps.append(at)
                    values.append(value)
                if program.rich and good:
                    good = self._rich(program, groups, at, out)
                if good:
                    counts.understood += 1
                    break
                del words[before:], stamps[before:], values[before:]
            else:
                self._not_understood(body, at, out)
                continue
            counts.last_at = at
            counts.recent = counts.recent << 1 & _RECENT
            counts.recent_count += counts.recent_count < 200

    @staticmethod
    def _all_numbers(program: _Program, groups: Sequence[Any]) -> bool:
        fields = program.pattern.fields
        return all(convert(fields[index], groups[index]) is not None for index in program.checked)

    def _rich(self, program: _Program, groups: Sequence[Any], at: int, out: Batch) -> bool:
        empty = False
        for index, word, scale, offset in program.rich:
            got = convert(program.pattern.fields[index], groups[index])
            if got is None:
                return False
            quality, value = got
            if quality.measured:
                assert isinstance(value, float)
                scaled = value * scale + offset
                if scaled - scaled != 0.0:
                    return False
            else:
                scaled, empty = NAN, True
            out.words.append(word | quality)
            out.times.append(at)
            out.values.append(scaled)
        self.counts.dashes = self.counts.dashes + 1 if empty else 0
        return True

    def understands(self, body: bytes) -> bool:
        """Whether a message can be read, without reading it."""
        checked = self._check(body) if self._check is not None else body
        return checked is not None and any(p.pattern.match(checked) is not None for p in self._programs)

    def _not_understood(self, body: bytes, at: int, out: Batch) -> None:
        counts = self.counts
        counts.not_understood += 1
        counts.last_not_understood = body[:200]
        counts.last_stop = self._furthest(body)
        counts.last_at = at
        counts.recent = (counts.recent << 1 | 1) & _RECENT
        counts.recent_count += counts.recent_count < 200
        self.nothing(Quality.NOT_UNDERSTOOD, at, out)

    def _furthest(self, body: bytes) -> Stop:
        stops = []
        for program in self._programs:
            got = program.pattern.read(body)
            # A scaled value beyond all floats stops nowhere in the message itself.
            stops.append(
                got if isinstance(got, Stop) else Stop(1, "a value that can be scaled", "an endless one")
            )
        return max(stops, key=lambda stop: stop.column)

    def nothing(self, quality: Quality, at: int, out: Batch) -> None:
        """A sample without a number on every channel."""
        for channel in self.channels:
            out.add(channel, quality, at)


_RECENT = (1 << 200) - 1
