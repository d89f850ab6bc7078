"""Links: how bytes reach instruments. Serial ports today; each link is opened, read, written and
closed by one worker, and says in a sentence why it cannot."""

from tidybench.links.link import Link, LinkError
from tidybench.links.serial_port import SerialLink

__all__ = ["Link", "LinkError", "SerialLink"]
