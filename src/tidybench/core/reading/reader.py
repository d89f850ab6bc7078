"""From messages to samples: the forms of one query (or listener) and the channels they feed."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tidybench.core.batch import NAN, Batch
from tidybench.core.framing.check import Checker
from tidybench.core.quality import Quality
from tidybench.core.reading.element import Field, Value, convert, whole_number_of
from tidybench.core.reading.form import ErrorReply, Form, Learns
from tidybench.core.reading.pattern import Pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.channel import CombinePart

Target = tuple[int, float, float]
"""What a field feeds: the channel's word, scale, offset."""

_NO_CHANNEL = -1
"""In place of a word: a number that feeds no channel still must be a number."""


@dataclass(slots=True, frozen=True)
class ChannelRule:
    """Which field a channel is made from, and its scaling: value = field x scale + offset. With `states` a field that is a
    word gives its place among them."""

    channel: int
    field: str
    scale: float = 1.0
    offset: float = 0.0
    states: tuple[str, ...] = ()
    combine: CombinePart | None = None

    @property
    def target(self) -> Target:
        """Where its values go."""
        return self.channel << 8, self.scale, self.offset


@dataclass(slots=True)
class Counts:
    """How the messages of one reader went."""

    understood: int = 0
    not_understood: int = 0
    passed_over: int = 0  # of those understood: messages without a field
    dashes: int = 0  # messages in a row whose fields had no reading
    bad_checks: int = 0
    last_bad_check: int = 0
    last_bad_body: bytes = b""
    same: int = 0  # messages in a row that were all alike
    last_body: bytes = b""
    last_not_understood: bytes = b""
    last_stop: Stop | None = None
    last_odd: str = ""  # a word that is none of a channel's states
    last_odd_at: int = 0
    refusals: int = 0  # the instrument's own error replies
    last_refusal: str = ""
    last_refused: int = 0
    last_at: int = 0
    recent: int = 0  # of the last 200 messages, a bit each: 1 was not understood
    recent_count: int = 0


@dataclass(slots=True)
class _Program:
    """One form, with what each of its fields feeds. Only plain patterns have `match`."""

    form: Form
    match: Any = None
    plain: list[tuple[int, int, float, float]] = field(default_factory=list)  # numbers that float reads
    bytes: list[tuple[int, int, float, float, Any]] = field(default_factory=list)  # whole numbers in bytes
    rich: list[tuple[int, int, float, float]] = field(default_factory=list)  # those with tokens, widths …
    checked: list[int] = field(default_factory=list)  # rich ones that feed no channel still must be numbers
    states: list[tuple[int, int, dict[str, float]]] = field(default_factory=list)  # words: their values
    targets: list[tuple[str, Target]] = field(default_factory=list)  # of forms that are no plain pattern

    def in_order(self) -> "_Program":
        """By channel: a message's samples stand in the order of the channels, wherever its fields stand."""
        self.plain.sort(key=lambda one: one[1])
        self.bytes.sort(key=lambda one: one[1])
        self.rich.sort(key=lambda one: one[1])
        self.states.sort(key=lambda one: one[1])
        self.targets.sort(key=lambda one: one[1][0])
        return self


class MessageReader:
    """Reads the messages of one query or listener.

    A message no form reads gives a not-understood sample on every channel; a number is never
    taken from it. The instrument's own error replies give samples without a reading.
    """

    def __init__(
        self,
        instrument: str,
        forms: Sequence[Form],
        rules: Sequence[ChannelRule],
        check: Checker | None = None,
        begins: bytes = b"",
        contains: bytes = b"",
    ) -> None:
        self.instrument = instrument
        self._check = check
        self._begins, self._contains = begins, contains
        self.channels = tuple(rule.channel for rule in rules)
        self.counts = Counts()
        self.on_trouble: Callable[[bytes, int, str], None] | None = None
        self._states = {rule.channel << 8: _places(rule.states) for rule in rules if rule.states}
        self._combined = {rule.channel << 8: rule.combine for rule in rules if rule.combine is not None}
        self._programs = [self._program(form, rules) for form in forms]
        self._learners = [form for form in forms if isinstance(form, Learns)]

    @staticmethod
    def _program(form: Form, rules: Sequence[ChannelRule]) -> _Program:
        program = _Program(form)
        if not isinstance(form, Pattern) or form.is_indirect or any(rule.combine for rule in rules):
            program.targets = [(rule.field, rule.target) for rule in rules]
            return program.in_order()
        program.match = form.match
        for index, element in enumerate(form.fields):
            mine = [rule for rule in rules if rule.field == element.name]
            if not element.is_number:
                program.states += [(index, r.channel << 8, _places(r.states)) for r in mine if r.states]
                continue
            always = element in form.elements and not element.counted
            plain = element.plain and always
            whole = always and whole_number_of(element)
            if whole:
                targets = [rule.target for rule in mine] or [(_NO_CHANNEL, 1.0, 0.0)]
                program.bytes.extend((index, *target, whole) for target in targets)
            elif mine:
                (program.plain if plain else program.rich).extend((index, *rule.target) for rule in mine)
            elif plain:
                program.plain.append((index, _NO_CHANNEL, 1.0, 0.0))
            else:
                program.checked.append(index)
        return program.in_order()

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
                    if self.on_trouble is not None:
                        self.on_trouble(body, at, "checksum mismatch")
                    self.nothing(Quality.BAD_CHECK, at, out)
                    continue
                body = checked
            if not self._programs:
                continue
            before = len(words)
            for program in self._programs:
                if program.match is None:
                    good = self._form(program, body, at, out)
                else:
                    matched = program.match(body)
                    if matched is None:
                        continue
                    groups = matched.groups()
                    counts.passed_over += not groups
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
                        if word != _NO_CHANNEL:
                            words.append(word)
                            stamps.append(at)
                            values.append(value)
                    if program.bytes:
                        for index, word, scale, offset, number in program.bytes:
                            if word != _NO_CHANNEL:
                                words.append(word)
                                stamps.append(at)
                                values.append(number(groups[index]) * scale + offset)
                        if program.plain:
                            _sort(out, before)
                    if program.rich and good:
                        good = self._rich(program, groups, at, out)
                        if good and (program.plain or program.bytes):
                            _sort(out, before)
                    if program.states and good:
                        self._words(program, groups, at, out)
                        _sort(out, before)
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
        assert isinstance(program.form, Pattern)
        fields = program.form.fields
        return all(convert(fields[index], groups[index]) is not None for index in program.checked)

    def _rich(self, program: _Program, groups: Sequence[Any], at: int, out: Batch) -> bool:
        assert isinstance(program.form, Pattern)
        empty = False
        for index, word, scale, offset in program.rich:
            if groups[index] is None and program.form.fields[index].counted:
                continue
            got = convert(program.form.fields[index], groups[index])
            if got is None or isinstance(got[1], str):
                return False
            quality, value = got[0], got[1]
            if quality.measured:
                value = value * scale + offset
                if value - value != 0.0:
                    return False
            else:
                value, empty = NAN, True
            out.words.append(word | quality)
            out.times.append(at)
            out.values.append(value)
        self.counts.dashes = self.counts.dashes + 1 if empty else 0
        return True

    def _words(self, program: _Program, groups: Sequence[Any], at: int, out: Batch) -> None:
        assert isinstance(program.form, Pattern)
        for index, word, places in program.states:
            got = convert(program.form.fields[index], groups[index])
            assert got is not None  # only a number may be none
            quality, value = self._state(got, places, at)
            out.words.append(word | quality)
            out.times.append(at)
            out.values.append(value)

    def _state(self, got: Field, places: Mapping[str, float], at: int) -> tuple[Quality, float]:
        """A word's place among the states; of a word that is none of them no number is made. A number is its own place."""
        quality, value = got
        if not isinstance(value, str):
            return quality, value
        place = places.get(value.strip())
        if place is not None:
            return quality, place
        self.counts.last_odd, self.counts.last_odd_at = value.strip()[:40], at
        return Quality.NOT_UNDERSTOOD, NAN

    def _form(self, program: _Program, body: bytes, at: int, out: Batch) -> bool:
        """A form that is no plain pattern: whether it read the message."""
        form = program.form
        if isinstance(form, Learns) and form.learn(body):
            return True
        got = form.read(body)
        if isinstance(got, Stop):
            return False
        if isinstance(got, ErrorReply):
            counts = self.counts
            counts.refusals += 1
            counts.last_refusal, counts.last_refused = got.text[:200], at
            self.nothing(Quality.NO_READING, at, out)
            return True
        self.counts.passed_over += not got
        empty = fed = False
        for name, (word, scale, offset) in program.targets:
            found = got.get(name)
            if found is None:
                continue
            places = self._states.get(word)
            quality, value = found if places is None else self._state(found, places, at)
            combine = self._combined.get(word)
            if combine is not None and not isinstance(value, str):
                quality, value = _combine(combine, quality, value, got.get(combine.other))
            if isinstance(value, str):
                return False
            fed = True
            empty = empty or (not quality.measured and quality is not Quality.NOT_UNDERSTOOD)
            scaled = value * scale + offset if quality.measured else NAN
            if quality.measured and scaled - scaled != 0.0:
                return False
            out.words.append(word | quality)
            out.times.append(at)
            out.values.append(scaled)
        if fed:
            self.counts.dashes = self.counts.dashes + 1 if empty else 0
        return True

    @property
    def forms(self) -> list[Form]:
        """What its messages are read by, in order."""
        return [program.form for program in self._programs]

    def is_mine(self, body: bytes) -> bool:
        """Whether a message on a shared link is this reader's, by how it begins or what it holds."""
        return body.startswith(self._begins) and self._contains in body

    @property
    def is_told_apart(self) -> bool:
        """Whether its messages are known by what they hold."""
        return bool(self._begins or self._contains)

    @property
    def says_how(self) -> bool:
        """Whether anything says how its messages look."""
        return bool(self._programs)

    def understands(self, body: bytes) -> bool:
        """Whether a message can be read, without reading it."""
        checked = self._check(body) if self._check is not None else body
        if checked is None:
            return False
        return any(
            p.match(checked) is not None if p.match else not isinstance(p.form.read(checked), Stop)
            for p in self._programs
        )

    def state(self) -> list[dict[str, Any]]:
        """What its forms learnt; [] where none learns."""
        return [form.state() for form in self._learners]

    def restore(self, states: list[dict[str, Any]]) -> None:
        """Take up what `state` gave."""
        for form, state in zip(self._learners, states, strict=False):
            form.restore(state)

    def _not_understood(self, body: bytes, at: int, out: Batch) -> None:
        counts = self.counts
        counts.not_understood += 1
        counts.last_not_understood = body[:200]
        counts.last_stop = self._furthest(body)
        if self.on_trouble is not None:
            self.on_trouble(body, at, str(counts.last_stop))
        counts.last_at = at
        counts.recent = (counts.recent << 1 | 1) & _RECENT
        counts.recent_count += counts.recent_count < 200
        self.nothing(Quality.NOT_UNDERSTOOD, at, out)

    def _furthest(self, body: bytes) -> Stop:
        stops = []
        for program in self._programs:
            got = program.form.read(body)
            # A scaled value beyond all floats stops nowhere in the message itself.
            stops.append(
                got
                if isinstance(got, Stop)
                else Stop(1, "a value that can be scaled", "one whose scaled value is out of range")
            )
        return max(stops, key=lambda stop: stop.column)

    def nothing(self, quality: Quality, at: int, out: Batch) -> None:
        """A sample without a number on every channel."""
        for channel in self.channels:
            out.add(channel, quality, at)


def _places(states: Sequence[str]) -> dict[str, float]:
    return {name: float(place) for place, name in enumerate(states)}


def _combine(part: CombinePart, quality: Quality, value: float, other: Field | None) -> tuple[Quality, Value]:
    """One number of two fields; a text where they make none."""
    if other is None or isinstance(other[1], str):
        return quality, "a second number"
    worst = max(quality, other[0])
    if not Quality(worst).measured:
        return worst, NAN
    if part.exponent is not None:
        try:
            return worst, value * 10.0 ** other[1]
        except OverflowError:
            return worst, "endless"
    size = 1 << part.bits
    if not (0 <= value < size and value == int(value) and other[1] == int(other[1])):
        return worst, "bits"
    whole = int(other[1]) * size + int(value)
    if part.signed and other[1] >= 0 and int(other[1]) >> (part.bits - 1) & 1:
        whole -= 1 << 2 * part.bits
    return worst, float(whole)


def _sort(out: Batch, begin: int) -> None:
    """Bring the samples from `begin` on, all of one message, into the order of their channels."""
    words = out.words[begin:]
    order = sorted(range(len(words)), key=lambda one: words[one] >> 8)
    values = out.values[begin:]
    out.words[begin:] = [words[one] for one in order]
    out.values[begin:] = [values[one] for one in order]


_RECENT = (1 << 200) - 1
