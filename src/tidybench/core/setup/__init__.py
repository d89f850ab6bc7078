"""The set-up: an instrument's whole definition, as it travels in a `*.setup.toml` file.

The model is the schema: `schema()` publishes it as JSON Schema (docs/formats/set-up.schema.json). What it takes other
packages to check (patterns, fields) is checked when a set-up is compiled (`core.compile`).
"""

from tidybench.core.setup.channel import ChannelPart, LimitsPart
from tidybench.core.setup.framing import ENCODINGS, FramingPart
from tidybench.core.setup.link import (
    RFC2217,
    UNCHOSEN,
    FilePart,
    LinkPart,
    RS485Part,
    SerialPart,
    TcpPart,
    UdpPart,
)
from tidybench.core.setup.modbus import ModbusPart, RegisterPart
from tidybench.core.setup.setup import Setup
from tidybench.core.setup.talk import CommandPart, IdentityPart, InstrumentPart, ListenPart, QueryPart
from tidybench.core.setup.toml import SetupError, parsed, schema

__all__ = [
    "ENCODINGS",
    "RFC2217",
    "UNCHOSEN",
    "ChannelPart",
    "CommandPart",
    "FilePart",
    "FramingPart",
    "IdentityPart",
    "InstrumentPart",
    "LimitsPart",
    "LinkPart",
    "ListenPart",
    "ModbusPart",
    "QueryPart",
    "RS485Part",
    "RegisterPart",
    "SerialPart",
    "Setup",
    "SetupError",
    "TcpPart",
    "UdpPart",
    "parsed",
    "schema",
]
