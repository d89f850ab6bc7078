"""Who an instrument says it is."""

from dataclasses import dataclass


@dataclass(slots=True, frozen=True)
class Identity:
    """What an instrument answered when it was asked. `lines`: its answer; `heard`: whether one came at all."""

    expected: str = ""
    lines: tuple[str, ...] = ()
    heard: bool = False
    matches: bool = True
