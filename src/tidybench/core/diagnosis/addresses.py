"""Asking every address of a shared bus: the query for one, and what an answer says."""

import re
from collections.abc import Callable

from tidybench.core.protocols import modbus

_PLACE = re.compile(r"<address(?: (\d))?>")


class AddressError(ValueError):
    """A query that names no address."""


def query_maker(text: str) -> Callable[[int], bytes]:
    """How an address is asked: "" for Modbus RTU (read holding register 0), else a text with
    `<address>` in it, or `<address 2>` for two digits. Raises AddressError."""
    if not text:
        return modbus.read_registers
    if not _PLACE.search(text):
        raise AddressError("Write <address> in the query where the bus address goes, as in #<address 2>?\\r")

    def make(address: int) -> bytes:
        return _PLACE.sub(lambda m: f"{address:0{m[1] or 1}d}", text).encode("latin-1")

    return make


def judge_answer(text: str, query: bytes, data: bytes) -> str | None:
    """What an answer says: None for silence, "" for one good answer, else what is odd about it."""
    if not text:
        reply = modbus.judge_reply(query, data)
        return None if reply is None else reply.trouble
    if data.startswith(query):
        data = data[len(query) :]
    lines = [line for line in re.split(rb"[\r\n]+", data) if line.strip()]
    if not lines:
        return None
    if any(byte >= 0x80 or (byte < 0x20 and byte not in b"\r\n\t\x02\x03\x06") for byte in data):
        return (
            "an answer came, but garbled: two devices may have this address and speak at once, or the settings are "
            "not quite right"
        )
    if len(lines) > 1:
        return (
            "more than one answer came: two devices may have this address. Disconnect one and give it another"
        )
    return ""
