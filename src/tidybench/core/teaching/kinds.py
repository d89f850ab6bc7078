"""Kinds of messages: those that have their marks and cells at the same places, and mean the same by them."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.teaching.cells import Cell, Shape, cells, shape
from tidybench.core.teaching.question import Asking, Choice, Question, key_of, listed, shown_text
from tidybench.core.teaching.slots import DASHES, OVER, PLACES, UNDER, Notation, Slot, classify, rises
from tidybench.core.teaching.units import is_unit, one_scale, plain_unit

STATES = frozenset(
    b"OK LO LOW HI HIGH ST US GS NT ON OFF STABLE UNSTABLE N Y D S A V ERR FAIL PASS RUN STOP ALARM WARN AUTO MAN GOOD BAD "
    b"READY BUSY HOLD IDLE TRUE FALSE NET GROSS TARE OVER UNDER NORM NORMAL FAULT WARM".split()
)
"""Words that instruments say of a state, as they write them in capitals."""
NO_VALUE = frozenset(b"ERR FAIL FAULT OVER UNDER BAD".split())
"""Those of them that may stand in place of a number."""
MAX_LABELS = 32
MIN_TAGS, TAG_SHARE = 4, 0.15
"""How often, and for which share of messages, the same whole number must come to be none of the numbers with a point."""
FEW_PLACES = 3
"""Whole numbers among words in front that may be labels as the words are."""
_ERROR = re.compile(
    rb"(?i)\W*(?:err|error|fault|fail|nak|syntax|invalid|unknown|bad|illegal)\b|\?|-\d{3},\"|\*E\b"
)
_MAY_BE_ERROR = re.compile(rb"[E!]\d{1,3}\b")


@dataclass(slots=True)
class Group:
    """Messages of one kind: their places in the capture, their parts, and what stands at each cell."""

    places: list[int]
    rows: list[list[Cell]]
    slots: list[Slot | None]  # None for marks and the end

    @property
    def has_numbers(self) -> bool:
        """Whether something in it could be a reading."""
        return any(slot is not None and re.search(rb"\d", b"".join(slot.texts)) for slot in self.slots)


def groups(messages: Sequence[bytes], notation: Notation, asking: Asking) -> list[Group]:
    """All kinds, the commonest first. Those that a label tells apart are kinds of their own."""
    found: dict[Shape, list[int]] = {}
    rows = [cells(message, notation.commas) for message in messages]
    for place, row in enumerate(rows):
        found.setdefault(shape(row), []).append(place)
    made: list[Group] = []
    for places in found.values():
        made += _split(_group(places, [rows[place] for place in places], notation), notation, asking)
    return sorted(made, key=lambda one: (-len(one.places), one.places[0]))


def _group(places: list[int], rows: list[list[Cell]], notation: Notation) -> Group:
    slots: list[Slot | None] = []
    for column in zip(*rows, strict=True):
        if column[0].kind in ("mark", "end"):
            slots.append(None)
        else:
            slots.append(classify([part.text for part in column], column[0].kind == "clock", notation))
    return Group(places, rows, slots)


def _split(group: Group, notation: Notation, asking: Asking) -> list[Group]:
    for index, slot in enumerate(group.slots):
        if slot is None:
            continue
        keys = _told_apart(group, index, slot, asking)
        if keys is None or len(set(keys)) < 2:
            continue
        parted: dict[bytes, list[int]] = {}
        for number, key in enumerate(keys):
            parted.setdefault(key, []).append(number)
        return [
            one
            for numbers in parted.values()
            for one in _split(
                _group([group.places[n] for n in numbers], [group.rows[n] for n in numbers], notation),
                notation,
                asking,
            )
        ]
    return [group]


def _told_apart(group: Group, index: int, slot: Slot, asking: Asking) -> Sequence[bytes] | None:
    """Where a cell says of which quantity a message is: what it says, message by message; None where it does not."""
    if slot.kind == "word":
        return _words(group, index, slot, asking)
    if slot.kind != "number":
        return None
    pres, sufs = set(slot.pre), set(slot.suf)
    words = [one for one in set(slot.tokens) if not DASHES.fullmatch(one) and one not in OVER | UNDER]
    if any(one.upper() in STATES and one.upper() not in NO_VALUE for one in words):
        slot.unclear("a state stands where others have a number")
        return None
    if any(is_unit(plain_unit(one)) for one in words):
        slot.unclear("a unit stands where others have a number")
        return None
    if slot.tokens and (len(pres) > 1 or len(sufs) > 1):
        slot.unclear("letters that change stand beside a number that is not always there")
        return None
    if _a_tag_among_numbers(slot):
        slot.unclear("two things may stand here")
        return None
    if words and slot.is_whole and len(set(slot.digits)) <= FEW_PLACES and _later_number(group, index):
        return _split_by(slot.texts, slot, asking)  # “CH1 5.0” and “Pa 3.2”
    if len(pres) > 1:
        if b"" in pres:
            slot.unclear("letters stand in front of some numbers and not of others")
            return None
        if all(is_unit(plain_unit(one)) for one in pres):
            return _by_dimension(slot.pre)
        return _split_by(slot.pre, slot, asking)
    if _is_place(group, index, slot):
        return _place(group, index, slot, asking)
    if len(sufs) > 1 and any(re.search(rb"\d", one) for one in sufs):
        slot.unclear("digits stand on both sides of a sign")
    elif len(sufs) > 1:
        apart = _by_dimension(slot.suf)
        if apart is not None or all(is_unit(plain_unit(one)) for one in sufs):
            return apart
        return _split_by(slot.suf, slot, asking)
    return None


def _words(group: Group, index: int, slot: Slot, asking: Asking) -> Sequence[bytes] | None:
    """A word that changes: the unit of a number beside it, the label of one, or a state."""
    if not any(_is_number(one) for one in group.slots):
        return None
    if all(is_unit(plain_unit(one)) for one in set(slot.texts)):
        slot.beside = _number_beside(group, index, asking)
        if slot.beside is not None:
            return _by_dimension(slot.texts)
    if _following(group, index) in (b"=", b":") and _is_number(group.slots[index + 2]):
        return slot.texts
    if index > 1 and group.rows[0][index - 1].text == b"=" and group.slots[index - 2] is not None:
        after = group.rows[0][index + 1]
        if after.kind in ("mark", "end") or after.blanks:
            return None  # “V=OPEN”: what a label says
    return _split_by(slot.texts, slot, asking)


def _number_beside(group: Group, index: int, asking: Asking) -> int | None:
    """The place of the number that a unit at `index` belongs to, a mark between at the most; None for none. Where one stands on
    either side it is asked: that one of them is nearer proves nothing."""
    slots, row = group.slots, group.rows[0]
    found: list[int] = []
    for step in (-1, 1):
        at = index + step
        if 0 <= at < len(slots) and slots[at] is None and row[at].kind == "mark":
            at += step
        if 0 <= at < len(slots) and _is_number(slots[at]):
            found.append(at)
    if len(found) < 2:
        return found[0] if found else None
    before, behind = found
    slot = slots[index]
    assert slot is not None
    example = (_shown(group, 0),)
    meant = asking.ask(
        Question(
            key_of("side", set(slot.texts)),
            f"Which number do {listed(slot.texts)} belong to?",
            (Choice("before", "the one before it", example), Choice("behind", "the one behind it", example)),
        )
    )
    return behind if meant == "behind" else before


def _split_by(texts: Sequence[bytes], slot: Slot, asking: Asking) -> Sequence[bytes] | None:
    """The texts, where they say which quantity it is; None for a state. What nobody knows is asked."""
    different = [one for one in dict.fromkeys(texts) if one and not DASHES.fullmatch(one)]
    if len(different) < 2 and b"" not in texts:
        return None  # one word, or dashes in its place
    if len(different) > MAX_LABELS:
        slot.unclear("so many words say nothing of what they mean")
        return None
    known = all(len(one) > 1 and one.upper() in STATES for one in different)
    if known:
        return None
    if _cycles(texts) and not any(one.upper() in STATES and len(one) > 1 for one in different):
        return _with_units_joined(texts)
    units = any(is_unit(plain_unit(one)) for one in different)
    choices = [
        Choice("quantities", "which quantity it is: a channel for each"),
        Choice("state", "a state: the number is of one channel all the time"),
    ]
    if units:
        choices.append(Choice("units", "its unit: I will say what they are by hand"))
    meant = asking.ask(
        Question(key_of("word", different), f"What do {listed(different)} say?", tuple(choices))
    )
    if meant == "units":
        slot.unclear("nothing says how many of the one unit is one of the other")
    return _with_units_joined(texts) if meant == "quantities" else None


def _with_units_joined(texts: Sequence[bytes]) -> Sequence[bytes]:
    """The same, where units that can be turned into one another count as one word."""
    first: dict[bytes, bytes] = {}
    for text in dict.fromkeys(texts):
        unit = plain_unit(text)
        same = (
            one for one in first.values() if is_unit(plain_unit(one)) and one_scale([plain_unit(one), unit])
        )
        first[text] = next(same, text) if is_unit(unit) else text
    return [first[text] for text in texts]


def _is_place(group: Group, index: int, slot: Slot) -> bool:
    """Whether a whole number may say which of several sensors a message is about: it is the first of several numbers but for a counter, has few
    values that come again, and no unit."""
    numbers = [
        at
        for at, one in enumerate(group.slots)
        if one is not None and _is_number(one) and one.kind != "fixed" and not (at < index and _counts(one))
    ]
    if slot.tokens or not slot.is_whole or any(slot.suf) or len(set(slot.texts)) < 2 or not _few(slot.texts):
        return False
    if numbers[:1] != [index] or (len(numbers) == 1 and not _later_number(group, index)):
        return False
    name = slot.pre[0] if any(slot.pre) else _label_of(group, index)
    return not name or name.lower().rstrip(b"_ .").decode("latin-1") in PLACES


def _a_tag_among_numbers(slot: Slot) -> bool:
    """Whether one whole number comes again and again where all others have a point: “2” among “1.55” and “-3.02”."""
    whole = [one for one in slot.texts if one.isdigit()]
    if not MIN_TAGS <= len(whole) < len(slot.texts) or len(set(whole)) > 1:
        return False
    others = [one for one in slot.texts if not one.isdigit() and one not in slot.tokens]
    return len(whole) >= TAG_SHARE * len(slot.texts) and all(re.search(rb"[.,]", one) for one in others)


def _counts(slot: Slot) -> bool:
    """Whether a number in front only counts, or is a running time."""
    return slot.kind == "number" and rises(slot)


def _later_number(group: Group, index: int) -> bool:
    return any(_is_number(one) for one in group.slots[index + 1 :])


def _label_of(group: Group, index: int) -> bytes:
    """The fixed word before a cell that a “=” or the like joins to it."""
    if index < 2 or group.rows[0][index - 1].text not in (b"=", b":", b"("):
        return b""
    one = group.slots[index - 2]
    return one.texts[0] if one is not None and one.kind == "fixed" else b""


def _place(group: Group, index: int, slot: Slot, asking: Asking) -> Sequence[bytes] | None:
    different = sorted(set(slot.texts))
    if _following(group, index) == b":" and any(slot.pre):
        return slot.texts  # CH1: … CH2: …
    example = (_shown(group, 0),)
    meant = asking.ask(
        Question(
            key_of("place", different),
            f"What do {listed(different)} in front of the other numbers say?",
            (
                Choice("sensors", "which sensor it is: channels for each", example),
                Choice("counts", "they only count messages: pass them over", example),
                Choice("reading", "they are readings too", example),
            ),
        )
    )
    slot.passed = meant == "counts"
    return slot.texts if meant == "sensors" else None


def _following(group: Group, index: int) -> bytes:
    """The mark that follows a cell; b"" where there is a cell, or nothing."""
    part = group.rows[0][index + 1]
    return part.text if part.kind == "mark" else b""


def _is_number(slot: Slot | None) -> bool:
    return slot is not None and (
        slot.kind in ("number", "hex", "numbers") or (slot.kind == "fixed" and bool(slot.digits))
    )


def _few(texts: Sequence[bytes]) -> bool:
    counts = Counter(texts)
    return len(counts) <= MAX_LABELS and min(counts.values()) >= 2


def _cycles(texts: Sequence[bytes]) -> bool:
    """Whether the same texts come round and round in the same order."""
    period = len(set(texts))
    return len(texts) >= 2 * period and all(a == b for a, b in zip(texts, texts[period:], strict=False))


def _shown(group: Group, number: int) -> str:
    row = group.rows[number]
    return shown_text(b"".join(b" " * part.blanks + part.text for part in row)).strip()


def _by_dimension(texts: Sequence[bytes]) -> Sequence[bytes] | None:
    """For each unit one that it can be turned into, the same for all of a dimension; None where there is but one dimension."""
    units = {text: plain_unit(text) for text in dict.fromkeys(texts)}
    if not all(is_unit(unit) for unit in units.values()):
        return None
    first: dict[bytes, bytes] = {}
    for text, unit in units.items():
        first[text] = next((one for one in first.values() if one_scale([units[one], unit]) is not None), text)
    return [first[text] for text in texts] if len(set(first.values())) > 1 else None


def is_error(message: bytes) -> bool:
    """Whether a message reads like an instrument's own error reply."""
    return _ERROR.match(message) is not None


def may_be_error(message: bytes) -> bool:
    """Whether it does at second sight: “E12” may be a reading of a sensor E as well."""
    return _MAY_BE_ERROR.match(message) is not None
