"""The set-up: an instrument's whole definition."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.setup.channel import ChannelPart
from tidybench.core.setup.framing import ENCODINGS, FramingPart
from tidybench.core.setup.link import LinkPart
from tidybench.core.setup.part import Part
from tidybench.core.setup.talk import CommandPart, IdentityPart, InstrumentPart, ListenPart, QueryPart

END_CHARACTERS = "\r\n\x03\x04\x00;"
SELDOM = 600.0
"""Seconds that a reading taken by hand stays good: on a key, or on demand."""


class Setup(Part):
    """An instrument's whole definition."""

    format: Literal[1] = 1
    instrument: InstrumentPart
    link: LinkPart
    framing: FramingPart = FramingPart()
    identity: IdentityPart | None = None
    start: Annotated[list[CommandPart], Field(max_length=50)] = []
    release: Annotated[list[CommandPart], Field(max_length=50)] = []
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
        if talks == "when asked" and self.listen is not None:
            problems.append('[listen]: belongs to an instrument that talks "on its own" or "on its key"')
        if talks != "when asked" and self.query:
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
            if key not in fields and not self.query:
                problems.append(f"channel “{channel.id}”: nothing is read yet that it could be made from")
            elif key not in fields:
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
            return self.listening_interval
        key = self.query_of(channel)
        query = next(query for query in self.query if query.id == key)
        return SELDOM if query.on_demand else query.every_s

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
