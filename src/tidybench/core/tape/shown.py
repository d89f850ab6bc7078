"""What a person sees of the tape: where events become text."""

from pydantic import BaseModel

from tidybench.core.tape.events import (
    CommandEnded,
    CommandGiven,
    Event,
    GaveUp,
    Identified,
    Lost,
    MarkCorrected,
    Missed,
    Note,
    Opened,
    PointTaken,
    Reacted,
    Received,
    Sent,
    SetupsInForce,
)
from tidybench.core.values.crossing import OUTAGES, Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.point import Point


class TapeLine(BaseModel):
    """One event as it is shown: `text` has one character per byte where bytes went over the link; `why` says
    which query or command was sent. `more`: bytes that stand on the tape behind those shown here."""

    n: int
    at: int
    link: str
    kind: str
    text: str
    why: str = ""
    more: int = 0


def words_of(event: Event) -> str | None:
    """An event in words, bytes one character each; None for those that mean nothing to a person."""
    if isinstance(event, Received | Sent):
        return event.data.decode("latin-1")
    if isinstance(event, GaveUp):
        return "no reply in time, given up"
    if isinstance(event, Missed):
        return f"{event.count} polls missed: the link was busy"
    if isinstance(event, Lost):
        return event.reason
    if isinstance(event, Opened):
        return f"port open, {event.settings.get('short', '')}"
    if isinstance(event, Identified):
        said = " / ".join(event.text.split("\n")) or "nothing"
        return f"{event.instrument} says it is “{said}”{'' if event.matches else ', which was not expected'}"
    if isinstance(event, SetupsInForce):
        return f"set-up from here on: {', '.join(event.files)}" if event.files else "no instrument any more"
    if isinstance(event, Mark):
        return f"mark: {event.text}"
    if isinstance(event, MarkCorrected):
        return f"mark corrected: {event.before} → {event.text}"
    if isinstance(event, PointTaken):
        point = Point.model_validate(event.point)
        done = f"given up: {point.gave_up}" if point.gave_up else point.verdict or "taken"
        what = "taken out" if point.void else "corrected" if point.version > 1 else done
        return f"point {point.number}{f' “{point.name}”' if point.name else ''}: {what}"
    if isinstance(event, CommandGiven):
        said = ", ".join(
            f"{name} {value if isinstance(value, str) else f'{value:.12g}'}"
            for name, value in event.values.items()
        )
        return f"command {event.instrument} {event.command}{f' ({said})' if said else ''}, asked for by {event.by}"
    if isinstance(event, CommandEnded):
        return f"command {event.instrument} {event.command}: {event.words}"
    if isinstance(event, Reacted):
        value = "" if event.value is None else f" at {event.value:.6g}"
        return f"reaction {event.name}: {event.standing}{value}: {', '.join(event.does)}"
    if isinstance(event, Crossing):
        return f"{'alarm' if event.state in OUTAGES else 'limit'}: {event.words}"
    if isinstance(event, Note):
        return f"{event.what}: {event.text}" if event.text else event.what
    return None


def shown(sequence: int, link: str, event: Event, longest: int = 2000) -> TapeLine | None:
    """An event as a line of the tape view, at most `longest` bytes of it; None for those that mean nothing to a person."""
    words = words_of(event)
    if words is None:
        return None
    why = event.origin.text if isinstance(event, Sent) and event.origin is not None else ""
    more = max(0, len(words) - longest) if isinstance(event, Received | Sent) else 0
    text = words[:longest] if more else words
    return TapeLine(n=sequence, at=event.at, link=link, kind=event.kind, text=text, why=why, more=more)
