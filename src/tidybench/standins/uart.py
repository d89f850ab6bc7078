"""What a receiver makes of bytes that were sent with other settings than its own."""

from dataclasses import dataclass
from typing import Literal

Parity = Literal["none", "even", "odd", "mark", "space"]


@dataclass(slots=True, frozen=True)
class LineFormat:
    """Baud rate and character format of one end of a line."""

    baud: int
    data_bits: int = 8
    parity: Parity = "none"
    stop_bits: float = 1

    @property
    def character(self) -> float:
        """Seconds one character takes."""
        return (1 + self.data_bits + (self.parity != "none") + self.stop_bits) / self.baud


def _parity_bit(byte: int, parity: Parity) -> int:
    odd = byte.bit_count() & 1
    return {"even": odd, "odd": 1 - odd, "mark": 1, "space": 0, "none": 0}[parity]


def misread(data: bytes, sent: LineFormat, heard: LineFormat, strict: bool = False) -> bytes:
    """`data` sent in one format as a receiver set to another reads it.

    The line is built bit by bit and sampled in the middle of the receiver's own bits, as a UART
    does after each falling edge. Characters with a bad stop bit or parity come through as they are
    read, unless the receiver is `strict`, as most instruments are.
    """
    if sent == heard:
        return data
    line: list[int] = []
    half_stops = round(sent.stop_bits * 2)
    for byte in data:
        byte &= (1 << sent.data_bits) - 1
        bits = [0, *((byte >> bit) & 1 for bit in range(sent.data_bits))]
        if sent.parity != "none":
            bits.append(_parity_bit(byte, sent.parity))
        line += [bit for bit in bits for _ in range(2)] + [1] * half_stops
    line += [1] * 24
    ratio = 2 * sent.baud / heard.baud  # sender's half bits per receiver's bit
    out = bytearray()
    position = 0.0
    end = len(line) - 24
    extra = 1 if heard.parity != "none" else 0

    def sample(edge: float, bit: int) -> int:
        at = int(edge + (bit + 0.5) * ratio)
        return line[at] if at < len(line) else 1

    while position < end:
        start = int(position)
        while start < end and line[start] == 1:
            start += 1
        if start >= end:
            break
        edge = max(float(start), position)
        byte = sum(sample(edge, bit + 1) << bit for bit in range(heard.data_bits))
        good = sample(edge, heard.data_bits + extra + 1) == 1
        if extra:
            good &= sample(edge, heard.data_bits + 1) == _parity_bit(byte, heard.parity)
        if good or not strict:
            out.append(byte)
        position = edge + (heard.data_bits + extra + 1.5) * ratio
        # A break keeps the line low: a receiver waits for it to rise.
        while int(position) < end and line[int(position)] == 0:
            position = int(position) + 1.0
    return bytes(out)
