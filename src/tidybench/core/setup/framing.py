"""How bytes are cut into messages, and what proves them whole."""

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from tidybench.core.setup.part import Part

ENCODINGS = {"ascii": "ascii", "latin-1": "latin-1", "cp437": "cp437", "utf-8": "utf-8"}


class FramingPart(Part):
    """How bytes are cut into messages."""

    kind: Literal["ends with", "between marks", "modbus rtu"] = "ends with"
    terminator: Annotated[str, Field(min_length=1, max_length=16)] = "\r\n"
    start: Annotated[str, Field(max_length=64)] = ""
    end: Annotated[str, Field(max_length=64)] = ""
    check: Literal["none", "nmea", "xor hex", "modbus crc"] = "none"
    longest: Annotated[int, Field(ge=1, le=1_048_576)] = 4096
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"

    @property
    def terminator_bytes(self) -> bytes | None:
        """The terminator, or None for "either"."""
        return None if self.terminator == "either" else self.terminator.encode("latin-1")

    @property
    def checked_by(self) -> str:
        """The check characters: Modbus always has its own."""
        return "modbus crc" if self.kind == "modbus rtu" else self.check

    @property
    def binary(self) -> bool:
        """Whether messages are no text."""
        return self.kind == "modbus rtu"

    @property
    def described(self) -> str:
        """How a message is told from the next, as in "end with CR LF"."""
        if self.kind == "between marks":
            return f"stand between {shown(self.start)} and {shown(self.end)}"
        return "are Modbus RTU frames" if self.kind == "modbus rtu" else f"end with {shown(self.terminator)}"

    @property
    def ending(self) -> str:
        """What ends a message."""
        if self.kind == "modbus rtu":
            return "the end of a frame"
        return shown(self.end if self.kind == "between marks" else self.terminator)

    @model_validator(mode="after")
    def _has_its_marks(self) -> "FramingPart":
        if self.kind == "between marks" and not (self.start and self.end):
            raise ValueError("messages between marks need both: start and end")
        return self

    @field_validator("terminator", "start", "end")
    @classmethod
    def _bytes(cls, value: str) -> str:
        if not all(ord(char) < 256 for char in value):
            raise ValueError('a terminator is made of bytes: write it as "\\r\\n", "\\r" or "either"')
        return value


def shown(end: str) -> str:
    """Bytes as people call them."""
    if end == "either":
        return "CR or LF"
    names = {"\r": "CR", "\n": "LF", "\x02": "STX", "\x03": "ETX", "\x04": "EOT", "\x00": "NUL"}
    if end and all(char in names for char in end):
        return " ".join(names[char] for char in end)
    return f"“{''.join(names.get(char, char) for char in end)}”"
