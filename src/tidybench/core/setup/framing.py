"""How bytes are cut into messages, and what proves them whole."""

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from tidybench.core.protocols.crc import CRCS
from tidybench.core.setup.part import Part

ENCODINGS = {"ascii": "ascii", "latin-1": "latin-1", "cp437": "cp437", "utf-8": "utf-8"}

MODBUS_CHECKS = {"modbus rtu": "modbus crc", "modbus ascii": "modbus lrc", "modbus tcp": "modbus tcp"}
"""The framings of Modbus, and what proves their messages whole."""

Bytes = Annotated[str, Field(max_length=64)]


class CheckPart(Part):
    """Check characters at the end of a message: how they are calculated, what they cover, how they are written. Of messages
    between marks, `covers_start` and `covers_before` say whether the start mark and the end mark are covered."""

    kind: Literal[
        "xor", "sum", "lrc", "crc-8", "crc-16 modbus", "crc-16 arc", "crc-16 ccitt", "crc-16 xmodem", "crc-16 x25", "crc-32"
    ]  # fmt: skip
    written: Literal["hex", "high first", "low first", "decimal"] = "hex"
    skip: Annotated[int, Field(ge=0, le=64)] = 0
    before: Annotated[str, Field(max_length=8)] = ""
    covers_before: bool = False
    covers_start: bool = False
    negated: bool = False

    @property
    def size(self) -> int:
        """How many characters it takes."""
        bits = CRCS[self.kind].width if self.kind in CRCS else 8
        if self.written == "decimal":
            return len(str((1 << bits) - 1))
        return bits // 4 if self.written == "hex" else bits // 8


class CountPart(Part):
    """Where a message says how long it is."""

    at: Annotated[int, Field(ge=0, le=64)]
    size: Annotated[int, Field(ge=1, le=8)]
    written: Literal["high first", "low first", "decimal", "hex"] = "high first"
    plus: Annotated[int, Field(ge=-64, le=4096)] = 0


class FramingPart(Part):
    """How bytes are cut into messages."""

    kind: Literal[
        "ends with", "between marks", "fixed length", "silence", "counted", "ieee 488.2",
        "modbus rtu", "modbus ascii", "modbus tcp",
    ] = "ends with"  # fmt: skip
    terminator: Annotated[str, Field(min_length=1, max_length=16)] = "\r\n"
    prompt: Annotated[str, Field(max_length=16)] = ""
    start: Bytes = ""
    end: Bytes = ""
    behind: Annotated[int, Field(ge=0, le=8)] = 0
    length: Annotated[int, Field(ge=0, le=65_536)] = 0
    silence_ms: Annotated[float, Field(ge=0.1, le=60_000)] = 20.0
    count: CountPart | None = None
    check: Literal["none", "nmea", "xor hex", "modbus crc"] | CheckPart = "none"
    longest: Annotated[int, Field(ge=1, le=1_048_576)] = 4096
    encoding: Literal["ascii", "latin-1", "cp437", "utf-8"] = "ascii"

    @property
    def terminator_bytes(self) -> bytes | None:
        """The terminator, or None for "either"."""
        return None if self.terminator == "either" else self.terminator.encode("latin-1")

    @property
    def checked_by(self) -> str:
        """The check characters in words: Modbus always has its own."""
        if isinstance(self.check, CheckPart):
            return self.check.kind
        return MODBUS_CHECKS.get(self.kind, self.check)

    @property
    def modbus(self) -> bool:
        """Whether messages are Modbus frames."""
        return self.kind in MODBUS_CHECKS

    @property
    def binary(self) -> bool:
        """Whether messages are no text."""
        return self.kind in ("modbus rtu", "modbus tcp", "counted", "ieee 488.2")

    @property
    def described(self) -> str:
        """How a message is told from the next, as in "end with CR LF"."""
        return {
            "ends with": f"end with {shown(self.terminator)}",
            "between marks": f"stand between {shown(self.start)} and {shown(self.end)}",
            "fixed length": f"are {self.length} characters long",
            "silence": f"are followed by {self.silence_ms:g} ms of silence",
            "counted": "say themselves how long they are",
            "ieee 488.2": f"end with {shown(self.terminator)}, blocks apart",
            "modbus rtu": "are Modbus RTU frames",
            "modbus ascii": "are Modbus ASCII frames",
            "modbus tcp": "are Modbus TCP frames",
        }[self.kind]

    @property
    def ending(self) -> str:
        """What ends a message."""
        if self.kind in ("ends with", "ieee 488.2"):
            return shown(self.terminator)
        if self.kind == "between marks":
            return shown(self.end)
        return {
            "silence": f"{self.silence_ms:g} ms of silence",
            "fixed length": f"{self.length} characters",
        }.get(self.kind, "the end of a frame")

    @model_validator(mode="after")
    def _has_what_its_kind_needs(self) -> "FramingPart":
        if self.kind == "between marks" and not (self.start and self.end):
            raise ValueError("messages between marks need both: start and end")
        if self.behind and self.kind != "between marks":
            raise ValueError("behind counts bytes after an end mark: it belongs to messages between marks")
        if self.behind and isinstance(self.check, CheckPart) and self.check.size != self.behind:
            raise ValueError(
                f"behind = {self.behind} does not fit the check: {self.check.kind} written {self.check.written} has {self.check.size}"
            )
        if self.kind == "fixed length" and self.length < max(1, len(self.start)):
            raise ValueError("messages of a fixed length need it: length, at least as long as start")
        if self.kind == "counted" and self.count is None:
            raise ValueError(
                "counted messages need to say where the count stands: count = { at = 2, size = 1 }"
            )
        return self

    @field_validator("terminator", "start", "end", "prompt")
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
