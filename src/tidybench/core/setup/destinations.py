"""Where corrected values are handed on to, which of them, when, and how they are written."""

from typing import Annotated, Literal

from pydantic import Field, StrictBool, ValidationError, field_validator, model_validator

from tidybench.core.setup.link import Host, NetworkPort, SerialPart
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.toml import SetupError, sentences, toml_data

DESTINATIONS = "destinations"
"""What the document is called."""


class ToTcp(Part):
    """A TCP connection that Tidy Bench opens."""

    kind: Literal["tcp"]
    host: Host
    tcp_port: NetworkPort


class ToTcpClients(Part):
    """TCP connections that others open, to this computer alone unless `listen_on` says otherwise."""

    kind: Literal["tcp server"]
    listen_on: Host = "127.0.0.1"
    tcp_port: NetworkPort


class ToPty(Part):
    """A pseudo-terminal, which another program of this computer opens like a serial port; `path`: a link to it."""

    kind: Literal["pty"]
    path: Annotated[str, Field(min_length=1, max_length=1000)]


class ToUdp(Part):
    """UDP datagrams, one for each message."""

    kind: Literal["udp"]
    host: Host
    udp_port: NetworkPort


class ToFile(Part):
    """A file that grows."""

    kind: Literal["file"]
    path: Annotated[str, Field(min_length=1, max_length=1000)]


FilePath = Annotated[str, Field(max_length=1000)]


class ToMqtt(Part):
    """A broker, by MQTT 3.1.1 or 5 (OASIS). A message is published under `topic`, without an end of line; with `quality` 1 or 2 (of service) it is kept
    until the broker has confirmed it. `state_topic`: where the broker says, retained, whether this destination is there: `online`, and as last will
    `offline`. The password stands in a file of its own, so that it is in no document that is shown or passed on."""

    kind: Literal["mqtt"]
    host: Host
    tcp_port: NetworkPort = 1883
    topic: Annotated[str, Field(min_length=1, max_length=500)]
    version: Literal["3.1.1", "5"] = "5"
    quality: Literal[0, 1, 2] = 1
    retain: StrictBool = False
    state_topic: Annotated[str, Field(max_length=500)] = ""
    tls: StrictBool = False
    ca_file: FilePath = ""
    user: Annotated[str, Field(max_length=200)] = ""
    password_file: FilePath = ""
    client_id: Annotated[str, Field(max_length=100, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""

    @field_validator("topic", "state_topic")
    @classmethod
    def _plain(cls, topic: str) -> str:
        """A topic that is published under has no wildcards (MQTT 5.0, 4.7.1)."""
        if any(char in topic for char in "+#\0"):
            raise ValueError("a topic to publish under has neither + nor # in it")
        return topic

    @model_validator(mode="after")
    def _belongs(self) -> "ToMqtt":
        if self.password_file and not self.user:
            raise ValueError("a password needs a user")
        if self.ca_file and not self.tls:
            raise ValueError("a file of certificates is only used with TLS")
        if self.topic == self.state_topic:
            raise ValueError("values and state need two topics")
        return self


class ToModbus(Part):
    """Registers that others read, by Modbus TCP: this end is the server."""

    kind: Literal["modbus"]
    listen_on: Host = "127.0.0.1"
    tcp_port: NetworkPort = 1502


To = Annotated[
    SerialPart | ToTcp | ToTcpClients | ToUdp | ToPty | ToFile | ToMqtt | ToModbus,
    Field(discriminator="kind"),
]


class DestinationPart(Part):
    """A destination. `channels`: which, in this order; `every_s`: at a steady rate, 0 for with each reading of the first. `pattern`: how a message is
    written, with a field for each channel (its id, with `_` for every character that a name of a field cannot have); "" for a JSON line.

    `missing`: what is sent while a value is not measured, or old: `token` in its place, nothing of the message ("leave out"), or the last that was
    ("last").
    """

    id: Identifier
    name: Label
    on: StrictBool = True
    to: To
    channels: Annotated[list[Identifier], Field(min_length=1, max_length=200)]
    every_s: Annotated[float, Field(ge=0, le=86_400)] = 0.0
    pattern: Annotated[str, Field(max_length=2000)] = ""
    missing: Literal["token", "leave out", "last"] = "token"
    token: Annotated[str, Field(max_length=40, pattern=r"^[^\x00-\x1f\x7f]*$")] = "NaN"

    @model_validator(mode="after")
    def _fits(self) -> "DestinationPart":
        if isinstance(self.to, ToPty | ToFile) and not self.to.path.startswith(("/", "~/")):
            raise ValueError(
                f"{self.name}: give the whole path, as in /home/me/values.jsonl or ~/values.jsonl"
            )
        for path in (self.to.ca_file, self.to.password_file) if isinstance(self.to, ToMqtt) else ():
            if path and not path.startswith(("/", "~/")):
                raise ValueError(f"{self.name}: give the whole path of a file, as in ~/broker.password")
        if isinstance(self.to, ToModbus) and (
            self.pattern or self.every_s == 0 or self.missing == "leave out"
        ):
            raise ValueError(
                f"{self.name}: registers are made anew at a steady rate, have no pattern, and all are always there"
            )
        if len(set(self.channels)) < len(self.channels):
            raise ValueError(f"{self.name}: a channel is there twice")
        if 0 < self.every_s < 0.001:
            raise ValueError(f"{self.name}: a steady rate is at most 1000 a second")
        return self


class Destinations(Part):
    """All destinations of a bench."""

    format: Literal[1] = 1
    destination: Annotated[list[DestinationPart], Field(max_length=16)] = []

    @model_validator(mode="after")
    def _ids(self) -> "Destinations":
        for what, all_of in (
            ("id", [one.id for one in self.destination]),
            ("name", [one.name for one in self.destination]),
        ):
            twice = sorted({one for one in all_of if all_of.count(one) > 1})
            if twice:
                raise ValueError(f"the {what} “{twice[0]}” is used twice")
        return self


def load_destinations(text: str) -> Destinations:
    """Read the document from TOML; raises SetupError with a sentence for each thing that is wrong. Whether channels are there is not looked at
    here."""
    try:
        return Destinations.model_validate(toml_data(text))
    except ValidationError as error:
        raise SetupError(
            [line for one in error.errors() for line in sentences(one, text, "destinations")]
        ) from None
