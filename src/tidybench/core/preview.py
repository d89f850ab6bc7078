"""What a set-up would make of bytes that have come already: before it is kept."""

from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import open_framer
from tidybench.core.framing import Cut, make_check, make_framer
from tidybench.core.framing.check import Checker
from tidybench.core.quality import Quality
from tidybench.core.reading.form import ErrorReply, Form, Learns
from tidybench.core.reading.stop import Stop
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, Opened, Received, Sent, Tick
from tidybench.core.values.origin import Asked


@dataclass(slots=True, frozen=True)
class Previewed:
    """One message: its time, itself, its fields as text (empty where not understood), and why not.

    `column`: the character, from 1, at which reading stopped; 0 where it did not. `query`: the
    query it answers, None where it came by itself. `body`: what is read, without check characters. `cell`:
    what stood where a number was expected.
    """

    at: int
    message: str
    fields: dict[str, str]
    why: str
    column: int = 0
    query: Asked | None = None
    body: bytes = b""
    cell: str = ""

    @property
    def understood(self) -> bool:
        """Whether something reads it."""
        return not self.why


def preview(setup: Setup, events: Iterable[Event], most: int = 200) -> list[Previewed]:
    """The newest messages that the set-up's framing cuts from a link's events, and what its forms read."""
    return list(deque(previewed(setup, events), most))


def previewed(setup: Setup, events: Iterable[Event]) -> Iterator[Previewed]:
    """Every message, one after the other."""
    framer = make_framer(setup.framing, setup.link.byte_time)
    check = make_check(setup.framing)
    [plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
    by_query = {key: reader.forms for key, reader in plan.readers.items()}
    every = [form for forms in by_query.values() for form in forms]
    asked = setup.instrument.talks == "when asked"
    query: Asked | None = None
    forms: Sequence[Form] | None = None if asked else every
    for event in events:
        if isinstance(event, Opened):
            open_framer(framer, event, talks_alone=not asked)
        elif isinstance(event, Sent) and asked:
            framer.asked(event.data, event.at)
            # A command's answer is nobody's reading; a query that is new in this set-up is judged by all forms.
            query = event.origin if isinstance(event.origin, Asked) else None
            mine = event.poll and (query is None or query.instrument == setup.instrument.id)
            own = by_query.get(query) if query is not None else None
            forms = own if own is not None else every if mine else None
        elif isinstance(event, Received | Tick):
            due = framer.deadline()
            if due is not None and due <= event.at and isinstance(event, Received):
                yield from _rows(framer.passed(due), query, forms, check)
            cut = (
                framer.feed(event.data, event.at) if isinstance(event, Received) else framer.passed(event.at)
            )
            yield from _rows(cut, query, forms, check)


def _rows(
    cut: Cut, query: Asked | None, forms: Sequence[Form] | None, check: Checker | None
) -> Iterator[Previewed]:
    if forms is not None:
        for body, time in zip(cut.bodies, cut.times, strict=True):
            yield read_message(body, time, forms, check, query)


def read_message(
    body: bytes, at: int, forms: Sequence[Form], check: Checker | None, query: Asked | None = None
) -> Previewed:
    """One message as these forms read it, in order."""
    text = body.decode("latin-1")
    if check is not None:
        checked = check(body)
        if checked is None:
            return Previewed(at, text, {}, "checksum mismatch", 0, query)
        body = checked
    stops: list[Stop] = []
    for form in forms:
        if isinstance(form, Learns) and form.learn(body):
            return Previewed(at, text, {"names": "learnt"}, "", 0, query, body)
        got = form.read(body)
        if isinstance(got, Stop):
            stops.append(got)
            continue
        if isinstance(got, ErrorReply):
            return Previewed(at, text, {"error": got.text}, "", 0, query, body)
        fields = {
            name: (f"{value:.10g}" if isinstance(value, float) else str(value))
            if quality.measured
            else Quality(quality).code
            for name, (quality, value) in got.items()
        }
        return Previewed(at, text, fields, "", 0, query, body)
    if not stops:
        return Previewed(at, text, {}, "no message pattern yet", 0, query, body)
    furthest = max(stops, key=lambda stop: stop.column)
    return Previewed(at, text, {}, str(furthest), furthest.column, query, body, furthest.cell)
