"""Frames of bytes that are no text: of one length, or saying themselves how long they are. Proposed only where that is proved."""

from collections import Counter
from collections.abc import Iterator

from tidybench.core.framing import make_framer
from tidybench.core.setup.framing import CountPart, FramingPart
from tidybench.core.teaching.checks import find_check

LOOKED_AT = 4000
"""Bytes that are searched."""
LONGEST = 64
FEWEST = 10
"""Frames from which on anything recurs."""
SHARE = 0.9
"""Of frames that must begin alike; and of the bytes that frames must cover."""
_PLUS = range(9)
_AT = (1, 2, 3)
_TEXT = bytes(range(0x20, 0x7F)) + b"\t\r\n\x02\x03\x04\x1b"


def framings_by_length(data: bytes) -> list[tuple[FramingPart, str]]:
    """Framings with the reason for each."""
    data = data[-LOOKED_AT:]
    if len(data.translate(None, _TEXT)) < 0.1 * len(data):
        return []
    return [*_counted(data), *_fixed(data)]


def _fixed(data: bytes) -> Iterator[tuple[FramingPart, str]]:
    """Of one length, with a first byte that is always the same, proved by check characters that match."""
    for length in range(3, LONGEST + 1):
        for place in range(length):
            column = data[place::length]
            if len(column) < FEWEST:
                return
            first, count = Counter(column).most_common(1)[0]
            if count < SHARE * len(column):
                continue
            framing = FramingPart(kind="fixed length", length=length, start=chr(first))
            bodies = _cut(framing, data)
            found = find_check(bodies) if len(bodies) >= FEWEST else None
            if found is not None:
                yield (
                    framing,
                    f"{len(bodies)} frames of {length} bytes begin with {first:02X}, and {found[2]}",
                )
                return


def _counted(data: bytes) -> Iterator[tuple[FramingPart, str]]:
    """With a byte near the beginning that says how many follow: each frame ends where the next one begins."""
    for first, _ in Counter(data).most_common(6):
        for at in _AT:
            for plus in _PLUS:
                sizes, covered = _walked(data, first, at, plus)
                if len(sizes) >= FEWEST and len(set(sizes)) >= 2 and covered >= SHARE * len(data) - LONGEST:
                    framing = FramingPart(
                        kind="counted", start=chr(first), count=CountPart(at=at, size=1, plus=plus)
                    )
                    yield (
                        framing,
                        (
                            f"{len(sizes)} frames begin with {first:02X}, and byte {at + 1} says how long each one is"
                        ),
                    )
                    return


def _walked(data: bytes, first: int, at: int, plus: int) -> tuple[list[int], int]:
    """The lengths of frames that follow each other, and the bytes they have together."""
    place = data.find(first)
    sizes: list[int] = []
    while place >= 0 and place + at < len(data):
        size = data[place + at] + plus
        end = place + size
        if size <= at + 1 or end >= len(data) or data[end] != first:
            if sizes:
                break
            place = data.find(first, place + 1)
            continue
        sizes.append(size)
        place = end
    return sizes, sum(sizes)


def _cut(framing: FramingPart, data: bytes) -> list[bytes]:
    framer = make_framer(framing, 0)
    framer.opened(0, whole=True)
    return framer.feed(data, 1).bodies
