"""What is said to an instrument and when: queries, commands around a session, its identity."""

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.readers import ReaderPart
from tidybench.core.setup.scaling import CalibrationPart

Talks = Literal["when asked", "on its own", "on its key"]
Patterns = Annotated[list[str], Field(max_length=20)]
Bytes = Annotated[str, Field(min_length=1, max_length=1000)]


def bytes_only(value: str) -> str:
    """What is sent is made of bytes, one character each; raises ValueError."""
    if not all(ord(char) < 256 for char in value):
        raise ValueError("a command is made of bytes: this one has a character that is none")
    return value


class InstrumentPart(Part):
    """What the instrument is called. The id never changes, the name may. `group`: what it stands together with on screens
    ("stand 1"). `warm_up_s`: for so long after its link was opened its values are not judged."""

    id: Identifier
    name: Label
    talks: Talks = "when asked"
    power_up: Annotated[str, Field(max_length=200)] = ""
    group: Annotated[str, Field(max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    note: Annotated[str, Field(max_length=2000)] = ""
    warm_up_s: Annotated[float, Field(ge=0, le=86_400)] = 0.0
    calibration: CalibrationPart | None = None

    @model_validator(mode="after")
    def _in_no_unit(self) -> "InstrumentPart":
        if self.calibration is not None and self.calibration.expanded is not None:
            raise ValueError(
                "calibration: expanded has a channel's unit: give it with the channel, or give expanded_percent"
            )
        return self


class QueryPart(Part):
    """A question asked on a fixed grid (or on demand only), and how its answers are read: the reader, then the
    patterns in order; `errors` are the patterns of the instrument's own error replies.

    `lines` and `until` say when an answer of several lines is whole: after this many (0: none is counted),
    at one that begins with this text, or after `quiet_ms` of silence. `trigger` is sent first, and the
    question after `trigger_wait_s`.
    """

    id: Identifier
    send: Bytes
    every_s: Annotated[float, Field(ge=0, le=86_400)] = 1.0
    on_demand: bool = False
    give_up_after_s: Annotated[float, Field(ge=0.005, le=600)] = 0.5
    lines: Annotated[int, Field(ge=0, le=100_000)] = 1
    until: Annotated[str, Field(max_length=64)] = ""
    quiet_ms: Annotated[float, Field(ge=0, le=60_000)] = 0.0
    trigger: Annotated[str, Field(max_length=1000)] = ""
    trigger_wait_s: Annotated[float, Field(ge=0, le=600)] = 0.1
    reader: ReaderPart | None = None
    patterns: Patterns = []
    errors: Patterns = []

    @property
    def is_read(self) -> bool:
        """Whether anything says how its answers read."""
        return self.reader is not None or bool(self.patterns)

    @field_validator("every_s")
    @classmethod
    def _not_too_fast(cls, value: float) -> float:
        if 0 < value < 0.001:
            raise ValueError(
                "a poll interval is 0 (the next as soon as the reply is whole) or at least 0.001 s"
            )
        return value

    @model_validator(mode="after")
    def _ends(self) -> "QueryPart":
        if self.lines == 0 and not self.until and not self.quiet_ms:
            raise ValueError(
                "nothing says when the answer is whole: give lines, until (the beginning of its last line) or quiet_ms"
            )
        return self

    _bytes = field_validator("send", "trigger", "until")(bytes_only)


class ListenPart(Part):
    """How the messages of an instrument that talks by itself are read, and how often it talks (on its own:
    1 s unless given; on its key: how long a reading is good, 600 s unless given).

    `begins` and `contains`: text by which its messages are told from those of others on the same link.
    """

    every_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    begins: Annotated[str, Field(max_length=80)] = ""
    contains: Annotated[str, Field(max_length=80)] = ""
    reader: ReaderPart | None = None
    patterns: Patterns = []
    errors: Patterns = []

    @property
    def is_read(self) -> bool:
        """Whether anything says how its messages read."""
        return self.reader is not None or bool(self.patterns)


class CommandPart(Part):
    """A command sent on connecting or on release. `expect`: text that must stand in its answer."""

    send: Bytes
    expect: Annotated[str, Field(max_length=200)] = ""
    wait_s: Annotated[float, Field(ge=0, le=60)] = 0.3

    _bytes = field_validator("send")(bytes_only)


class IdentityPart(Part):
    """How to ask an instrument who it is. `expect`: text that must stand in the answer; until it
    does, no sample is taken and no start command is sent. `lines`: of the answer, 0 for until quiet."""

    send: Bytes
    expect: Annotated[str, Field(max_length=200)] = ""
    lines: Annotated[int, Field(ge=0, le=50)] = 0
    wait_s: Annotated[float, Field(gt=0, le=60)] = 0.6

    _bytes = field_validator("send")(bytes_only)
