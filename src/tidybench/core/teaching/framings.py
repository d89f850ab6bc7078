"""How bytes are cut into messages, proposed from the bytes."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.framing import make_framer
from tidybench.core.protocols.modbus import crc_good
from tidybench.core.setup.framing import FramingPart, shown
from tidybench.core.teaching.cells import cells, shape
from tidybench.core.teaching.lengths import framings_by_length

ENDS = ("\r\n", "\n", "\r", "\x03", ";", "\x00")
MAX_BYTES = 20_000
BETTER_BY = 0.15
"""How much more alike another framing's messages must look to be suggested."""

_LINE_ENDS = re.compile(rb"[\r\n\x03]")
SHORTEST_PAUSE = 30_000
"""Microseconds of silence that may part messages."""
_MARKED = re.compile(rb"([A-Za-z$!#@]{0,4}[{<\[(\x02])[^{}<>\[\]()\x02\x03]{1,80}?([}>\])\x03])")


@dataclass(slots=True)
class FramingProposal:
    """A framing, the messages it cuts, and why."""

    framing: FramingPart
    bodies: list[bytes]
    reason: str
    score: float = 0.0


def propose_framing(data: bytes, pieces: Sequence[tuple[int, bytes]] = ()) -> list[FramingProposal]:
    """Framings that cut these bytes into messages that look alike, the best first. `pieces`: the same bytes with the times
    (microseconds) at which they came, where those are known."""
    data = data[-MAX_BYTES:]
    made = (*_ended(data), *_marked(data), *_modbus(data), *_bursts(pieces), *_lengths(data))
    found = [one for one in made if len(one.bodies) >= 2]
    for one in found:
        one.score = one.score or _score(one.bodies, data)
    return sorted(found, key=lambda one: (-one.score, len(one.framing.terminator) < 2))


def score(framing: FramingPart, data: bytes) -> float:
    """How much alike the messages look that a framing cuts, from 0 to 1."""
    data = data[-MAX_BYTES:]
    bodies = _cut(framing, data)
    return _score(bodies, data) if len(bodies) >= 2 else 0.0


def _score(bodies: Sequence[bytes], data: bytes) -> float:
    return _alikeness(bodies) * _coverage(bodies, data) * _wholeness(bodies, data)


def _cut(framing: FramingPart, data: bytes) -> list[bytes]:
    framer = make_framer(framing, 0)
    framer.opened(0, whole=True)
    return framer.feed(data, 1).bodies


def _ended(data: bytes) -> list[FramingProposal]:
    made = []
    for end in ENDS:
        count = data.count(end.encode())
        if count < 2 or (end in ("\n", "\r") and data.count(b"\r\n") > 0.9 * count):
            continue
        if end == ";" and len(_LINE_ENDS.findall(data)) >= 2:
            continue  # a line's end would be left within messages
        framing = FramingPart(terminator=end)
        made.append(
            FramingProposal(
                framing,
                _cut(framing, data),
                f"{shown(end)} recurs {count} times and ends messages that look alike",
            )
        )
    return made


def _marks(data: bytes) -> list[tuple[tuple[bytes, bytes], int]]:
    """The commonest pairs of marks, and how often something stands between them."""
    return Counter((found[1], found[2]) for found in _MARKED.finditer(data)).most_common(2)


def _marked(data: bytes) -> list[FramingProposal]:
    made = []
    for (start, end), count in _marks(data):
        if count < 3:
            continue
        framing = FramingPart(kind="between marks", start=start.decode("latin-1"), end=end.decode("latin-1"))
        reason = f"{count} times something stands between {shown(framing.start)} and {shown(framing.end)}"
        made.append(FramingProposal(framing, _cut(framing, data), reason))
    return made


def _bursts(pieces: Sequence[tuple[int, bytes]]) -> list[FramingProposal]:
    """Messages that nothing ends but silence."""
    if len(pieces) < 2 or not pieces[-1][0] or len(_LINE_ENDS.findall(b"".join(p for _, p in pieces))) >= 2:
        return []
    bursts: list[bytearray] = []
    pauses: list[int] = []
    last = 0
    for at, piece in pieces:
        if bursts and at - last < SHORTEST_PAUSE:
            bursts[-1] += piece
        else:
            pauses += [at - last] if bursts else []
            bursts.append(bytearray(piece))
        last = at
    # The first burst may have begun before anybody listened.
    bodies = [bytes(one) for one in bursts[1:] if len(one) >= 2]
    if len(bodies) < 5 or len(bodies) < 0.8 * len(bursts):
        return []
    silence = min(200, max(10, round(min(pauses) / 4000)))
    framing = FramingPart(kind="silence", silence_ms=float(silence))
    reason = f"nothing ends them, and {round(min(pauses) / 1000)} ms or more of silence follow each"
    return [FramingProposal(framing, bodies, reason)]


def _modbus(data: bytes) -> list[FramingProposal]:
    framing = FramingPart(kind="modbus rtu")
    bodies = _cut(framing, data)
    good = [body for body in bodies if crc_good(body)]
    if len(good) < 3 or len(good) < 0.8 * len(bodies):
        return []
    return [FramingProposal(framing, bodies, f"{len(good)} Modbus RTU frames whose CRC matches", 1.0)]


def _lengths(data: bytes) -> list[FramingProposal]:
    """Bytes that are no text: whatever text they happen to hold, these are proved."""
    return [FramingProposal(one, _cut(one, data), why, 0.98) for one, why in framings_by_length(data)]


def _alikeness(bodies: Sequence[bytes]) -> float:
    """How few shapes the messages have for their number, those with numbers in them counting more, and those with line ends
    left in them less."""
    shapes = Counter(shape(cells(body[:300])) for body in bodies[:200])
    count = min(len(bodies), 200)
    alike = (count - len(shapes) + 1) / max(1, count)
    with_numbers = sum(re.search(rb"\d", body) is not None for body in bodies[:200]) / max(
        1, min(len(bodies), 200)
    )
    left = sum(_LINE_ENDS.search(body) is not None for body in bodies[:200]) / max(1, count)
    return alike * (0.3 + 0.7 * with_numbers) * (1 - 0.7 * left)


def _wholeness(bodies: Sequence[bytes], data: bytes) -> float:
    """Less where marked messages stand in the pieces, now one, now several of them: what ends the pieces is something else, and
    however alike those look in the long run, each is more than a message, or none."""
    for (start, end), count in _marks(data):
        marked = re.findall(re.escape(start) + rb"[^{}<>\[\]()\x02\x03]{1,80}?" + re.escape(end), data)
        if count < 3 or sum(map(len, marked)) < 0.6 * len(data) or _alikeness(marked) < 0.8:
            continue
        held = Counter(body.count(start) for body in bodies)
        usual = max(held.values())
        if max(held) > 1:
            return 1 - 0.8 * (len(bodies) - usual) / len(bodies)
    return 1.0


def _coverage(bodies: Sequence[bytes], data: bytes) -> float:
    """Bytes that are part of a message; a little is forgiven, debug text between marks is not counted against them."""
    return 0.5 + 0.5 * min(1.0, sum(map(len, bodies)) / max(1, len(data)))
