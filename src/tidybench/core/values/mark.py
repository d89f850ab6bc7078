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


def has_controls(text: str) -> bool:
    """Whether a text has characters that no file and no database takes."""
    return any(ord(c) < 32 or ord(c) == 127 or 0xD800 <= ord(c) < 0xE000 for c in text)


def mark_text(text: str) -> str:
    """A mark's text as it is kept, in one line. Raises ValueError with a sentence."""
    text = " ".join(text.split())
    if not text or len(text) > 500:
        raise ValueError("A mark has between 1 and 500 characters.")
    if has_controls(text):
        raise ValueError("A mark has a control character in it. Remove it.")
    return text
