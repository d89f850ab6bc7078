"""A capture read with a set-up: rows, and what was not understood."""

import csv
import io
import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from tidybench.captures.capture import Capture, CaptureError, pieces
from tidybench.core.batch import Batch
from tidybench.core.channels.pipeline import ChannelPipeline, finished
from tidybench.core.compile.link_plan import QueryPlan
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.state import ExchangeError
from tidybench.core.framing import make_check
from tidybench.core.preview import Previewed, previewed, read_message
from tidybench.core.quality import Quality
from tidybench.core.reading.reader import MessageReader
from tidybench.core.setup import Setup
from tidybench.core.setup.channel import ChannelPart
from tidybench.core.setup.filters import FilterPart, ThinningPart
from tidybench.core.tape.events import Event, Hole, Opened, Sent, Start
from tidybench.core.values.channel import device_time, title_of
from tidybench.core.values.state_name import state_name
from tidybench.runs.cells import cell_of, safe_text
from tidybench.runs.stamps import Stamps

BY_TIME = ("exponential", "hum")
"""Filters that go by the time."""

Sample = tuple[int, int, float]
"""Channel index, quality, value."""


@dataclass(slots=True, frozen=True)
class Row:
    """The samples of one message. `at`: microseconds since 1970 UTC, None where no time is known;
    `number` counts messages from 1."""

    number: int
    at: int | None
    samples: tuple[Sample, ...]


@dataclass(slots=True, frozen=True)
class Trouble:
    """A message that gave no reading, and why."""

    number: int
    at: int | None
    message: bytes
    why: str


def _without_time(part: ChannelPart) -> tuple[list[FilterPart], ThinningPart | None]:
    """A channel's filters and its thinning, as far as they do not go by the time."""
    thinning = part.thinning if part.thinning is not None and part.thinning.every is not None else None
    return [one for one in part.filter if one.kind not in BY_TIME], thinning


class Readout:
    """Reads a capture once. `rows` gives the samples; `on_trouble` is told of every message that was not understood."""

    def __init__(
        self,
        setup: Setup,
        capture: Capture,
        link: str = "",
        on_trouble: Callable[[Trouble], None] = lambda _: None,
    ) -> None:
        """`link`: which one of a tape; the set-up's, or the only one, unless given. Raises CaptureError, SetupError."""
        self.setup, self.capture = setup, capture
        self.messages = self.troubles = 0
        self._on_trouble = on_trouble
        [self._plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
        self._link = self._chosen(link) if capture.has_times else ""
        self._pipelines = {
            number: ChannelPipeline(number, part.scaling, *_without_time(part))
            for number, part in self._plan.parts.items()
            if not part.is_plain and part.clock is None  # without a time of ours its own is all there is
        }
        for reader in self._plan.readers.values():
            reader.on_trouble = self._trouble

    @property
    def passed_over(self) -> int:
        """Messages that were understood and hold no field."""
        return sum(reader.counts.passed_over for reader in self._plan.readers.values())

    @property
    def without_time(self) -> list[str]:
        """Channels whose filters or thinning go by the time, which plain bytes do not have: names."""
        if self.capture.has_times:
            return []
        return [
            channel.name
            for channel in self.setup.channel
            if _without_time(channel) != (list(channel.filter), channel.thinning)
        ]

    def _chosen(self, link: str) -> str:
        links = self.capture.links
        wanted = link or self.setup.link.address
        if wanted in links:
            return wanted
        if len(links) == 1 and not link:
            return links[0]
        has = ", ".join(links) or "nothing"
        raise CaptureError(f"There is no link {wanted} on this tape; it has {has}. Choose one with --link.")

    def _trouble(self, message: bytes, at: int, why: str) -> None:
        self.troubles += 1
        number = self.messages if not self.capture.has_times else 0
        self._on_trouble(Trouble(number, at if self.capture.has_times else None, message, why))

    def rows(self) -> Iterator[Row]:
        """One row for each message that has samples, in order."""
        return self._timed() if self.capture.has_times else self._plain()

    def explained(self) -> Iterator[Previewed]:
        """Every message, how it was read or where reading stopped."""
        if self.capture.has_times:
            yield from previewed(self.setup, self._events())
            return
        check = make_check(self.setup.framing)
        forms = [form for reader in self._plan.readers.values() for form in reader.forms]
        for number, body in enumerate(self._bodies(), 1):
            yield read_message(body, number, forms, check)

    def _events(self) -> Iterable[Event]:
        """The link's events, polls named where the tape does not."""
        events = self.capture.of(self._link)
        if self.capture.kind == "tape":
            return events
        return self._named(events)

    def _named(self, events: Iterator[Event]) -> Iterator[Event]:
        by_data = {query.data: query.key for query in self._plan.queries}
        poll, begun = 0, False
        for event in events:
            if not begun:
                begun = True
                yield Opened(event.at, {})
            if isinstance(event, Sent) and event.data in by_data:
                poll += 1
                yield Sent(event.at, event.data, poll, by_data[event.data])
            else:
                yield event

    def _timed(self) -> Iterator[Row]:
        reader = LinkReader(self._plan)
        begun = ever = False
        before = 0  # messages of sessions that have ended
        for event in self._events():
            if isinstance(event, Hole):
                begun = False  # it counts again from its next starting state
                continue
            begun = begun or isinstance(event, Start | Opened)
            ever = ever or begun
            if isinstance(event, Opened):
                before += reader.counts.messages
            try:
                batch = reader.feed(event) if begun else None
            except ExchangeError as error:
                raise CaptureError(
                    f"The lines of this tape are not in the order they happened: {error}."
                ) from None
            self.messages = before + reader.counts.messages
            if batch is not None:
                yield from self._split(batch)
        if not ever:
            raise CaptureError(
                "The tape has no line that opens the link: it is a piece out of the middle of one."
            )

    @staticmethod
    def _split(batch: Batch) -> Iterator[Row]:
        """The samples of one message stand together, by rising channel."""
        samples: list[Sample] = []
        at, last = 0, -1
        for word, time, value in zip(batch.words, batch.times, batch.values, strict=True):
            if samples and (time != at or word >> 8 <= last):
                yield Row(0, at, tuple(samples))
                samples = []
            at, last = time, word >> 8
            samples.append((word >> 8, word & 0xFF, value))
        if samples:
            yield Row(0, at, tuple(samples))

    def _bodies(self) -> Iterator[bytes]:
        framer = self._plan.framer()
        # Nothing says where the bytes begin: as far as they go, they are whole.
        framer.opened(0, whole=True)
        for piece in pieces(self.capture.data):
            yield from framer.feed(piece, 0).bodies
        yield from framer.passed(10**12).bodies

    def _echoed(self, body: bytes) -> tuple[QueryPlan | None, bytes]:
        """The query that a line sent back in front of a message, and what is left of it, as the link would take it off."""
        if self._plan.link.echo:
            for query in self._plan.queries:
                if body.startswith(query.data):
                    return query, body[len(query.data) :]
                if body == query.data.rstrip(b"\r\n"):
                    return query, b""
        return None, body

    def _only_ends(self, body: bytes) -> bool:
        """Whether a message is the last line of an answer of several, and has no reading."""
        for query in self._plan.queries:
            until = query.reply.until
            if until and body.startswith(until) and not self._plan.readers[query.key].understands(body):
                return True
        return False

    def _plain(self) -> Iterator[Row]:
        readers = list(self._plan.readers.values())
        asked: MessageReader | None = None  # whose query was echoed last
        for whole in self._bodies():
            query, body = self._echoed(whole)
            asked = self._plan.readers[query.key] if query is not None else asked
            if (query is not None and not body) or self._only_ends(body):
                continue
            self.messages += 1
            reader = asked if asked is not None else _whose(readers, body)
            out = Batch()
            if reader is not None:
                reader.read([body], [self.messages], out)
            out = finished(self._pipelines, out)
            if len(out):
                samples = sorted((w >> 8, w & 0xFF, v) for w, v in zip(out.words, out.values, strict=True))
                yield Row(self.messages, None, tuple(samples))


def _whose(readers: list[MessageReader], body: bytes) -> MessageReader | None:
    """The reader of a message of which nothing is known but itself."""
    return next(
        (r for r in readers if r.is_mine(body) and r.understands(body)), readers[0] if readers else None
    )


class Table:
    """Rows as CSV (RFC 4180) or JSON lines."""

    def __init__(self, setup: Setup, timed: bool, as_json: bool) -> None:
        self._channels, self._timed, self._json = setup.channel, timed, as_json
        self._single = [setup.is_single(channel) for channel in setup.channel]
        self._stamp = Stamps().micro
        self._cells = [
            cell_of(single, self._is_time(channel), [safe_text(word) for word in channel.states], self._stamp)
            for single, channel in zip(self._single, setup.channel, strict=True)
        ]
        self._begun: int | None = None

    def _is_time(self, channel: ChannelPart) -> bool:
        """Whether a column is times: a device's clock beside ours."""
        return self._timed and channel.clock is not None

    def header(self) -> str:
        """The first line, line end included; "" for JSON."""
        if self._json:
            return ""
        titles = [safe_text(title_of(c.name, "" if self._is_time(c) else c.unit)) for c in self._channels]
        return _csv_line([*(["time", "elapsed_s"] if self._timed else ["message"]), *titles, "flags"])

    def line(self, row: Row) -> str:
        """One row, line end included."""
        if self._begun is None and row.at is not None:
            self._begun = row.at
        if self._json:
            return self._json_line(row)
        cells = [""] * len(self._channels)
        flags = []
        for index, quality, value in row.samples:
            if Quality(quality).measured:
                cells[index] = self._cells[index](row.at or 0, value)
            if quality:
                flags.append(f"{safe_text(self._channels[index].name)}={Quality(quality).code}")
        return _csv_line([*self._when(row), *cells, "; ".join(flags)])

    def _when(self, row: Row) -> list[str]:
        if row.at is None:
            return [str(row.number)]
        assert self._begun is not None
        return [self._stamp(row.at), f"{(row.at - self._begun) / 1e6:.6f}"]

    def _value(self, channel: ChannelPart, at: int | None, value: float) -> float | str:
        """As JSON: a number, a state's word, or a device's time."""
        if self._is_time(channel) and at is not None:
            return self._stamp(device_time(at, value))
        name = state_name(channel.states, value) if channel.states else None
        return value if name is None else name

    def _json_line(self, row: Row) -> str:
        when = self._when(row)
        data: dict[str, object] = (
            {"time": when[0], "elapsed_s": float(when[1])} if self._timed else {"message": row.number}
        )
        data["values"] = {
            self._channels[i].id: self._value(self._channels[i], row.at, v)
            for i, q, v in row.samples
            if Quality(q).measured
        }
        data["flags"] = {self._channels[i].id: Quality(q).code for i, q, _ in row.samples if q}
        return json.dumps(data, ensure_ascii=False) + "\n"


def _csv_line(cells: list[str]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerow(cells)
    return out.getvalue()
