"""Opening whatever link a set-up names."""

from pathlib import Path

from tidybench.core.setup import RFC2217, UNCHOSEN, LinkPart, SerialPart, TcpPart, UdpPart
from tidybench.links.followed_file import FileLink
from tidybench.links.link import Link, LinkError
from tidybench.links.network_serial import NetworkSerialLink
from tidybench.links.ports import device_of
from tidybench.links.serial_port import SerialLink
from tidybench.links.tcp import TcpLink
from tidybench.links.udp import UdpLink


def open_link(part: LinkPart, simulated: Path | None) -> Link:
    """Open a link. Raises LinkError with a sentence."""
    if isinstance(part, SerialPart):
        return open_serial(part, simulated)
    if isinstance(part, TcpPart):
        return TcpLink(part)
    if isinstance(part, UdpPart):
        return UdpLink(part)
    return FileLink(part)


def open_serial(part: SerialPart, simulated: Path | None) -> SerialLink | NetworkSerialLink:
    """Open a serial port, here or on the network. Raises LinkError."""
    if part.port.startswith(UNCHOSEN):
        raise LinkError("missing", "No port is chosen yet. Choose one under Port, and save.")
    device = device_of(part.port, simulated)
    if device.startswith(RFC2217):
        return NetworkSerialLink(device, part.port, part)
    return SerialLink(device, part.port, part)
