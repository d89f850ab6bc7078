"""Ports as they are told, and what is done with them."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.exact import Exact


class PortInfo(Exact):
    """A serial port of the computer the recorder runs on. `name` is for set-ups, `device` what the system
    calls it today, `label` the person's own; `used_by` are instruments of this bench, `holder` other programs."""

    name: str
    device: str
    label: str
    description: str
    maker: str
    product: str
    usb_ids: str
    serial_number: str
    place: str
    holder: str
    remedy: str
    used_by: list[str]
    simulated: bool


class GetPorts(BaseModel):
    kind: Literal["get ports"] = "get ports"


class ReleasePort(BaseModel):
    kind: Literal["release port"] = "release port"
    link: str


class TakeBackPort(BaseModel):
    kind: Literal["take back port"] = "take back port"
    link: str


class LabelPort(BaseModel):
    """A label of the person's own for a port; empty takes it away."""

    kind: Literal["label port"] = "label port"
    name: str
    label: str
