"""Patterns inferred from messages, so that nothing in them is left out."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.teaching.building import Builder, Built, ProposedChannel
from tidybench.core.teaching.cells import cells, shape
from tidybench.core.teaching.commas import PARTS, notations
from tidybench.core.teaching.kinds import STATES, Group, groups, is_error, may_be_error
from tidybench.core.teaching.question import Asking, Choice, Question, shown_text
from tidybench.core.teaching.slots import OVER, Notation
from tidybench.core.teaching.source import literal_source

ENOUGH = 5
"""Messages from which on anything is proposed."""
WANTED = 20
NO_TEXT = "These bytes are no text. Say by hand where numbers stand in them (uint, sint, float, bcd), or look for another baud rate"
NOTHING = frozenset(b"NAN INF ERROR NONE NULL NA".split())
"""Words that stand in place of a number, and name no column."""
MAX_KINDS = 20
MAX_ERRORS = 5
_BROKEN = re.compile(rb"[\x00-\x08\x0e-\x1a\x1c-\x1f\x7f]")
_HIGH = re.compile(rb"[\x80-\xff]")


@dataclass(slots=True)
class Inferred:
    """Patterns, what they give and why. `needs`: why there are none. `left`: places of messages that no pattern is to
    read: torn off at an end of the capture, or broken."""

    sources: list[str] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)
    reasons: list[str] = field(default_factory=list)
    channels: list[ProposedChannel] = field(default_factory=list)
    left: set[int] = field(default_factory=set)
    header: list[str] = field(default_factory=list)
    separator: str = ""
    notation: Notation = PARTS
    needs: str = ""


def infer(messages: Sequence[bytes], encoding: str, asking: Asking, times: Sequence[int] = ()) -> Inferred:
    """All kinds of messages said as patterns; or what is needed first. Questions go to `asking`. `times`: when the messages
    came, where that is known."""
    found = Inferred()
    broken = {place for place, message in enumerate(messages) if _BROKEN.search(message)}
    high = [message for message in messages if _HIGH.search(message)]
    if len(broken) > 0.1 * len(messages) or _binary(messages, high):
        found.needs = NO_TEXT
        return found
    found.left |= broken
    kept = [place for place in range(len(messages)) if place not in broken]
    headers = _headers([messages[place] for place in kept])
    names = [shown_text(cell) for cell in headers[0][1]] if headers else []
    head_places = {kept[number] for number, _ in headers}
    codec = ENCODINGS[encoding]
    refused = _error_replies(
        messages, [place for place in kept if place not in head_places], found, asking, codec
    )
    places = [place for place in kept if place not in head_places | refused]
    texts = [messages[place] for place in places]
    notation = notations(texts, asking)
    if notation is None:
        return found
    found.notation, found.header = notation, names
    made = groups(texts, notation, asking)
    for group in made:
        group.places = [places[number] for number in group.places]
    mains = _sorted_out(made, messages, found, asking, ENCODINGS[encoding])
    if found.needs or asking.open:
        return found
    _build(mains, found, asking, ENCODINGS[encoding], len(messages), times)
    if headers and not found.needs:
        found.sources += sorted(
            {literal_source(messages[place], ENCODINGS[encoding]) for place in head_places}
        )
        found.reasons.append("one message holds only words: it names the columns")
    return found


def _binary(messages: Sequence[bytes], high: Sequence[bytes]) -> bool:
    """Whether bytes above 127 come and go: those of a text are the same each time (a degree sign)."""
    if not high:
        return False
    different = {byte for message in high for byte in _HIGH.findall(message)}
    return len(different) > 4


def _headers(messages: Sequence[bytes]) -> list[tuple[int, list[bytes]]]:
    """Messages that hold nothing but words where others have numbers: their places and words."""
    rows = [cells(message) for message in messages]
    shapes: dict[tuple[bytes, ...], int] = {}
    for row in rows:
        there = [part.text for part in row if part.kind == "cell"]
        if there and sum(re.match(rb"[+-]? *\.?\d", text) is not None for text in there) >= 0.5 * len(there):
            shapes[shape(row)] = shapes.get(shape(row), 0) + 1
    found = []
    for place, row in enumerate(rows):
        words = [part.text for part in row if part.kind in ("cell", "clock")]
        if len(words) < 2 or shapes.get(shape(row), 0) < 2:
            continue
        plain = [re.fullmatch(rb"[A-Za-z_][A-Za-z_.%\x80-\xff0-9]*", word) for word in words]
        said = {word.upper() for word in words}
        if (
            all(plain)
            and len(said) == len(words)
            and not said & (STATES | OVER | NOTHING)
            and _few_digits(words)
        ):
            found.append((place, words))
    # A device that restarts sends its header again, and the same one.
    same = len({tuple(words) for _, words in found}) == 1
    return found if same and len(found) <= max(1, len(messages) // 5) else []


def _few_digits(words: Sequence[bytes]) -> bool:
    """Names may end with a digit (T1, T2); a label that touches its value has more."""
    return all(len(re.findall(rb"\d", word)) <= 1 for word in words)


def _sorted_out(
    made: Sequence[Group], messages: Sequence[bytes], found: Inferred, asking: Asking, codec: str
) -> list[Group]:
    """The kinds that have readings; the others are errors, words without numbers, torn pieces, or asked about."""
    mains: list[Group] = []
    passed: list[str] = []
    biggest = max((len(group.places) for group in made), default=0)
    for group in made:
        texts = [messages[place] for place in group.places]
        rare = len(texts) <= max(2, 0.1 * len(messages)) and len(texts) < biggest
        if not group.has_numbers and not any(slot is not None and slot.tokens for slot in group.slots):
            passed += [literal_source(text, codec) for text in dict.fromkeys(texts)][:MAX_KINDS]
        elif (
            rare
            and len(texts) == 1
            and group.places[0] in (0, len(messages) - 1)
            and _torn(group, made[0], messages)
        ):
            found.left.add(group.places[0])
        elif rare and len(texts) <= 2:
            text = shown_text(texts[0])
            times = "once" if len(texts) == 1 else f"{len(texts)} times"
            meant = asking.ask(
                Question(
                    f"rare:{text}",
                    f"“{text}” came {times} of {len(messages)} messages and looks like no other. What is it?",
                    (
                        Choice("pass", "no reading: pass it over", (text,)),
                        Choice("wait", "a reading: wait until more of them have come"),
                    ),
                )
            )
            if meant == "pass":
                passed += [literal_source(one, codec) for one in dict.fromkeys(texts)]
                found.reasons.append(f"“{text}” is passed over")
            elif meant == "wait":
                found.needs = f"Of “{text}” too few have come: let {WANTED} come"
        else:
            mains.append(group)
    if passed:
        found.reasons.append(f"“{passed[0]}” comes without a reading: passed over")
    found.sources += passed
    if any(len(group.places) < ENOUGH for group in mains):
        count = min(len(group.places) for group in mains)
        kind = "" if len(mains) == 1 else " of a kind"
        said = f"{count} message{'s' if count > 1 else ''}{kind} {'are' if count > 1 else 'is'} too few to be sure"
        found.needs = found.needs or f"{said}: let {WANTED} come"
    if len(mains) > MAX_KINDS:
        found.needs = (
            found.needs
            or f"There are {len(mains)} kinds of messages: cut them another way, or say by hand how they read"
        )
    if not mains and not asking.open:
        found.needs = found.needs or "No message has a number in it"
    return mains


def _error_replies(
    messages: Sequence[bytes], places: Sequence[int], found: Inferred, asking: Asking, codec: str
) -> set[int]:
    """The places of the instrument's own error replies: they are seldom, and say so themselves."""
    shapes: dict[tuple[bool, tuple[bytes, ...]], int] = {}
    for place in places:
        for commas in (False, True):
            row = cells(messages[place], commas)
            if re.search(
                rb"\d", row[0].text
            ):  # begins with a number: an error word there stands in its place
                key = commas, shape(row)
                shapes[key] = shapes.get(key, 0) + 1
    said = [place for place in places if is_error(messages[place])]
    doubtful = [place for place in places if may_be_error(messages[place])]
    if (
        doubtful
        and len(doubtful) <= 0.3 * len(places)
        and _are_errors([messages[p] for p in doubtful], asking)
    ):
        said = sorted({*said, *doubtful})
    alike = {
        place
        for place in said
        if any(
            shapes.get((commas, shape(cells(messages[place], commas))), 0) >= 3 for commas in (False, True)
        )
    }
    refused = [place for place in said if place not in alike]
    if alike and _are_errors([messages[place] for place in said if place in alike], asking):
        refused = said
    if len(refused) > 0.3 * len(places) and not _are_errors([messages[place] for place in refused], asking):
        return set()
    if not refused:
        return set()
    found.errors = _errors([messages[place] for place in refused], codec)
    found.reasons.append(f"“{shown_text(messages[refused[0]])}” is an error reply: no reading")
    return set(refused)


def _are_errors(texts: Sequence[bytes], asking: Asking) -> bool:
    text = shown_text(texts[0])
    meant = asking.ask(
        Question(
            f"error:{text.split(' ')[0]}",
            f"What is “{text}”?",
            (
                Choice("error", "an error reply of the instrument", (f"{text} → no reading",)),
                Choice("token", "a message like the others; a word stands where it has no reading"),
            ),
        )
    )
    return meant == "error"


def _errors(texts: Sequence[bytes], codec: str) -> list[str]:
    """Patterns of error replies: as they stand, their numbers apart; where they are many, by how they begin."""
    found = list(dict.fromkeys(_error(text, codec) for text in texts))
    if len(found) <= MAX_ERRORS:
        return found
    heads = [re.match(rb"[A-Za-z_*!?#-]+", text) for text in texts]
    starts = dict.fromkeys(head[0] if head else text[:1] for head, text in zip(heads, texts, strict=True))
    return [literal_source(start, codec) + "<*>" for start in starts]


def _error(text: bytes, codec: str) -> str:
    parts = re.split(rb"(-?\d+)", text)
    return "".join(
        f"<n{number // 2 + 1}:int>" if number % 2 else literal_source(part, codec)
        for number, part in enumerate(parts)
    )


def _torn(group: Group, main: Group, messages: Sequence[bytes]) -> bool:
    """Whether a message at an end of the capture could be a piece of the commonest kind."""
    place, text = group.places[0], messages[group.places[0]]
    whole = main.rows[0]
    own = [part for part in group.rows[0] if part.kind != "end"]
    theirs = [part for part in whole if part.kind != "end"]
    if len(own) > len(theirs):
        return False
    if place == 0:
        pairs = list(zip(reversed(own), range(len(theirs) - 1, -1, -1), strict=False))
    else:
        pairs = list(zip(own, range(len(theirs)), strict=False))
    for number, (part, index) in enumerate(pairs):
        slot = main.slots[index]
        last = number == len(pairs) - 1
        if slot is None:
            if part.text != theirs[index].text:
                return False
        elif slot.kind == "fixed":
            fits = slot.texts[0].endswith(part.text) if place == 0 else slot.texts[0].startswith(part.text)
            if not (fits and last) and part.text != slot.texts[0]:
                return False
        elif slot.kind in ("number", "hex") and not re.search(rb"[\d.+-]", part.text):
            return False
    return bool(text)


def _build(
    mains: Sequence[Group], found: Inferred, asking: Asking, codec: str, count: int, times: Sequence[int]
) -> None:
    taken: set[str] = set()
    sources: list[str] = []
    done: list[Built] = []
    for group in mains:
        names = found.header if len(mains) == 1 and found.header else []
        cells_there = sum(slot is not None for slot in group.slots)
        built = Builder(
            group,
            found.notation,
            codec,
            asking,
            taken,
            names if len(names) == cells_there else (),
            len(mains) == 1,
            times,
        ).build()
        if built.trouble:
            found.needs = (
                f"In {len(group.places)} of {count} messages {built.trouble}. Point at the parts by hand"
            )
            return
        twice = next((one for one in done if one.begins == built.begins and one.labels & built.labels), None)
        if twice is not None:
            name = sorted(twice.labels & built.labels)[0][0]
            found.needs = f"“{name}” stands in messages of two kinds that look much alike: let {WANTED} more come, or point at the parts by hand"
            return
        odd = _odd_word(built, done)
        if odd:
            found.needs = (
                f"“{odd}” looks like a name with a word in place of its number: let {WANTED} more come"
            )
            return
        done.append(built)
        sources.append(built.source)
        found.channels += built.channels
        found.reasons += built.reasons
    found.sources = sources + found.sources
    found.reasons = list(dict.fromkeys(found.reasons))
    found.separator = _separator(mains)
    if len(mains) > 1:
        found.reasons.append(f"messages of {len(mains)} kinds: {len(mains)} patterns, tried in order")


def _odd_word(built: Built, done: Sequence[Built]) -> str:
    """A fixed word of one kind that is a label of another one and more: “RHERR” beside “RH 45”."""
    for one, other in [(built, each) for each in done] + [(each, built) for each in done]:
        for word in one.words:
            for label in other.leads:
                rest = word.lower()[len(label) :]
                if word.lower().startswith(label) and rest and not rest[0].isdigit():
                    return word
    return ""


def _separator(mains: Sequence[Group]) -> str:
    """What parts the cells of rows that are nothing but plain numbers and words; "" where they are not."""
    if len(mains) != 1:
        return ""
    [group] = mains
    marks = {part.text for part in group.rows[0] if part.kind == "mark"}
    plain = all(
        slot is None
        or slot.kind in ("word", "fixed")
        or (
            slot.kind == "number"
            and not any((*slot.pre, *slot.suf, *slot.behind))
            and not re.search(rb"[dD]", b"".join(slot.digits))
        )
        for slot in group.slots
    )
    cells_there = [slot for slot in group.slots if slot is not None]
    numbers = [slot for slot in cells_there if slot.kind == "number" or slot.digits]
    if not plain or len(cells_there) < 2 or len(numbers) < 0.5 * len(cells_there):
        return ""
    if not marks:
        return " "
    alternate = all((slot is None) == bool(number % 2) for number, slot in enumerate(group.slots))
    mark = marks.pop() if len(marks) == 1 else b""
    return mark.decode() if mark in (b",", b";", b"\t") and alternate else ""
