"""From samples to the messages of one destination."""

import dataclasses
import json
import math
import re
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from tidybench.core.batch import NAN, Batch
from tidybench.core.forwarding.register_image import register_image
from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.writing import write, write_field
from tidybench.core.setup.destinations import DestinationPart, ToModbus, ToMqtt
from tidybench.core.values.channel import Channel

OLD_AFTER = 3.0
"""Intervals of a channel after which its newest value is old, 1.5 s at the least."""


GOOD = int(Quality.FLAGGED)

_Piece = bytes | tuple[Element, int]
"""Of a pattern: what always stands there, or a field and the place of its channel."""


@dataclasses.dataclass(slots=True)
class _Latest:
    channel: Channel
    field: str
    patience: int
    at: int = 0
    quality: int = int(Quality.NO_READING)
    value: float = NAN
    good_at: int = 0
    good: float = NAN
    key: str = ""  # in JSON, with its colon; so the next
    age_key: str = ""
    words: dict[str, str] = dataclasses.field(default_factory=dict)


def _json(text: str) -> str:
    return json.dumps(text, ensure_ascii=False)


def field_of(channel: str) -> str:
    """A channel's id as the name of a field."""
    name = re.sub(r"[^A-Za-z0-9_]", "_", channel)
    return name if re.match(r"[A-Za-z_]", name) else f"_{name}"


class MessageMaker:
    """Of one destination. One thread at a time may use it."""

    def __init__(self, part: DestinationPart, channels: Mapping[str, Channel]) -> None:
        """`channels`: the bench's, by id. Raises ValueError with a sentence for what does not fit together."""
        self.part = part
        gone = [key for key in part.channels if key not in channels]
        if gone:
            raise ValueError(f"There is no channel “{gone[0]}” on this bench.")
        self._latest: dict[int, _Latest] = {}
        for key in part.channels:
            one = channels[key]
            patience = round(max(one.interval_s * OLD_AFTER, 1.5) * 1e6)
            latest = self._latest[one.number] = _Latest(one, field_of(key), patience)
            latest.key, latest.age_key = f"{_json(key)}:", f"{_json(f'{key} age_s')}:"
            latest.words = {word: _json(word) for word in one.states}
        self._first = channels[part.channels[0]].number
        self._end = b"}" if isinstance(part.to, ToMqtt) else b"}\n"
        self._ordered = list(self._latest.values())
        self._second, self._time = -1, ""
        self._token = part.token.encode("latin-1", "replace")
        self._written_as = _pieces(part, self._ordered) if part.pattern else None

    @property
    def numbers(self) -> frozenset[int]:
        """The numbers of its channels."""
        return frozenset(self._latest)

    def take(self, batch: Batch, count: int | None = None) -> list[bytes]:
        """The samples of one event, or only the first so many: the messages that they make, where it sends with each reading."""
        messages: list[bytes] = []
        time, leads = None, False
        latest = self._latest
        for word, at, value in zip(batch.words[:count], batch.times, batch.values, strict=False):
            one = latest.get(word >> 8)
            if one is None:
                continue
            number = word >> 8
            if leads and (at != time or number == self._first):
                self._add(messages, time or at)
                leads = False
            time = at
            one.at, one.quality = at, word & 0xFF
            one.value = value if one.quality <= GOOD else NAN
            if one.quality <= GOOD:
                one.good, one.good_at = value, at
            leads = leads or number == self._first
        if leads and time is not None:
            self._add(messages, time)
        return messages

    def _add(self, messages: list[bytes], at: int) -> None:
        if self.part.every_s == 0 and (made := self.message(at)) is not None:
            messages.append(made)

    def message(self, now: int) -> bytes | None:
        """The message as of `now` (microseconds since 1970 UTC); None where a value is missing and nothing is sent then."""
        values: list[tuple[_Latest, float | None, int]] = []
        missing = self.part.missing
        for one in self._ordered:
            at = one.at
            value: float | None = one.value if one.quality <= GOOD and now - at <= one.patience else None
            if value is None and missing == "last" and math.isfinite(one.good):
                value, at = one.good, one.good_at
            if value is None and missing == "leave out":
                return None
            values.append((one, value, at))
        if isinstance(self.part.to, ToModbus):
            return register_image(now, [(value, now - at, one.patience) for one, value, at in values])
        return (
            self._json(values, now) if self._written_as is None else self._written(values, self._written_as)
        )

    def _json(self, values: list[tuple[_Latest, float | None, int]], now: int) -> bytes:
        """A JSON object (RFC 8259), on a line but in a message that a broker takes; null where nothing is measured, with the age of a value that is
        the last one. Put together by hand: a number's shortest text is the same in JSON and in Python."""
        second, rest = divmod(now, 1_000_000)
        if second != self._second:
            self._second, self._time = (
                second,
                datetime.fromtimestamp(second, UTC).strftime("%Y-%m-%dT%H:%M:%S"),
            )
        found = [f'{{"time":"{self._time}.{rest:06d}Z"']
        last = self.part.missing == "last"
        for one, value, at in values:
            told = self._told(one, value)
            text = "null" if told is None else one.words[told] if isinstance(told, str) else repr(told)
            found.append(one.key + text)
            if last and value is not None and now - at > one.patience:
                found.append(f"{one.age_key}{round((now - at) / 1e6, 3)!r}")
        return ",".join(found).encode() + self._end

    def _told(self, one: _Latest, value: float | None) -> float | str | None:
        if value is None or not math.isfinite(value):
            return None
        states = one.channel.states
        if states and value == int(value) and 0 <= int(value) < len(states):
            return states[int(value)]
        return value

    def _written(self, values: list[tuple[_Latest, float | None, int]], pieces: Sequence[_Piece]) -> bytes:
        out = bytearray()
        for piece in pieces:
            if isinstance(piece, bytes):
                out += piece
                continue
            element, place = piece
            one, value, _ = values[place]
            told = self._told(one, value)
            if told is None:
                out += self._token
                continue
            if isinstance(told, str) == element.is_number:
                told = value if element.is_number and value is not None else str(told)
            try:
                out += write_field(element, told)
            except ValueError:  # too long for its width: no digit is left away
                out += self._token
        return bytes(out)


def _compiled(part: DestinationPart, latest: list[_Latest]) -> Pattern:
    try:
        pattern = compile_pattern(part.pattern, "latin-1")
    except PatternError as error:
        raise ValueError(f"{part.name}: {error}") from None
    known = {one.field for one in latest}
    for element in pattern.elements:
        if element.kind in ("optional", "skip"):
            raise ValueError(f"{part.name}: what may be absent, or anything, cannot be sent.")
        if element.name and element.name not in known:
            raise ValueError(
                f"{part.name}: “{element.name}” is none of its channels (there are: {', '.join(sorted(known))})."
            )
    if not any(element.name for element in pattern.elements):
        raise ValueError(f"{part.name}: the pattern has no channel in it.")
    return pattern


def _pieces(part: DestinationPart, latest: Sequence[_Latest]) -> list[_Piece]:
    """What is written, one after the other."""
    places = {one.field: place for place, one in enumerate(latest)}
    found: list[_Piece] = []
    for element in _compiled(part, list(latest)).elements:
        found.append((element, places[element.name]) if element.name else write((element,), {}))
    return found
