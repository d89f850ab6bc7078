"""Counting what goes by on a tape."""

from tidybench.core.tape.events import Event, GaveUp, Lost, Missed, Sent
from tidybench.core.values.counts import RunCounts


def count(counts: RunCounts, sequence: int, event: Event) -> None:
    """Take one event of the tape into `counts`. Ask in order."""
    counts.sequence = sequence
    kind = type(event)
    if kind is Sent:
        if event.poll:  # type: ignore[union-attr]
            counts.polls += 1
    elif kind is Missed:
        counts.missed += event.count  # type: ignore[union-attr]
    elif kind is GaveUp:
        counts.gave_up += 1
    elif kind is Lost:
        counts.lost += 1
