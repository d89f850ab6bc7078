"""How bytes are cut into messages, and what proves them whole."""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from tidybench.core.setup.part import Part

ENCODINGS = {"ascii": "ascii", "latin-1": "latin-1", "cp437": "cp437", "utf-8": "utf-8"}


class FramingPart(Part):
    """How bytes are cut into messages."""

    kind: Literal["ends with"] = "ends with"
    terminator: Annotated[str, Field(min_length=1, max_length=16)] = "\r\n"
    check: Literal["none", "nmea", "xor hex"] = "none"
    longest: Annotated[int, Field(ge=1, le=1_048_576)] = 4096
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"

    @property
    def terminator_bytes(self) -> bytes | None:
        """The terminator, or None for "either"."""
        return None if self.terminator == "either" else self.terminator.encode("latin-1")

    @field_validator("terminator")
    @classmethod
    def _bytes(cls, value: str) -> str:
        if not all(ord(char) < 256 for char in value):
            raise ValueError('a terminator is made of bytes: write it as "\\r\\n", "\\r" or "either"')
        return value
