"""How bytes reach an instrument: a serial port, TCP, UDP, or a file that is followed."""

import re
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Discriminator, Field, Tag, field_validator, model_validator

from tidybench.core.setup.part import Part

PARITY_BITS = {"none": 0, "even": 1, "odd": 1, "mark": 1, "space": 1}
RFC2217 = "rfc2217://"
UNCHOSEN = "not chosen yet"
"""A port name that begins so stands for none: a copy of a set-up waits for its own."""

Host = Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^\s/@?#]+$")]
NetworkPort = Annotated[int, Field(ge=1, le=65_535)]


class _Link(Part):
    """What every link can be told: how long to leave it alone between two commands, and the
    terminator that a typed command gets."""

    command_gap_ms: Annotated[float, Field(ge=0, le=60_000)] = 0.0
    sends_end: Annotated[str | None, Field(max_length=16)] = None
    echo: bool = False

    @property
    def reach(self) -> str:
        """What it opens besides a port of this computer, as the end of “it …”; "" for nothing."""
        return ""

    @field_validator("sends_end")
    @classmethod
    def _bytes(cls, value: str | None) -> str | None:
        if value is not None and not all(ord(char) < 256 for char in value):
            raise ValueError('a terminator is made of bytes: write it as "\\r\\n" or "\\r"')
        return value

    @property
    def byte_time(self) -> float:
        """Microseconds one character takes on the wire; 0 where arrival times are not dated back."""
        return 0.0


class RS485Part(Part):
    """How the direction of a two-wire line is switched: which level of RTS means sending, and the delays."""

    rts_while_sending: Literal["on", "off"] = "on"
    before_ms: Annotated[float, Field(ge=0, le=1000)] = 0.0
    after_ms: Annotated[float, Field(ge=0, le=1000)] = 0.0


def _known_stop_bits(value: float) -> float:
    if value not in (1, 1.5, 2):
        raise ValueError("there are 1, 1.5 or 2 stop bits")
    return value


StopBits = Annotated[float, AfterValidator(_known_stop_bits), Field(json_schema_extra={"enum": [1, 1.5, 2]})]
"""How many a character has on the wire."""


class SerialPart(_Link):
    """A serial port of this computer, or one on the network that speaks RFC 2217."""

    kind: Literal["serial"] = "serial"
    port: Annotated[str, Field(min_length=1, max_length=200)]
    baud: Annotated[int, Field(ge=50, le=12_000_000)] = 9600
    data_bits: Literal[5, 6, 7, 8] = 8
    parity: Literal["none", "even", "odd", "mark", "space"] = "none"
    stop_bits: StopBits = 1
    flow_control: Literal["none", "rts/cts", "xon/xoff", "dsr/dtr"] = "none"
    rts: Literal["on", "off"] = "on"
    dtr: Literal["on", "off"] = "on"
    rs485: RS485Part | None = None
    character_gap_ms: Annotated[float, Field(ge=0, le=1000)] = 0.0

    @field_validator("port")
    @classmethod
    def _known_address(cls, value: str) -> str:
        if value.startswith(RFC2217) and not re.fullmatch(r"[^\s/@?#]+:\d{1,5}", value[len(RFC2217) :]):
            raise ValueError("a serial port on the network is written rfc2217://HOST:PORT")
        return value

    @model_validator(mode="after")
    def _rts_has_one_master(self) -> "SerialPart":
        if self.rs485 is not None and self.flow_control == "rts/cts":
            raise ValueError("RTS turns an RS-485 line round: it cannot do RTS/CTS flow control as well")
        return self

    @property
    def address(self) -> str:
        """The name of this link, on the tape and everywhere."""
        return self.port

    @property
    def reach(self) -> str:
        return f"connects to {self.port} and sends there" if "://" in self.port else ""

    @property
    def byte_time(self) -> float:
        bits = 1 + self.data_bits + PARITY_BITS[self.parity] + self.stop_bits
        return bits * 1e6 / self.baud

    @property
    def short(self) -> str:
        """The trade's short form, as in 9600 8-N-1."""
        return f"{self.baud} {self.data_bits}-{self.parity[0].upper()}-{self.stop_bits:g}"


class TcpPart(_Link):
    """A raw TCP connection that Tidy Bench opens."""

    kind: Literal["tcp"]
    host: Host
    tcp_port: NetworkPort

    @property
    def address(self) -> str:
        return f"tcp://{self.host}:{self.tcp_port}"

    @property
    def reach(self) -> str:
        return f"connects to {self.host}, TCP port {self.tcp_port}, and sends there"

    @property
    def short(self) -> str:
        return "TCP"


class UdpPart(_Link):
    """UDP: datagrams that come to `listen_port`, from this computer alone unless `listen_on` says otherwise; commands go to
    `host`:`udp_port`, and datagrams of others are dropped; or to whoever sent last where no host is given."""

    kind: Literal["udp"]
    listen_port: NetworkPort
    listen_on: Host = "127.0.0.1"
    host: Host | None = None
    udp_port: NetworkPort | None = None

    @model_validator(mode="after")
    def _whole_target(self) -> "UdpPart":
        if (self.host is None) != (self.udp_port is None):
            raise ValueError("host and udp_port belong together: say where commands go with both")
        return self

    @property
    def address(self) -> str:
        return f"udp://{self.listen_on}:{self.listen_port}"

    @property
    def reach(self) -> str:
        heard = "" if self.listen_on.startswith("127.") else f"takes datagrams at {self.address}"
        sent = f"sends to {self.host}, UDP port {self.udp_port}" if self.host is not None else ""
        return " and ".join(part for part in (heard, sent) if part)

    @property
    def short(self) -> str:
        return "UDP"


class FilePart(_Link):
    """A text file: one that is still being written is followed, a finished one is played back.

    `pace`: "at once" (everything that is there), "its own" (by the time at the beginning of each
    line, ISO 8601 or seconds), or lines a second.
    """

    kind: Literal["file"]
    path: Annotated[str, Field(min_length=1, max_length=1000)]
    begin: Literal["at its end", "at its beginning"] = "at its end"
    pace: Literal["at once", "its own"] | Annotated[float, Field(gt=0, le=100_000)] = "at once"

    @field_validator("pace", mode="before")
    @classmethod
    def _as_it_was_called(cls, value: object) -> object:
        # Set-ups that were kept before have the older word.
        return "at once" if value == "as it comes" else value

    @property
    def address(self) -> str:
        return f"file:{self.path}"

    @property
    def reach(self) -> str:
        return f"reads the file {self.path}"

    @property
    def short(self) -> str:
        if self.pace == "at once":
            return "followed" if self.begin == "at its end" else "read whole, then followed"
        return (
            "played at its own pace" if self.pace == "its own" else f"played at {self.pace:g} lines a second"
        )


def _kind(value: Any) -> str:
    kind = value.get("kind", "serial") if isinstance(value, dict) else getattr(value, "kind", "serial")
    return kind if kind in ("serial", "tcp", "udp", "file") else "serial"


LinkPart = Annotated[
    Annotated[SerialPart, Tag("serial")]
    | Annotated[TcpPart, Tag("tcp")]
    | Annotated[UdpPart, Tag("udp")]
    | Annotated[FilePart, Tag("file")],
    Discriminator(_kind),
]
LINK_TAGS = {"serial", "tcp", "udp", "file"}
"""They stand in Pydantic's error locations and mean nothing to people."""
