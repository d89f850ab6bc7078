"""The set-up: an instrument's whole definition, as it travels in a `*.setup.toml` file.

The model is the schema: `schema()` publishes it as JSON Schema (docs/formats/set-up.schema.json).
Unknown keys are refused, so that a slip of the pen never goes unnoticed.
"""

import tomllib
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,63}$")]
Label = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f\x7f]+$")]
ENCODINGS = {"ascii": "ascii", "latin-1": "latin-1", "cp437": "cp437", "utf-8": "utf-8"}
PARITY_BITS = {"none": 0, "even": 1, "odd": 1, "mark": 1, "space": 1}


class SetupError(ValueError):
    """A set-up that cannot be used; `problems` has one sentence for each thing that is wrong."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__("\n".join(problems))


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class InstrumentPart(_Part):
    """What the instrument is called. The id never changes, the name may."""

    id: Identifier
    name: Label
    talks: Literal["when asked", "on its own"] = "when asked"
    note: Annotated[str, Field(max_length=2000)] = ""


class LinkPart(_Part):
    """How bytes reach the instrument."""

    kind: Literal["serial"] = "serial"
    port: Annotated[str, Field(min_length=1, max_length=200)]
    baud: Annotated[int, Field(ge=50, le=12_000_000)] = 9600
    data_bits: Literal[5, 6, 7, 8] = 8
    parity: Literal["none", "even", "odd", "mark", "space"] = "none"
    stop_bits: Annotated[float, Field(json_schema_extra={"enum": [1, 1.5, 2]})] = 1
    flow_control: Literal["none", "rts/cts", "xon/xoff", "dsr/dtr"] = "none"

    @field_validator("stop_bits")
    @classmethod
    def _known_stop_bits(cls, value: float) -> float:
        if value not in (1, 1.5, 2):
            raise ValueError("there are 1, 1.5 or 2 stop bits")
        return value

    @property
    def byte_time(self) -> float:
        """Microseconds one character takes on the wire."""
        bits = 1 + self.data_bits + PARITY_BITS[self.parity] + self.stop_bits
        return bits * 1e6 / self.baud

    @property
    def short(self) -> str:
        """The trade's short form, as in 9600 8-N-1."""
        return f"{self.baud} {self.data_bits}-{self.parity[0].upper()}-{self.stop_bits:g}"


class FramingPart(_Part):
    """How bytes are cut into messages."""

    kind: Literal["ends with"] = "ends with"
    terminator: Annotated[str, Field(min_length=1, max_length=16)] = "\r\n"
    longest: Annotated[int, Field(ge=1, le=1_048_576)] = 4096
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"

    @property
    def terminator_bytes(self) -> bytes | None:
        """The terminator, or None for "either"."""
        return None if self.terminator == "either" else self.terminator.encode("latin-1")

    @field_validator("terminator")
    @classmethod
    def _bytes(cls, value: str) -> str:
        if not all(ord(char) < 256 for char in value):
            raise ValueError('a terminator is made of bytes: write it as "\\r\\n", "\\r" or "either"')
        return value


class QueryPart(_Part):
    """A question asked on a fixed grid, and the patterns of its answers, tried in order."""

    id: Identifier
    send: Annotated[str, Field(min_length=1, max_length=1000)]
    every_s: Annotated[float, Field(ge=0, le=86_400)] = 1.0
    give_up_after_s: Annotated[float, Field(ge=0.005, le=600)] = 0.5
    patterns: Annotated[list[str], Field(min_length=1, max_length=20)]

    @field_validator("every_s")
    @classmethod
    def _not_too_fast(cls, value: float) -> float:
        if 0 < value < 0.001:
            raise ValueError(
                "a poll interval is 0 (the next as soon as the reply is whole) or at least 0.001 s"
            )
        return value

    @field_validator("send")
    @classmethod
    def _bytes(cls, value: str) -> str:
        if not all(ord(char) < 256 for char in value):
            raise ValueError("a query is made of bytes: this one has a character that is none")
        return value


class ListenPart(_Part):
    """The patterns of an instrument that talks on its own, and how often it does."""

    every_s: Annotated[float, Field(gt=0, le=86_400)] = 1.0
    patterns: Annotated[list[str], Field(min_length=1, max_length=20)]


class LimitsPart(_Part):
    """Where a channel's value should stay."""

    low: float | None = None
    high: float | None = None

    @model_validator(mode="after")
    def _ordered(self) -> "LimitsPart":
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise ValueError(f"the lower limit {self.low:g} must be below the upper limit {self.high:g}")
        return self


class ChannelPart(_Part):
    """A named series of samples: value = field x scale + offset."""

    id: Identifier
    name: Label
    field: Label
    query: Identifier | None = None
    unit: Annotated[str, Field(max_length=20)] = ""
    scale: Annotated[float, Field(allow_inf_nan=False)] = 1.0
    offset: Annotated[float, Field(allow_inf_nan=False)] = 0.0
    decimals: Annotated[int, Field(ge=0, le=9)] = 2
    limits: LimitsPart = LimitsPart()


class Setup(_Part):
    """An instrument's whole definition."""

    format: Literal[1] = 1
    instrument: InstrumentPart
    link: LinkPart
    framing: FramingPart = FramingPart()
    query: Annotated[list[QueryPart], Field(max_length=50)] = []
    listen: ListenPart | None = None
    channel: Annotated[list[ChannelPart], Field(max_length=200)] = []

    @model_validator(mode="after")
    def _fits_together(self) -> "Setup":
        problems = list(self._problems())
        if problems:
            raise ValueError("\n".join(problems))
        return self

    def _problems(self) -> "list[str]":
        problems: list[str] = []
        talks = self.instrument.talks
        if talks == "when asked" and not self.query:
            problems.append("[[query]]: an instrument that talks when asked needs at least one query")
        if talks == "when asked" and self.listen is not None:
            problems.append('[listen]: belongs to an instrument that talks "on its own"')
        if talks == "on its own" and self.listen is None:
            problems.append(
                "[listen]: an instrument that talks on its own needs the patterns of its messages"
            )
        if talks == "on its own" and self.query:
            problems.append('[[query]]: belongs to an instrument that talks "when asked"')
        fields: dict[str | None, set[str]] = {}
        for where, key, sources in self._pattern_lists():
            known = fields.setdefault(key, set())
            for number, source in enumerate(sources, 1):
                try:
                    known |= {f.name for f in self.compiled(source).fields}
                except PatternError as error:
                    problems.append(f"{where}: pattern {number}: {error}")
        ids = [query.id for query in self.query]
        problems += [
            f"[[query]]: the id “{i}” is used twice" for i in sorted({i for i in ids if ids.count(i) > 1})
        ]
        names = [c.id for c in self.channel]
        problems += [
            f"[[channel]]: the id “{i}” is used twice"
            for i in sorted({i for i in names if names.count(i) > 1})
        ]
        if problems:
            return problems
        for channel in self.channel:
            key = self.query_of(channel)
            if key not in fields:
                problems.append(f"channel “{channel.id}”: there is no query “{channel.query}”")
            elif channel.field not in fields[key]:
                has = ", ".join(sorted(fields[key])) or "none"
                problems.append(
                    f"channel “{channel.id}”: no pattern has a field “{channel.field}” (its fields: {has})"
                )
        return problems

    def _pattern_lists(self) -> list[tuple[str, str | None, list[str]]]:
        lists: list[tuple[str, str | None, list[str]]] = [
            (f"query “{query.id}”", query.id, query.patterns) for query in self.query
        ]
        if self.listen is not None:
            lists.append(("[listen]", None, self.listen.patterns))
        return lists

    def compiled(self, source: str) -> Pattern:
        """One of this set-up's patterns, compiled in its text encoding."""
        return compile_pattern(source, ENCODINGS[self.framing.encoding])

    def query_of(self, channel: ChannelPart) -> str | None:
        """The id of the query a channel's field comes from; None for a listener. The only query
        need not be named."""
        if channel.query is None and len(self.query) == 1:
            return self.query[0].id
        return channel.query

    def interval_of(self, channel: ChannelPart) -> float:
        """Seconds between two samples of a channel; 0 for as fast as it goes."""
        if self.listen is not None:
            return self.listen.every_s
        key = self.query_of(channel)
        return next(query.every_s for query in self.query if query.id == key)


def load(text: str) -> Setup:
    """Read a set-up from TOML; raises SetupError with a sentence for each thing that is wrong."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SetupError([f"This is not TOML: {error}."]) from None
    return from_data(data, text)


def from_data(data: dict[str, Any], text: str = "") -> Setup:
    """A set-up from plain data; raises SetupError. With the TOML text, sentences name its lines."""
    try:
        return Setup.model_validate(data)
    except ValidationError as error:
        raise SetupError([line for one in error.errors() for line in _sentences(one, text)]) from None


def schema() -> dict[str, Any]:
    """The JSON Schema of a set-up."""
    return Setup.model_json_schema()


def _sentences(error: Any, text: str) -> list[str]:
    path = [part for part in error["loc"] if not isinstance(part, dict)]
    where = ".".join(str(part + 1) if isinstance(part, int) else str(part) for part in path)
    kind, message = error["type"], str(error["msg"])
    if kind == "value_error":
        lines = message.removeprefix("Value error, ").split("\n")
        lines = [line.rstrip(".") for line in lines]
        return [f"{where}: {line}." if where else f"{line}." for line in lines]
    line = _line_of(str(path[-1]), text) if path and isinstance(path[-1], str) else 0
    place = f"Line {line}, {where}" if line else where
    if kind == "extra_forbidden":
        return [f"{place}: there is no such key. Check its spelling against docs/formats/set-ups.md."]
    if kind == "missing":
        return [f"{where}: this key is missing."]
    if kind == "literal_error":
        return [
            f"{place}: {error['input']!r} is not possible here; {message.removeprefix('Input should be ')} is."
        ]
    if kind == "string_pattern_mismatch" and path and path[-1] == "id":
        return [
            f"{place}: {error['input']!r} cannot be an id: small letters, digits, dots and dashes, at most 64."
        ]
    return [f"{place}: {message[0].lower()}{message[1:]} ({error['input']!r} was given)."]


def _line_of(key: str, text: str) -> int:
    """The line a key first stands on, 0 where it cannot be told apart."""
    lines = [n for n, line in enumerate(text.splitlines(), 1) if line.split("=")[0].strip(" []") == key]
    return lines[0] if len(lines) == 1 else 0
