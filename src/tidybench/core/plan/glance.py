"""The look round before a run begins, put into words. Nothing of it forbids; it is kept with the run."""

from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.values.finding import Finding

DAY = 86_400
ROOM_LEFT = 0.9
"""Share of the free room that a run may need and all is still well."""


@dataclass(slots=True, frozen=True)
class Room:
    """`free`: bytes where runs are kept. `rate`: bytes a second that such a run writes, by the rates seen; None where too little has been
    seen. `seconds`: how long it is planned to be; None where a person ends it, or an event."""

    folder: str
    free: int
    rate: float | None
    seconds: float | None


@dataclass(slots=True, frozen=True)
class ClockState:
    """How the computer keeps its clock. `synchronised`: None where the system does not tell. `within_s`: its greatest error, by the
    system's own account."""

    synchronised: bool | None
    within_s: float = 0.0


@dataclass(slots=True, frozen=True)
class SleepState:
    """`can_sleep`: the computer has a state of sleep. `trouble`: why it cannot be kept from it, "" where it can."""

    can_sleep: bool
    trouble: str = ""


def of_paths(names: Sequence[str], troubles: Sequence[str]) -> Finding:
    """`names` of all instruments; `troubles`: a sentence for each one whose readings do not come."""
    if troubles:
        return Finding(
            matter="paths",
            well=False,
            words=" ".join(troubles),
            todo="Look at the path on the Bench; without it these channels stay empty.",
        )
    many = f"{len(names)} instruments" if len(names) != 1 else names[0]
    return Finding(matter="paths", well=True, words=f"Readings come from {many}.")


def of_calibrations(overdue: Sequence[str]) -> Finding:
    """`overdue`: a sentence for each one that is."""
    if overdue:
        return Finding(
            matter="calibrations",
            well=False,
            words=" ".join(overdue),
            todo="Have it calibrated, or enter the new certificate in its set-up.",
        )
    return Finding(matter="calibrations", well=True, words="No calibration is overdue.")


def of_disk(room: Room) -> Finding:
    """What the plan needs beside what is free."""
    free = f"{size(room.free)} are free"
    if room.rate is None:
        return Finding(
            matter="disk",
            well=True,
            words=f"{free}; what the run needs is known after a few seconds of readings.",
        )
    if room.seconds is not None:
        need = room.rate * room.seconds
        words, well = f"The run needs about {size(need)}; {free}.", need < ROOM_LEFT * room.free
    else:
        lasts = room.free / room.rate if room.rate else float("inf")
        words = f"The run needs about {size(room.rate * DAY)} a day; {free}"
        words += "." if lasts > 3650 * DAY else f", enough for {_span(lasts)}."
        well = lasts > DAY
    todo = "" if well else f"Make room in {room.folder}, log fewer rows or channels, or plan an earlier end."
    return Finding(matter="disk", well=well, words=words, todo=todo)


def of_clock(clock: ClockState) -> Finding:
    """How far the time stamps can be trusted against other clocks."""
    if clock.synchronised is None:
        return Finding(
            matter="clock", well=True, words="Whether the computer's clock is synchronised is not known here."
        )
    if not clock.synchronised:
        return Finding(
            matter="clock",
            well=False,
            words="The computer's clock is not synchronised: its time of day may be wrong.",
            todo="Compare it with a clock you trust and note the difference, or have the computer synchronise it.",
        )
    return Finding(
        matter="clock",
        well=True,
        words=f"The computer's clock is synchronised, within {clock.within_s:.2g} s.",
    )


def of_sleep(sleep: SleepState) -> Finding:
    """Whether the computer may fall asleep over the run."""
    if not sleep.can_sleep:
        return Finding(matter="sleep", well=True, words="This computer does not sleep.")
    if sleep.trouble:
        return Finding(
            matter="sleep",
            well=False,
            words=f"This computer may fall asleep during the run, and cannot be kept awake: {sleep.trouble}.",
            todo="Turn its sleep off in the settings of the computer.",
        )
    return Finding(matter="sleep", well=True, words="The computer is kept awake while the run is on.")


def size(count: float) -> str:
    """So many bytes, as a person says it."""
    for unit, factor in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= factor:
            return f"{count / factor:.3g} {unit}"
    return f"{count:.0f} bytes"


def _span(seconds: float) -> str:
    for unit, factor in (("days", DAY), ("hours", 3600), ("minutes", 60)):
        if seconds >= 2 * factor:
            return f"{seconds / factor:.0f} {unit}"
    return f"{seconds:.0f} seconds"
