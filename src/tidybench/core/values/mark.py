"""A mark: a time-stamped note in a run."""

from dataclasses import dataclass
from typing import ClassVar


@dataclass(slots=True)
class Mark:
    """What a person noted, when (microseconds since 1970 UTC, whole milliseconds), and who. An event of the tape as well."""

    kind: ClassVar[str] = "mark"
    at: int
    text: str
    by: str = ""
