"""Working out the settings of a serial line: what to try, and how well what came back fits.

A score is 0 (noise) to 1 (certain); `reasons` say in words what speaks for it. Nothing here opens
a port: a searcher feeds it bytes and shows its findings.
"""

import re
from collections import Counter
from dataclasses import dataclass, field
from typing import Literal

from tidybench.core.diagnosis.evidence import parity_seen, shape, unprintable_share
from tidybench.core.framing.check import nmea
from tidybench.core.protocols.modbus import crc_good

Parity = Literal["none", "even", "odd", "mark", "space"]
DataBits = Literal[5, 6, 7, 8]
BAUDS = (9600, 19200, 115200, 57600, 38400, 4800, 2400, 1200, 230400, 460800, 921600, 14400, 28800, 600, 300)
"""Baud rates in the order in which they are likely."""

CONVINCING = 0.85
"""Score from which on the search is over."""

_NUMBER = re.compile(rb"[-+]?\d+(?:[.,]\d+)?")


@dataclass(slots=True, frozen=True)
class Settings:
    """What is tried."""

    baud: int
    data_bits: DataBits = 8
    parity: Parity = "none"
    stop_bits: float = 1

    @property
    def short(self) -> str:
        """As in 9600 8-N-1."""
        return f"{self.baud} {self.data_bits}-{self.parity[0].upper()}-{self.stop_bits:g}"


@dataclass(slots=True, frozen=True)
class Finding:
    """What came at some settings, and what it is worth."""

    settings: Settings
    data: bytes
    score: float
    reasons: tuple[str, ...] = field(default=())

    @property
    def convincing(self) -> bool:
        """Whether there is no need to try on."""
        return self.score >= CONVINCING


def to_listen() -> list[Settings]:
    """What to try by listening: 7 data bits with parity show themselves at 8-N-1."""
    return [Settings(baud) for baud in BAUDS]


def to_ask() -> list[Settings]:
    """What to try with a query: an instrument that checks parity stays silent at 8-N-1."""
    formats: tuple[tuple[DataBits, Parity], ...] = (
        (8, "none"),
        (7, "even"),
        (8, "even"),
        (7, "odd"),
        (8, "odd"),
    )
    first = [Settings(baud) for baud in BAUDS]
    rest = [Settings(baud, bits, parity) for bits, parity in formats[1:] for baud in BAUDS[:9]]
    return first + rest


def judge(settings: Settings, data: bytes) -> Finding:
    """What bytes received at these settings are worth. Where 7 data bits with parity fit better than
    8, the finding says so in its settings."""
    if not data:
        return Finding(settings, data, 0.0, ("nothing came",))
    if settings.data_bits == 8 and settings.parity == "none":
        seen = parity_seen(data)
        if seen is not None:
            stripped = bytes(byte & 0x7F for byte in data)
            inner = _judge_text(Settings(settings.baud, 7, seen), stripped)
            reasons = (f"the eighth bit is {seen} parity on all {len(data)} bytes", *inner.reasons)
            return Finding(inner.settings, stripped, min(1.0, inner.score + 0.05), reasons)
    if crc_good(data):
        return Finding(settings, data, 1.0, (f"{len(data)} bytes whose Modbus CRC matches",))
    return _judge_text(settings, data)


def _judge_text(settings: Settings, data: bytes) -> Finding:
    noise = unprintable_share(data)
    if noise > 0.15:
        return Finding(settings, data, 0.1 * (1 - noise), (f"{noise:.0%} of {len(data)} bytes are not text",))
    reasons = [f"all {len(data)} bytes are text" if not noise else f"{1 - noise:.0%} of the bytes are text"]
    # Chance makes text of a few bytes now and then, hardly of twenty.
    score = 0.5 * (1 - noise) * min(1.0, len(data) / 12)
    lines = [line for line in re.split(rb"[\r\n\x00\x03]+", data) if line]
    ends = len(re.findall(rb"\r\n|\r|\n|\x03", data))
    if ends:
        score += 0.2
        reasons.append(f"{ends} line end{'s' if ends > 1 else ''}")
    sealed = sum(nmea(line) is not None for line in lines)
    if sealed:
        score += 0.3
        reasons.append(f"{sealed} checksum{'s come' if sealed > 1 else ' comes'} out right")
    if any(_NUMBER.search(line) for line in lines):
        score += 0.15
        reasons.append("numbers in it")
    whole = lines[1:] if len(lines) > 2 else lines
    if len(whole) > 1:
        count = Counter(shape(line) for line in whole).most_common(1)[0][1]
        if count > 1:
            score += 0.15
            reasons.append(f"{count} of {len(whole)} lines have the same shape")
    elif whole and re.fullmatch(rb"[ -~]{4,}", whole[0]) and ends:
        score += 0.1
    # Wrong rates turn runs of bits into few different characters.
    if len(set(data)) <= 3 and len(data) > 8 and not sealed:
        score *= 0.3
        reasons.append("but only a few different characters, over and over")
    return Finding(settings, data, min(1.0, score), tuple(reasons))


def best(findings: list[Finding]) -> Finding | None:
    """The finding to go by; None where nothing came that is worth anything."""
    found = max(findings, key=lambda finding: finding.score, default=None)
    return found if found is not None and found.score >= 0.3 else None
