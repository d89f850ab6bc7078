"""What a set-up would make of bytes that have come already: before it is kept."""

from collections.abc import Iterable
from dataclasses import dataclass

from tidybench.core.events import Event, Opened, Received, Sent
from tidybench.core.framing import make_check, make_framer
from tidybench.core.framing.check import Checker
from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import Pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup import Setup


@dataclass(slots=True, frozen=True)
class Previewed:
    """One message: its time, itself, its fields as text (empty where not understood), and why not."""

    at: int
    message: str
    fields: dict[str, str]
    why: str

    @property
    def understood(self) -> bool:
        """Whether a pattern reads it."""
        return not self.why


def preview(setup: Setup, events: Iterable[Event], most: int = 200) -> list[Previewed]:
    """The newest messages that the set-up's framing cuts from a link's events, and what its patterns read."""
    framer = make_framer(setup.framing, setup.link.byte_time)
    check = make_check(setup.framing)
    by_query = {
        f"{setup.instrument.id}/{query.id}": [setup.compiled(source) for source in query.patterns]
        for query in setup.query
    }
    every = [pattern for patterns in by_query.values() for pattern in patterns]
    if setup.listen is not None:
        every += [setup.compiled(source) for source in setup.listen.patterns]
    asked = setup.instrument.talks == "when asked"
    patterns: list[Pattern] | None = None if asked else every
    rows: list[Previewed] = []
    for event in events:
        if isinstance(event, Opened):
            framer.opened(event.at, whole=asked)
        elif isinstance(event, Sent) and asked:
            framer.asked(event.data, event.at)
            # A command's answer is nobody's reading; a query that is new in this set-up is judged by all patterns.
            patterns = by_query.get(event.query, every if event.poll else None)
        elif isinstance(event, Received):
            cut = framer.feed(event.data, event.at)
            if patterns is not None:
                rows += [_read(b, t, patterns, check) for b, t in zip(cut.bodies, cut.times, strict=True)]
                del rows[:-most]
    return rows


def _read(body: bytes, at: int, patterns: list[Pattern], check: Checker | None) -> Previewed:
    text = body.decode("latin-1")
    if check is not None:
        sealed = check(body)
        if sealed is None:
            return Previewed(at, text, {}, "the check characters do not come out right")
        body = sealed
    stops: list[Stop] = []
    for pattern in patterns:
        got = pattern.read(body)
        if isinstance(got, Stop):
            stops.append(got)
            continue
        fields = {
            name: (f"{value:.10g}" if isinstance(value, float) else str(value))
            if quality.measured
            else Quality(quality).code
            for name, (quality, value) in got.items()
        }
        return Previewed(at, text, fields, "")
    if not stops:
        return Previewed(at, text, {}, "no message pattern yet")
    return Previewed(at, text, {}, str(max(stops, key=lambda stop: stop.column)))
