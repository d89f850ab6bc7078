"""Ways to read messages, proposed from a handful of them, each with its reasons; or what is asked first.

A proposal is a proof: every character of every message is part of a field, of a text that never changes, or of a check.
Where two readings remain, a person is asked; where the evidence is too thin, it is said what is needed.
"""

import itertools
import json
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tidybench.core.reading.form import Form, Learns
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import CheckPart
from tidybench.core.setup.talk import ListenPart
from tidybench.core.teaching.building import ProposedChannel
from tidybench.core.teaching.checks import find_check
from tidybench.core.teaching.decimals import decimals_of
from tidybench.core.teaching.inference import Inferred, infer
from tidybench.core.teaching.proof import unaccounted
from tidybench.core.teaching.question import Answers, Asking, Question
from tidybench.core.teaching.running import NAMED, Clock, is_date, tick_of
from tidybench.core.teaching.slots import counts_by_name

MAX_MESSAGES = 200
MAX_COLUMNS = 200
_NAME = re.compile(r"[^\x00-\x1f\x7f]{1,80}")
_NR3 = re.compile(rb"[+-]?\d+(?:\.\d*)?E[+-]?\d+")


@dataclass(slots=True)
class Proposal:
    """A way to read messages. `reads`: how many of those it was made from it understands."""

    title: str
    listen: ListenPart
    reasons: list[str]
    channels: list[ProposedChannel]
    check: str | CheckPart = "none"
    reads: int = 0
    of: int = 0


@dataclass(slots=True)
class Outcome:
    """What came of it: a proposal, or questions to be answered first, or what it still needs."""

    proposals: list[Proposal] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    needs: str = ""


def propose(
    messages: Sequence[bytes],
    encoding: str = "ascii",
    check: str | CheckPart = "none",
    answers: Answers | None = None,
    times: Sequence[int] = (),
) -> Outcome:
    """Proposals, the best first. `check`: what is known to prove messages whole (they come without it then). `answers`: what a
    person said to the questions so far. `times`: when each message came, microseconds, where that is known."""
    dated = [*zip(messages, times or [0] * len(messages), strict=True)]
    dated = [one for one in dated if one[0].strip()][-MAX_MESSAGES:]
    newest = [message for message, _ in dated]
    if not newest:
        return Outcome(needs="No message has come yet")
    asking = Asking(answers or {})
    reasons: list[str] = []
    bad = 0
    if check == "none":
        found = find_check(newest)
        if found is not None:
            check, checker, why = found
            reasons.append(why)
            whole = [(body, at) for message, at in dated if (body := checker(message)) is not None]
            bad, dated = len(newest) - len(whole), whole
            newest = [message for message, _ in dated]
    made, inferred = _special(newest, encoding, [at for _, at in dated]), Inferred()
    if made is None:
        inferred = infer(newest, encoding, asking, [at for _, at in dated])
        if asking.open:
            return Outcome(questions=list(asking.open.values()))
        if inferred.needs:
            return Outcome(needs=inferred.needs)
        made = _proposal(inferred)
    if asking.open:
        return Outcome(questions=list(asking.open.values()))
    made.channels = [one for one in made.channels if _NAME.fullmatch(one.field)]
    made.check, made.of = check, len(newest)
    made.reasons = [*made.reasons, *reasons]
    if bad:
        made.reasons.append(f"{bad} messages are bad: their check does not match")
    left = unaccounted(made.listen, newest, encoding, inferred.left)
    if left:
        return Outcome(needs=left)
    made.reads = _understood(made, newest, encoding)
    if not made.channels:
        return Outcome(needs="No message has a number in it")
    return Outcome([made])


def _understood(proposal: Proposal, messages: Sequence[bytes], encoding: str) -> int:
    forms: list[Form] = make_forms(
        proposal.listen, encoding, {c.field for c in proposal.channels if not c.states}
    )
    return sum(
        any(
            (isinstance(form, Learns) and form.learn(message)) or not isinstance(form.read(message), Stop)
            for form in forms
        )
        for message in messages
    )


def _part(**keys: Any) -> ListenPart:
    return ListenPart.model_validate(keys)


def _proposal(found: Inferred) -> Proposal:
    """Columns where rows are nothing but numbers and words, patterns otherwise."""
    numbers = len(found.channels)
    if found.separator and (found.header or numbers >= 4) and "<?" not in found.sources[0]:
        made = _columns(found)
        if made is not None:
            return made
    listen = _part(patterns=found.sources, errors=found.errors)
    return Proposal(
        "message pattern" + ("s" if len(found.sources) > 1 else ""), listen, found.reasons, found.channels
    )


def _columns(found: Inferred) -> Proposal | None:
    """The same as a reader of columns; None where it says less than the pattern does."""
    source = found.sources[0]
    if (
        found.errors
        or re.search(r":(datetime|duration)", source)
        or len(found.sources) > 1 + bool(found.header)
        or re.search(r"thousands|sign|flagged| \[", source)
    ):
        return None
    fields = re.findall(r"<(\w+)[^>]*>|([^<>,;\t ]+)", source)
    names = found.header or [f"c{number}" for number in range(1, len(fields) + 1)]
    if len(names) != len(fields) or len(set(names)) != len(names):
        return None
    tokens = {
        word: [text for group in re.findall(word + r"\(([^)]*)\)", source) for text in group.split("|")]
        for word in ("none", "over", "under")
    }
    by_field = {one.field: one for one in found.channels}
    channels = []
    for number, (name, (own, _)) in enumerate(zip(names, fields, strict=True), 1):
        if own in by_field:
            title = name.strip().capitalize() if found.header else f"Column {number}"
            channels.append(
                replace(by_field[own], field=name, name=by_field[own].name if by_field[own].clock else title)
            )
    reader = {
        "kind": "columns",
        "separator": found.separator,
        "header": bool(found.header),
        "names": names,
        "decimal": "," if found.notation.comma else ".",
        **{word: list(dict.fromkeys(texts)) for word, texts in tokens.items() if texts},
    }
    between = {",": "commas", ";": "semicolons", "\t": "tabs", " ": "blanks"}[found.separator]
    said = [one for one in found.reasons if "pattern" not in one and "otherwise" not in one]
    return Proposal(
        "columns", _part(reader=reader), [f"{len(names)} columns with {between} between", *said], channels
    )


# ---- messages in a notation that is known


def _special(messages: Sequence[bytes], encoding: str, times: Sequence[int]) -> Proposal | None:
    for make in (_nmea, _json, _pairs, _scpi):
        made = make(messages, encoding, times)
        if made is not None:
            return made
    return None


def _most(messages: Sequence[bytes], holds: int) -> bool:
    return holds >= 0.9 * len(messages)


def _nmea(messages: Sequence[bytes], encoding: str, times: Sequence[int]) -> Proposal | None:
    found = [m for m in messages if re.match(rb"[$!][A-Z]{2}[A-Z0-9]{3},", m)]
    if not _most(messages, len(found)):
        return None
    sentences = list(dict.fromkeys(m[3:6].decode() for m in found))
    listen = _part(reader={"kind": "nmea", "sentences": sentences[:20]})
    channels: dict[str, ProposedChannel] = {}
    for message in found:
        cells = message.split(b"*")[0].split(b",")[1:]
        if message[3:6] == b"XDR":
            for begin in range(0, len(cells) - 3, 4):
                name = (
                    cells[begin + 3].decode("latin-1").strip()
                    or f"{cells[begin].decode('latin-1')}{begin // 4 + 1}"
                )
                unit = {b"C": "°C", b"M": "m", b"P": "Pa", b"B": "bar", b"H": "%"}.get(cells[begin + 2], "")
                channels.setdefault(
                    name, ProposedChannel(name, name.capitalize(), unit, _decimals([cells[begin + 1]]))
                )
        else:
            form = make_forms(listen, encoding)[0]
            got = form.read(message)
            if isinstance(got, dict):
                for name, (_, value) in got.items():
                    if isinstance(value, float) and not re.fullmatch(r"f\d+", name):
                        channels.setdefault(name, ProposedChannel(name, name.replace("_", " ").capitalize()))
    if not channels:
        return None
    reason = f"every message is an NMEA 0183 sentence ({', '.join(sentences[:5])})"
    return Proposal("NMEA 0183", listen, [reason], list(channels.values()))


def _json(messages: Sequence[bytes], encoding: str, times: Sequence[int]) -> Proposal | None:
    dated = [
        (m, at)
        for m, at in zip(messages, times, strict=True)
        if m.lstrip()[:1] in (b"{", b"[") and _is_json(m)
    ]
    found = [message for message, _ in dated]
    if not _most(messages, len(found)):
        return None
    listen = _part(reader={"kind": "json"})
    texts: dict[str, list[float]] = {}
    when: dict[str, list[int]] = {}
    form = make_forms(listen, encoding)[0]
    for message, at in dated:
        got = form.read(message)
        if isinstance(got, dict):
            for name, (quality, value) in got.items():
                if isinstance(value, float) and quality.measured:
                    texts.setdefault(name, []).append(value)
                    when.setdefault(name, []).append(at)
    clocks = {
        name: clock
        for name, values in texts.items()
        if len(texts) > 1 and (clock := _clock(name, values, when[name])) is not None
    }
    counting = [
        name
        for name, values in texts.items()
        if len(texts) > 1 and counts_by_name(name) and _counts(values) and name not in clocks
    ]
    reasons = ["every message is a JSON value; a field is called by its path"]
    reasons += [f"{name} only counts on: passed over" for name in counting]
    channels = [
        _time_channel(name, clocks[name])
        if name in clocks
        else ProposedChannel(name, name, "", _written(values))
        for name, values in texts.items()
        if name not in counting
    ]
    reasons += [OWN_TIME] if clocks else []
    return Proposal("JSON", listen, reasons, channels[:50]) if channels else None


OWN_TIME = "the device says its own time: kept beside the time of arrival"


def _clock(name: str, values: Sequence[float], times: Sequence[int]) -> Clock | None:
    """How a field is the device's own time; None where its name or its values say otherwise, or nobody knows."""
    tick = tick_of(values, times)
    if tick is None:
        return None
    label = name.lower().rpartition(".")[2]
    said = NAMED.get(label)
    if is_date(values, tick, times):
        return Clock(tick)
    steps = {b - a for a, b in itertools.pairwise(values)}
    if (
        not counts_by_name(name)
        or (said is not None and abs(said / tick - 1) > 1e-9)
        or (said is None and steps == {1.0})
    ):
        return None
    return Clock(tick)


def _time_channel(field: str, clock: Clock) -> ProposedChannel:
    return ProposedChannel(field, "Device time", "s", 3, clock)


def _counts(values: Sequence[float]) -> bool:
    steps = sorted(b - a for a, b in itertools.pairwise(values))
    whole = all(value == int(value) for value in values)
    return whole and len(steps) >= 4 and steps[0] >= 1 and steps[-1] <= 3 * steps[len(steps) // 2]


def _written(values: Sequence[float]) -> int:
    """Decimals of numbers as they were written."""
    return min(
        4,
        max(
            (len(repr(value).partition(".")[2]) if value != int(value) else 0 for value in values), default=2
        ),
    )


def _is_json(message: bytes) -> bool:
    try:
        json.loads(message)
    except (ValueError, RecursionError):
        return False
    return True


def _pairs(messages: Sequence[bytes], encoding: str, times: Sequence[int]) -> Proposal | None:
    """Labels that move about, each with a plain number: a pattern would take one value for another."""
    for between, equals in (
        (b";", b"="),
        (b",", b"="),
        (b" ", b"="),
        (b";", b":"),
        (b",", b":"),
        (b" ", b":"),
    ):
        labels: Counter[tuple[bytes, ...]] = Counter()
        values: dict[str, list[bytes]] = {}
        when: dict[str, list[int]] = {}
        for message, at in zip(messages, times, strict=True):
            pieces = [
                p for p in (message.split() if between == b" " else message.split(between)) if p.strip()
            ]
            halves = [piece.partition(equals) for piece in pieces]
            row = tuple(label.strip() for label, _, _ in halves)
            good = all(
                equal and re.fullmatch(rb"\s*[A-Za-z_][\w ]*", label) and value.strip()
                for label, equal, value in halves
            )
            if not good or len(set(row)) != len(row):
                break
            labels[row] += 1
            for label, _, value in halves:
                values.setdefault(label.strip().decode(), []).append(value.strip())
                when.setdefault(label.strip().decode(), []).append(at)
        else:
            often = sum(
                count >= 2 for count in labels.values()
            )  # a torn piece at an end is no order of its own
            if often < 2 or len(values) < 2 or not any(len(row) > 1 for row in labels):
                continue
            return _moving(between, equals, values, when)
    return None


def _moving(
    between: bytes, equals: bytes, values: Mapping[str, list[bytes]], when: Mapping[str, list[int]]
) -> Proposal | None:
    everything = [one for texts in values.values() for one in texts]
    comma = between != b"," and any(re.fullmatch(rb"[+-]?\d+,\d+", one) for one in everything)
    point = rb"," if comma else rb"\."
    number = re.compile(rb"[+-]? *(?:\d+(?:" + point + rb"\d*)?|" + point + rb"\d+)(?:[eE][+-]?\d+)?")
    dashes = re.compile(rb"[-*]{1,16}(?:[.,][-*]{1,16})?")
    channels: list[ProposedChannel] = []
    counting: list[str] = []
    none: set[bytes] = set()
    for label, texts in values.items():
        numbers = [one for one in texts if number.fullmatch(one)]
        others = {one for one in texts if not number.fullmatch(one)}
        if numbers and not all(dashes.fullmatch(one) for one in others):
            return None  # a unit, or a word, stands beside the number
        if numbers:
            none |= others
            clock = (
                _clock(
                    label, [float(one.replace(b",", b".").replace(b" ", b"")) for one in numbers], when[label]
                )
                if len(values) > 1 and not others
                else None
            )
            if clock is not None:
                channels.append(_time_channel(label, clock))
            elif (
                counts_by_name(label)
                and all(one.isdigit() for one in numbers)
                and _counts([*map(float, numbers)])
            ):
                counting.append(label)
            else:
                channels.append(
                    ProposedChannel(label, label, "", _decimals(numbers, b"," if comma else b"."))
                )
        elif any(re.search(rb"\d", one) for one in others):
            return None
    if not channels:
        return None
    said = "blanks" if between == b" " else f"“{between.decode()}”"
    reasons = [
        f"labels with “{equals.decode()}” and a value, {said} between them",
        "the labels come in different order, or not all of them each time",
    ]
    reasons += [f"{label} only counts on: passed over" for label in counting]
    reasons += [OWN_TIME] if any(one.clock for one in channels) else []
    if comma:
        reasons.append("numbers have a decimal comma")
    tokens = sorted(one.decode("latin-1") for one in none)
    if tokens:
        reasons.append(f"{' and '.join('“' + one + '”' for one in tokens)} stands where there is no reading")
    reader = {
        "kind": "pairs", "between": between.decode(), "equals": equals.decode(), "decimal": "," if comma else ".",
        "none": tokens[:20],
    }  # fmt: skip
    return Proposal("labels and values", _part(reader=reader), reasons, channels)


def _scpi(messages: Sequence[bytes], encoding: str, _: Sequence[int]) -> Proposal | None:
    sizes = {m.count(b",") for m in messages}
    if len(sizes) != 1 or not all(all(_NR3.fullmatch(c.strip()) for c in m.split(b",")) for m in messages):
        return None
    size = sizes.pop() + 1
    if size > MAX_COLUMNS:
        return None
    names = [f"v{n}" for n in range(1, size + 1)]
    listen = _part(reader={"kind": "scpi", "names": names})
    reasons = ["numbers with an exponent, as SCPI has them: 9.9E37 is over range, 9.91E37 no reading"]
    return Proposal(
        "SCPI numbers",
        listen,
        reasons,
        [ProposedChannel(n, f"Value {i}", "", 3) for i, n in enumerate(names, 1)],
    )


def _decimals(cells: Sequence[bytes], point: bytes = b".") -> int:
    return max((decimals_of(cell, point) for cell in cells if re.search(rb"\d", cell)), default=2)
