"""The time of a run by which it is laid over others."""

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact
from tidybench.runs.crossings import read_crossings
from tidybench.runs.later_marks import marks_of
from tidybench.runs.run_state import RunState


class AlignmentError(ValueError):
    """Why a run has no such time, in a sentence."""


class Alignment(Exact):
    """By what runs are laid over each other: their beginning; the first mark that has `text` in it; the first time that the channel called `text` crossed a limit;
    the first time that the channel with the id `channel` passes `level`, upwards or not (`rising`); or the time of day at `clock` (HH:MM or HH:MM:SS, by the bench's
    zone)."""

    by: Literal["begin", "mark", "crossing", "level", "clock"] = "begin"
    text: Annotated[str, Field(max_length=200)] = ""
    channel: Annotated[str, Field(max_length=200)] = ""
    level: Finite = 0.0
    rising: bool = True
    clock: Annotated[str, Field(pattern=r"^([01]?\d|2[0-3]):[0-5]\d(:[0-5]\d)?$")] = "00:00"


def by_mark(folder: Path, text: str) -> int:
    """When the first mark with this text in it was set, microseconds since 1970 UTC. Raises AlignmentError, OSError, ValueError."""
    found = next((mark.at for mark in marks_of(folder) if text.casefold() in mark.text.casefold()), None)
    if found is None:
        raise AlignmentError(f"It has no mark with “{text}” in it.")
    return found


def by_crossing(folder: Path, name: str) -> int:
    """When a channel, by its name, or any where it is empty, first went beyond a limit. Raises AlignmentError, OSError."""
    beyond = ("low", "high", "alarm", "low caution", "high caution", "caution")
    found = next(
        (one.at for one in read_crossings(folder) if one.state in beyond and name in ("", one.name)), None
    )
    if found is None:
        raise AlignmentError(
            f"{name or 'No channel'} crossed no limit in it." if name else "No channel crossed a limit in it."
        )
    return found


def by_clock(state: RunState, clock: str) -> int:
    """The first time in the run that a clock shows this time of day. Raises AlignmentError."""
    from datetime import datetime, timedelta

    parts = [int(one) for one in clock.split(":")] + [0]
    begun = datetime.fromtimestamp(state.begun_at / 1e6).astimezone()
    at = begun.replace(hour=parts[0], minute=parts[1], second=parts[2], microsecond=0)
    if at < begun:
        at += timedelta(days=1)
    found = round(at.timestamp() * 1e6)
    if state.ended_at is not None and found > state.ended_at:
        raise AlignmentError(f"It was over before {clock}.")
    return found
