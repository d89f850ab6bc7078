"""What stands at one place of messages of a kind: the same text always, a number, a word, a time, or nothing certain."""

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

Kind = Literal["fixed", "number", "numbers", "hex", "word", "clock", "unclear"]
_LETTERS = rb"A-Za-z_%\x80-\xff"
OVER = frozenset((b"OL", b"OVL", b"OVER", b"OFL", b"OVERLOAD", b"Over", b"+OL", b"O.L", b".OL", b"0L"))
UNDER = frozenset((b"-OL", b"UFL", b"UNDER", b"Under"))
DASHES = re.compile(rb"[-_*?]{2,}(?:[.,][-_*?]+)?|[-_*?]+[.,][-_*?]+")
_HEX = re.compile(rb"[0-9A-F]{2,16}|[0-9a-f]{2,16}")
MAX_TOKENS = 6


@dataclass(slots=True, frozen=True)
class Notation:
    """How numbers are written. `thousands`: what stands between groups of three digits, b"" for nothing."""

    comma: bool = False
    thousands: bytes = b""

    @property
    def commas(self) -> bool:
        """Whether commas stand within numbers."""
        return self.comma or self.thousands == b","


@lru_cache
def number_of(notation: Notation) -> "re.Pattern[bytes]":
    """Letters in front, a number, a sign behind, letters behind."""
    whole = rb"\d+"
    if notation.thousands:
        whole = rb"(?:\d{1,3}(?:" + re.escape(notation.thousands) + rb"\d{3})+(?!\d)|\d+)"
    point = rb"," if notation.comma else rb"\."
    digits = rb"(?:" + whole + rb"(?:" + point + rb"\d*)?|" + point + rb"\d+)(?:[eEdD][+-]?\d+)?"
    return re.compile(
        rb"(?P<pre>[" + _LETTERS + rb"]*?)(?P<sign>[+-]? *)(?P<digits>" + digits + rb")(?P<behind>[+-]?)"
        rb"(?P<suf>(?:[" + _LETTERS + rb"][" + _LETTERS + rb"0-9]*)?)"
    )


@dataclass(slots=True)
class Slot:
    """`texts`: what stood there, message by message. Of numbers, part by part: `pre`, `signs`, `digits`, `behind`, `suf`;
    `tokens`: the texts in place of a number. `why`: what is not clear."""

    kind: Kind
    texts: Sequence[bytes]
    pre: Sequence[bytes] = ()
    signs: Sequence[bytes] = ()
    digits: Sequence[bytes] = ()
    behind: Sequence[bytes] = ()
    suf: Sequence[bytes] = ()
    tokens: Sequence[bytes] = ()
    parts: int = 1
    width: int = 0
    beside: int | None = None  # of a word that is a unit: the place of its number
    passed: bool = False  # a person said that it is no reading
    rising: bool = False  # a person said that it is one, though it rises with the time
    why: str = ""

    def unclear(self, why: str) -> None:
        """Nothing certain can be said of it after all."""
        self.kind, self.why = "unclear", why

    @property
    def is_whole(self) -> bool:
        """Whether its numbers are whole, unsigned, and have no exponent."""
        return self.kind == "number" and all(one.isdigit() for one in self.digits) and not any(self.signs)


def classify(texts: Sequence[bytes], clocks: bool, notation: Notation) -> Slot:
    """What these texts have in common."""
    different = set(texts)
    if clocks:
        return Slot("clock", texts)
    numbers = [number_of(notation).fullmatch(text) for text in texts]
    if len(different) == 1:
        found = numbers[0]
        return _number("fixed", texts, numbers) if found else Slot("fixed", texts)
    name = _before_hex(different)
    if name is not None:
        return Slot("hex", texts, pre=[name] * len(texts), width=len(texts[0]) - len(name))
    good = [match for match in numbers if match is not None]
    if good:
        pres = {match["pre"] for match in good}
        sufs = {match["suf"] for match in good}
        tokens = [text for text, match in zip(texts, numbers, strict=True) if match is None]
        if all(_is_token(text, pres, sufs) for text in set(tokens)) and len(set(tokens)) <= MAX_TOKENS:
            return _number("number", texts, numbers, tokens)
        glued = _glued(texts, notation)
        if glued:
            return Slot("numbers", texts, parts=glued)
        return Slot("unclear", texts, why="numbers and other things stand at the same place")
    glued = _glued(texts, notation)
    if glued:
        return Slot("numbers", texts, parts=glued)
    if any(re.search(rb"\d", text) for text in different):
        return Slot("unclear", texts, why="letters and digits are mixed in a way that says nothing")
    return Slot("word", texts)


def _number(
    kind: Kind,
    texts: Sequence[bytes],
    numbers: Sequence["re.Match[bytes] | None"],
    tokens: Sequence[bytes] = (),
) -> Slot:
    good = [match for match in numbers if match is not None]
    return Slot(
        kind,
        texts,
        [match["pre"] for match in good],
        [match["sign"] for match in good],
        [match["digits"] for match in good],
        [match["behind"] for match in good],
        [match["suf"] for match in good],
        tokens,
    )


def _is_token(text: bytes, pres: set[bytes], sufs: set[bytes]) -> bool:
    """Whether a text may stand in place of a number: dashes, a word; with the letters around that numbers have."""
    if len(pres) == 1 and len(sufs) == 1:
        pre, suf = next(iter(pres)), next(iter(sufs))
        if text.startswith(pre) and text.endswith(suf) and len(text) > len(pre) + len(suf):
            text = text[len(pre) : len(text) - len(suf)]
    return (
        DASHES.fullmatch(text) is not None
        or text in OVER | UNDER
        or re.fullmatch(rb"[+-]?[A-Za-z]{2,8}", text) is not None
    )


def _before_hex(texts: set[bytes]) -> bytes | None:
    """The letters before hexadecimal digits, b"" for none; None where these are no hexadecimal digits."""
    first, last = min(texts), max(texts)
    letters = re.match(rb"[A-Za-z_]*", first)
    assert letters is not None
    for size in range(len(letters[0]) + 1):
        if first[:size] != last[:size]:
            break
        if _is_hex({text[size:] for text in texts}):
            return letters[0][:size]
    return None


def _is_hex(texts: set[bytes]) -> bool:
    """Whether all are as wide, and some place has a digit here and a letter there."""
    if len({len(text) for text in texts}) != 1 or not all(_HEX.fullmatch(text) for text in texts):
        return False
    columns = [bytes(column) for column in zip(*texts, strict=True)]
    mixed = [
        any(c in b"0123456789" for c in column) and any(c not in b"0123456789" for c in column)
        for column in columns
    ]
    return any(mixed)


def _glued(texts: Sequence[bytes], notation: Notation) -> int:
    """How many signed numbers touch each other, the same number of them always; 0 for none."""
    point = rb"," if notation.comma else rb"\."
    one = rb"[+-] *\d+(?:" + point + rb"\d+)?"
    if not all(re.fullmatch(rb"(?:" + one + rb"){2,}", text) for text in texts):
        return 0
    counts = {len(re.findall(one, text)) for text in texts}
    return counts.pop() if len(counts) == 1 else 0


def rises(slot: Slot) -> bool:
    """Whether whole numbers only ever count on, by about the same each time: a counter or a running time."""
    if not slot.is_whole or len(slot.digits) < 5 or slot.tokens:
        return False
    values = [int(one) for one in slot.digits]
    steps = [b - a for a, b in itertools.pairwise(values)]
    wraps = [step for step in steps if step < 0]
    up = sorted(step for step in steps if step >= 0)
    if len(wraps) > 1 or not up or up[0] < 1:
        return False
    usual = up[len(up) // 2]
    return sum(step > 3 * usual for step in up) <= max(1, 0.1 * len(up))  # a message may have been lost


COUNTERS = frozenset(
    [
        "seq",
        "sequence",
        "n",
        "no",
        "nr",
        "cnt",
        "count",
        "counter",
        "idx",
        "index",
        "i",
        "id",
        "frame",
        "sample",
        "t",
        "ts",
        "time",
        "ms",
        "us",
        "sec",
        "uptime",
        "up",
        "tick",
        "ticks",
        "millis",
        "run",
    ]
)
"""Names of what counts messages, or the time."""


PLACES = frozenset(
    [
        "ch",
        "chan",
        "channel",
        "adr",
        "addr",
        "address",
        "id",
        "no",
        "nr",
        "num",
        "n",
        "sensor",
        "probe",
        "unit",
        "node",
        "slot",
        "input",
        "station",
        "s",
        "c",
        "a",
    ]
)
"""Names of what says which of several things a message is about."""


def counts_by_name(name: str) -> bool:
    """Whether a number of this name may be a counter."""
    return name.lower().rpartition(".")[2].rstrip("0123456789") in COUNTERS


def by_one(slot: Slot) -> bool:
    """Whether most of them follow each other by one: nothing but a counter does."""
    values = [int(one) for one in slot.digits]
    steps = [b - a for a, b in itertools.pairwise(values)]
    return sum(step == 1 for step in steps) >= 0.8 * len(steps)
