"""The set-up: an instrument's whole definition."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.setup.channel import ChannelPart
from tidybench.core.setup.commands import ErrorQueuePart, InstrumentCommandPart, SafePart
from tidybench.core.setup.curves import CurvePart
from tidybench.core.setup.framing import FramingPart
from tidybench.core.setup.link import LinkPart
from tidybench.core.setup.modbus import ModbusPart
from tidybench.core.setup.part import Part
from tidybench.core.setup.readers import BlockPart
from tidybench.core.setup.talk import CommandPart, IdentityPart, InstrumentPart, ListenPart, QueryPart

END_CHARACTERS = "\r\n\x03\x04\x00;"
SELDOM = 600.0
"""Seconds that a reading taken by hand stays good: on a key, or on demand."""


class Setup(Part):
    """An instrument's whole definition."""

    # That its patterns compile and its channels' fields are there is seen when it is compiled (core.compile.load).

    format: Literal[1] = 1
    instrument: InstrumentPart
    link: LinkPart
    framing: FramingPart = FramingPart()
    identity: IdentityPart | None = None
    start: Annotated[list[CommandPart], Field(max_length=50)] = []
    release: Annotated[list[CommandPart], Field(max_length=50)] = []
    query: Annotated[list[QueryPart], Field(max_length=50)] = []
    listen: ListenPart | None = None
    modbus: ModbusPart | None = None
    channel: Annotated[list[ChannelPart], Field(max_length=200)] = []
    command: Annotated[list[InstrumentCommandPart], Field(max_length=200)] = []
    curve: Annotated[list[CurvePart], Field(max_length=50)] = []
    error_queue: ErrorQueuePart | None = None
    safe: SafePart | None = None

    @model_validator(mode="after")
    def _fits_together(self) -> "Setup":
        problems = list(self._problems())
        if problems:
            raise ValueError("\n".join(problems))
        return self

    def _problems(self) -> "list[str]":
        problems: list[str] = []
        talks = self.instrument.talks
        if talks == "when asked" and self.listen is not None:
            problems.append('[listen]: belongs to an instrument that talks "on its own" or "on its key"')
        if talks != "when asked" and self.query:
            problems.append('[[query]]: belongs to an instrument that talks "when asked"')
        if self.modbus is not None and not self.framing.modbus:
            problems.append(
                '[modbus]: its messages need [framing] kind = "modbus rtu", "modbus ascii" or "modbus tcp"'
            )
        if self.modbus is not None and (self.query or talks != "when asked"):
            problems.append(
                '[modbus]: a Modbus device talks "when asked", and its queries are made from its register map'
            )
        ids = [query.id for query in self.query]
        problems += [
            f"[[query]]: the id “{i}” is used twice" for i in sorted({i for i in ids if ids.count(i) > 1})
        ]
        told = [one.id for one in self.command]
        problems += [
            f"[[command]]: the id “{i}” is used twice" for i in sorted({i for i in told if told.count(i) > 1})
        ]
        drawn = [one.id for one in self.curve]
        problems += [
            f"[[curve]]: the id “{i}” is used twice" for i in sorted({i for i in drawn if drawn.count(i) > 1})
        ]
        problems += [
            f"[[command]]: {one.name}: there is no [[curve]] “{one.starts}”"
            for one in self.command
            if one.starts and one.starts not in drawn
        ]
        names = [c.id for c in self.channel]
        problems += [
            f"[[channel]]: the id “{i}” is used twice"
            for i in sorted({i for i in names if names.count(i) > 1})
        ]
        return problems

    def read_parts(self) -> list[tuple[str, str | None, QueryPart | ListenPart]]:
        """Everything that says how messages read: what it is called, the query's id, itself."""
        parts: list[tuple[str, str | None, QueryPart | ListenPart]] = [
            (f"query “{query.id}”", query.id, query) for query in self.query
        ]
        if self.listen is not None:
            parts.append(("[listen]", None, self.listen))
        return parts

    @property
    def grid(self) -> list[float]:
        """The intervals, in seconds, of what is asked by itself."""
        found = [query.every_s for query in self.query if not query.on_demand]
        if self.modbus is not None and self.modbus.registers and not self.modbus.on_demand:
            found.append(self.modbus.every_s)
        return found

    @property
    def patience(self) -> float:
        """Seconds after which the slowest answer is given up; 0 where nothing is asked."""
        found = [query.give_up_after_s for query in self.query]
        return max([*found, self.modbus.give_up_after_s] if self.modbus is not None else found, default=0.0)

    @property
    def is_asked(self) -> bool:
        """Whether anything is asked."""
        return bool(self.query) or (self.modbus is not None and bool(self.modbus.registers))

    @property
    def is_read(self) -> bool:
        """Whether anything says how its messages read."""
        return any(part.is_read for _, _, part in self.read_parts()) or (
            self.modbus is not None and bool(self.modbus.registers)
        )

    def query_of(self, channel: ChannelPart) -> str | None:
        """The id of the query a channel's field comes from; None for a listener. The only query
        need not be named."""
        if channel.query is None and len(self.query) == 1:
            return self.query[0].id
        return channel.query

    def clock_of(self, channel: ChannelPart) -> str | None:
        """The id of the channel that is the clock of the same messages; None for none, and for a clock."""
        if channel.clock is not None:
            return None
        mine = self.query_of(channel)
        return next((c.id for c in self.channel if c.clock is not None and self.query_of(c) == mine), None)

    def interval_of(self, channel: ChannelPart) -> float:
        """Seconds between two samples of a channel, thinned out as it is; 0 for as fast as it goes."""
        interval = self._messages_of(channel)
        return channel.thinning.interval(interval) if channel.thinning is not None else interval

    def _messages_of(self, channel: ChannelPart) -> float:
        if self.listen is not None:
            return self.listening_interval
        asked = self._asked_for(channel)
        return SELDOM if asked.on_demand else asked.every_s

    def is_on_demand(self, channel: ChannelPart) -> bool:
        """Whether a channel is measured only when somebody wants a reading."""
        return self.listen is None and self._asked_for(channel).on_demand

    def _asked_for(self, channel: ChannelPart) -> "QueryPart | ModbusPart":
        if self.modbus is not None:
            return self.modbus
        key = self.query_of(channel)
        return next(query for query in self.query if query.id == key)

    def is_single(self, channel: ChannelPart) -> bool:
        """Whether an instrument sends a channel's value as a 32-bit float, and nothing makes it more precise afterwards."""
        if channel.filter or (channel.thinning is not None and channel.thinning.keep == "mean"):
            return False
        if self.modbus is not None:
            return any(r.name == channel.field and r.holds == "float32" for r in self.modbus.registers)
        key = self.query_of(channel)
        reader = next((part.reader for _, id, part in self.read_parts() if id == key), None)
        plain = channel.field in ("min", "max") or channel.field[1:].isdigit()
        return isinstance(reader, BlockPart) and reader.numbers == "float32" and plain

    @property
    def listening_interval(self) -> float:
        """Seconds between two messages of an instrument that talks by itself: as given, or what is usual."""
        if self.listen is not None and self.listen.every_s is not None:
            return self.listen.every_s
        return SELDOM if self.instrument.talks == "on its key" else 1.0

    @property
    def sends_end(self) -> str:
        """The terminator a typed command gets: the one named, else what ends the first thing this
        set-up sends, else CR LF."""
        if self.link.sends_end is not None:
            return self.link.sends_end
        sent = [q.send for q in self.query] + [c.send for c in self.start]
        if self.identity is not None:
            sent.insert(0, self.identity.send)
        for text in sent:
            end = text[len(text.rstrip(END_CHARACTERS)) :]
            if end:
                return end
        return "\r\n"
