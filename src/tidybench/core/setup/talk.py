"""What is said to an instrument and when: queries, commands around a session, its identity."""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from tidybench.core.setup.part import Identifier, Label, Part

Talks = Literal["when asked", "on its own", "on its key"]
Bytes = Annotated[str, Field(min_length=1, max_length=1000)]


def _bytes_only(value: str) -> str:
    if not all(ord(char) < 256 for char in value):
        raise ValueError("a command is made of bytes: this one has a character that is none")
    return value


class InstrumentPart(Part):
    """What the instrument is called. The id never changes, the name may."""

    id: Identifier
    name: Label
    talks: Talks = "when asked"
    power_up: Annotated[str, Field(max_length=200)] = ""
    note: Annotated[str, Field(max_length=2000)] = ""


class QueryPart(Part):
    """A question asked on a fixed grid (or on demand only), and the patterns of its answers, tried in order."""

    id: Identifier
    send: Bytes
    every_s: Annotated[float, Field(ge=0, le=86_400)] = 1.0
    on_demand: bool = False
    give_up_after_s: Annotated[float, Field(ge=0.005, le=600)] = 0.5
    patterns: Annotated[list[str], Field(max_length=20)] = []

    @field_validator("every_s")
    @classmethod
    def _not_too_fast(cls, value: float) -> float:
        if 0 < value < 0.001:
            raise ValueError(
                "a poll interval is 0 (the next as soon as the reply is whole) or at least 0.001 s"
            )
        return value

    _bytes = field_validator("send")(_bytes_only)


class ListenPart(Part):
    """The patterns of an instrument that talks by itself, and how often it does (on its own: 1 s unless
    given; on its key: how long a reading is good, 600 s unless given)."""

    every_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    patterns: Annotated[list[str], Field(max_length=20)] = []


class CommandPart(Part):
    """A command sent on connecting or on release. `expect`: text that must stand in its answer."""

    send: Bytes
    expect: Annotated[str, Field(max_length=200)] = ""
    wait_s: Annotated[float, Field(ge=0, le=60)] = 0.3

    _bytes = field_validator("send")(_bytes_only)


class IdentityPart(Part):
    """How to ask an instrument who it is. `expect`: text that must stand in the answer; until it
    does, no sample is taken and no start command is sent. `lines`: of the answer, 0 for until quiet."""

    send: Bytes
    expect: Annotated[str, Field(max_length=200)] = ""
    lines: Annotated[int, Field(ge=0, le=50)] = 0
    wait_s: Annotated[float, Field(gt=0, le=60)] = 0.6

    _bytes = field_validator("send")(_bytes_only)
