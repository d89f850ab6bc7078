"""From samples to the messages of one destination."""

import json
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from tidybench.core.batch import NAN, Batch
from tidybench.core.forwarding.register_image import register_image
from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.writing import write
from tidybench.core.setup.destinations import DestinationPart, ToModbus, ToMqtt
from tidybench.core.values.channel import Channel

OLD_AFTER = 3.0
"""Intervals of a channel after which its newest value is old, 1.5 s at the least."""


@dataclass(slots=True)
class _Latest:
    channel: Channel
    field: str
    patience: int
    at: int = 0
    quality: int = int(Quality.NO_READING)
    value: float = NAN
    good_at: int = 0
    good: float = NAN


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
            self._latest[one.number] = _Latest(one, field_of(key), patience)
        self._first = channels[part.channels[0]].number
        self._end = b"" if isinstance(part.to, ToMqtt) else b"\n"
        self._pattern = _compiled(part, list(self._latest.values())) if part.pattern else None

    @property
    def numbers(self) -> frozenset[int]:
        """The numbers of its channels."""
        return frozenset(self._latest)

    def take(self, batch: Batch) -> list[bytes]:
        """The samples of one event: the messages that they make, where it sends with each reading."""
        messages: list[bytes] = []
        time, leads = None, False
        latest = self._latest
        for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
            one = latest.get(word >> 8)
            if one is None:
                continue
            number = word >> 8
            if leads and (at != time or number == self._first):
                self._add(messages, time or at)
                leads = False
            time = at
            one.at, one.quality = at, word & 0xFF
            one.value = value if one.quality <= Quality.FLAGGED else NAN
            if one.quality <= Quality.FLAGGED:
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
        for one in self._latest.values():
            fresh = one.quality <= Quality.FLAGGED and now - one.at <= one.patience
            value: float | None = one.value if fresh else None
            at = one.at
            if value is None and self.part.missing == "last" and math.isfinite(one.good):
                value, at = one.good, one.good_at
            if value is None and self.part.missing == "leave out":
                return None
            values.append((one, value, at))
        if isinstance(self.part.to, ToModbus):
            return register_image(now, [(value, now - at, one.patience) for one, value, at in values])
        return self._json(values, now) if self._pattern is None else self._written(values)

    def _json(self, values: list[tuple[_Latest, float | None, int]], now: int) -> bytes:
        """A JSON object (RFC 8259), on a line but in a message that a broker takes; null where nothing is measured, with the age of a value that is the last one."""
        time = (
            datetime.fromtimestamp(now / 1e6, UTC).isoformat(timespec="microseconds").replace("+00:00", "Z")
        )
        found: dict[str, object] = {"time": time}
        for one, value, at in values:
            found[one.channel.id] = self._told(one, value)
            if self.part.missing == "last" and value is not None and now - at > one.patience:
                found[f"{one.channel.id} age_s"] = round((now - at) / 1e6, 3)
        return json.dumps(found, separators=(",", ":"), ensure_ascii=False).encode() + self._end

    def _told(self, one: _Latest, value: float | None) -> float | str | None:
        if value is None or not math.isfinite(value):
            return None
        states = one.channel.states
        if states and value == int(value) and 0 <= int(value) < len(states):
            return states[int(value)]
        return value

    def _written(self, values: list[tuple[_Latest, float | None, int]]) -> bytes:
        assert self._pattern is not None
        by_field = {one.field: (one, value) for one, value, _ in values}
        out = bytearray()
        token = self.part.token.encode("latin-1", "replace")
        for element in self._pattern.elements:
            if not element.name:
                out += write((element,), {})
                continue
            one, value = by_field[element.name]
            told = self._told(one, value)
            if told is None:
                out += token
                continue
            if isinstance(told, str) == element.is_number:
                told = value if element.is_number and value is not None else str(told)
            try:
                out += write((element,), {element.name: told})
            except ValueError:  # too long for its width: no digit is left away
                out += token
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
