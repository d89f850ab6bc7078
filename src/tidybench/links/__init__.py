"""Links: how bytes reach instruments. Serial ports here and on the network (RFC 2217), TCP, UDP and
followed files; each is opened, read, written and closed by one worker, and says in a sentence why it cannot."""

from tidybench.links.link import READ_SIZE, WRITE_PATIENCE, BegunAnew, Link, LinkError, ModemLines, SharedLink
from tidybench.links.opening import open_link, open_serial
from tidybench.links.serial_port import SerialLink

__all__ = [
    "READ_SIZE",
    "WRITE_PATIENCE",
    "BegunAnew",
    "Link",
    "LinkError",
    "ModemLines",
    "SerialLink",
    "SharedLink",
    "open_link",
    "open_serial",
]
