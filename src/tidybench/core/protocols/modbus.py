"""Modbus over a serial line (MODBUS over Serial Line 1.02; MODBUS Application Protocol 1.1b3)."""

import struct
from dataclasses import dataclass

from tidybench.core.protocols.crc import CRCS

READ_HOLDING = 3
READS = (1, 2, 3, 4)
"""Functions whose reply says how many bytes follow."""

MAX_FRAME = 256
"""Bytes (serial line, 2.3)."""

EXCEPTIONS = {
    1: "illegal function",
    2: "illegal data address",
    3: "illegal data value",
    4: "device failure",
    5: "acknowledge",
    6: "device busy",
    8: "memory parity error",
    10: "gateway path unavailable",
    11: "gateway target does not respond",
}


def crc(data: bytes) -> int:
    """CRC-16/MODBUS (serial line, 6.2.2)."""
    return CRCS["crc-16 modbus"].of(data)


def seal(body: bytes) -> bytes:
    """A frame: address, function and data with their CRC, low byte first."""
    return body + crc(body).to_bytes(2, "little")


def frame(kind: str, unit: int, pdu: bytes, transaction: int = 1) -> bytes:
    """A request as it is sent. `kind`: `modbus rtu`, `modbus ascii` (serial line, 2.5.2) or `modbus tcp`
    (MODBUS Messaging on TCP/IP 1.0b, 3.1.3)."""
    body = bytes([unit]) + pdu
    if kind == "modbus ascii":
        return b":" + (body + bytes([-sum(body) & 0xFF])).hex().upper().encode() + b"\r\n"
    if kind == "modbus tcp":
        return struct.pack(">HHH", transaction, 0, len(body)) + body
    return seal(body)


def crc_good(frame: bytes) -> bool:
    """Whether these bytes are one whole frame whose CRC matches."""
    return len(frame) >= 4 and int.from_bytes(frame[-2:], "little") == crc(frame[:-2])


def read_registers(address: int, first: int = 0, count: int = 1, function: int = READ_HOLDING) -> bytes:
    """A request for registers (application protocol, 6.3 and 6.4)."""
    return seal(bytes([address, function]) + first.to_bytes(2, "big") + count.to_bytes(2, "big"))


@dataclass(slots=True, frozen=True)
class Reply:
    """What came upon a request. `trouble` is empty where one good frame came."""

    address: int
    trouble: str = ""


def judge_reply(request: bytes, data: bytes) -> Reply | None:
    """What `data` says about the device that `request` was sent to; None for silence.

    Two devices with one address answer at once: their frames follow each other or spoil each
    other, so that more comes than one frame, or a frame with a bad CRC.
    """
    if data.startswith(request):
        data = data[len(request) :]  # a line with local echo
    if not data:
        return None
    address = request[0]
    length = reply_length(data)
    if length and len(data) >= length and crc_good(data[:length]) and data[0] == address:
        rest = data[length:]
        if not rest:
            code = EXCEPTIONS.get(data[2], f"exception {data[2]}") if data[1] & 0x80 else ""
            return Reply(address, f"it answers with an exception: {code}" if code else "")
        return Reply(
            address,
            "two answers came one after the other: two devices have this address. Disconnect one and give it another",
        )
    if length and len(data) >= length and crc_good(data[:length]):
        return Reply(address, f"address {data[0]} answered instead")
    return Reply(
        address,
        "an answer came, but garbled: two devices may have this address and speak at once, or the settings are not quite right",
    )


def reply_length(data: bytes) -> int:
    """How long the reply that begins here is; 0 where that cannot be told yet."""
    if len(data) < 3:
        return 0
    if data[1] & 0x80:
        return 5
    return 5 + data[2] if data[1] in READS else 8
