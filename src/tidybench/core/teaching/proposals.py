"""Ways to read messages, proposed from a handful of them, each with its reasons."""

import json
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from tidybench.core.reading.form import Form, Learns
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.pattern import PatternError
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import CheckPart
from tidybench.core.setup.talk import ListenPart
from tidybench.core.teaching.checks import find_check
from tidybench.core.teaching.patterns import infer_patterns

MAX_MESSAGES = 200
MAX_COLUMNS = 200
MAX_NAME = 80
_NAME = re.compile(r"[^\x00-\x1f\x7f]{1,80}")
_PAIR = re.compile(rb"\s*([A-Za-z_][A-Za-z0-9_ ]{0,30}?)\s*([=:])\s*([^=:;,\s]+(?:,\d+)?)\s*")
_NR3 = re.compile(rb"[+-]?\d+(?:\.\d*)?E[+-]?\d+")


@dataclass(slots=True)
class Channel:
    """A channel that a proposal would make."""

    field: str
    name: str
    unit: str = ""
    decimals: int = 2


@dataclass(slots=True)
class Proposal:
    """A way to read messages. `reads`: how many of those it was made from it understands."""

    title: str
    listen: ListenPart
    reasons: list[str]
    channels: list[Channel]
    check: str | CheckPart = "none"
    reads: int = 0
    of: int = 0
    moving: bool = False  # labels that come in different order
    extra: float = field(default=0.0, repr=False)  # what a proposal is worth besides what it reads

    @property
    def score(self) -> float:
        """From 0 to about 1: the share of messages it reads, and how much it explains."""
        return self.reads / max(1, self.of) + self.extra


def propose(
    messages: Sequence[bytes], encoding: str = "ascii", check: str | CheckPart = "none"
) -> list[Proposal]:
    """Proposals, the best first. `check`: what is known to prove messages whole (they come without it then)."""
    newest = [message for message in messages if message.strip()][-MAX_MESSAGES:]
    if not newest:
        return []
    reasons: list[str] = []
    if check == "none":
        found = find_check(newest)
        if found is not None:
            check, checker, why = found
            reasons.append(why)
            newest = [body for message in newest if (body := checker(message)) is not None]
    made = [
        proposal
        for make in (_nmea, _json, _pairs, _columns, _scpi, _patterns)
        for proposal in make(newest, encoding)
        if proposal is not None
    ]
    for proposal in made:
        proposal.channels = [one for one in proposal.channels if _NAME.fullmatch(one.field)]
        proposal.check = check
        proposal.reasons = [*proposal.reasons, *reasons]
        proposal.of = len(newest)
        proposal.reads = _understood(proposal, newest, encoding)
    if any(p.moving and p.reads >= 0.9 * p.of for p in made):
        # Labels that move make a pattern take one value for another.
        made = [p for p in made if not p.listen.patterns]
    good = [p for p in made if p.channels and p.reads >= max(1, 0.3 * p.of)]
    return sorted(good, key=lambda proposal: -proposal.score)


def _understood(proposal: Proposal, messages: Sequence[bytes], encoding: str) -> int:
    try:
        forms: list[Form] = make_forms(proposal.listen, encoding, {c.field for c in proposal.channels})
    except PatternError:
        return 0
    return sum(
        any(
            (isinstance(form, Learns) and form.learn(message)) or not isinstance(form.read(message), Stop)
            for form in forms
        )
        for message in messages
    )


def _part(**keys: Any) -> ListenPart:
    return ListenPart.model_validate(keys)


def _share(messages: Sequence[bytes], holds: int) -> bool:
    return holds >= 0.7 * len(messages)


def _nmea(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    found = [m for m in messages if re.match(rb"[$!][A-Z]{2}[A-Z0-9]{3},", m)]
    if not _share(messages, len(found)):
        return []
    sentences = list(dict.fromkeys(m[3:6].decode() for m in found))
    listen = _part(reader={"kind": "nmea", "sentences": sentences[:20]})
    channels: dict[str, Channel] = {}
    for message in found:
        cells = message.split(b"*")[0].split(b",")[1:]
        if message[3:6] == b"XDR":
            for begin in range(0, len(cells) - 3, 4):
                name = (
                    cells[begin + 3].decode("latin-1").strip()
                    or f"{cells[begin].decode('latin-1')}{begin // 4 + 1}"
                )
                unit = {b"C": "°C", b"M": "m", b"P": "Pa", b"B": "bar", b"H": "%"}.get(cells[begin + 2], "")
                if cells[begin] == b"C" and cells[begin + 2] == b"C":
                    unit = "°C"
                channels.setdefault(
                    name, Channel(name, name.capitalize(), unit, _decimals([cells[begin + 1]]))
                )
        else:
            form = make_forms(listen, encoding)[0]
            got = form.read(message)
            if isinstance(got, dict):
                for name, (_, value) in got.items():
                    if isinstance(value, float) and not re.fullmatch(r"f\d+", name):
                        channels.setdefault(name, Channel(name, name.replace("_", " ").capitalize()))
    reason = f"every message is an NMEA 0183 sentence ({', '.join(sentences[:5])})"
    return [Proposal("NMEA 0183", listen, [reason], list(channels.values()), extra=0.3)]


def _json(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    found = [m for m in messages if m.lstrip()[:1] in (b"{", b"[") and _is_json(m)]
    if not _share(messages, len(found)):
        return []
    listen = _part(reader={"kind": "json"})
    channels: dict[str, Channel] = {}
    form = make_forms(listen, encoding)[0]
    for message in found:
        got = form.read(message)
        if isinstance(got, dict):
            for name, (quality, value) in got.items():
                if isinstance(value, float) and quality.measured:
                    channels.setdefault(name, Channel(name, name))
    return [
        Proposal(
            "JSON",
            listen,
            ["every message is a JSON value; a field is called by its path"],
            list(channels.values())[:50],
            extra=0.3,
        )
    ]


def _is_json(message: bytes) -> bool:
    try:
        json.loads(message)
    except (ValueError, RecursionError):
        return False
    return True


def _pairs(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    made = []
    for between, equals in (
        (b";", b"="),
        (b",", b"="),
        (b" ", b"="),
        (b";", b":"),
        (b",", b":"),
        (b" ", b":"),
    ):
        labels: Counter[tuple[bytes, ...]] = Counter()
        cells: dict[str, list[bytes]] = {}
        for message in messages:
            pieces = [
                p for p in (message.split() if between == b" " else message.split(between)) if p.strip()
            ]
            halves = [piece.partition(equals) for piece in pieces]
            if not all(
                equal and re.fullmatch(rb"\s*[A-Za-z_][\w ]*", label) and value.strip()
                for label, equal, value in halves
            ):
                continue
            if len({label.strip() for label, _, _ in halves}) != len(halves):
                continue
            labels[tuple(label.strip() for label, _, _ in halves)] += 1
            for label, _, value in halves:
                cells.setdefault(label.strip().decode(), []).append(value.strip())
        if not _share(messages, sum(labels.values())) or len(cells) < 2:
            continue
        if (
            between == b","
            and any(
                re.fullmatch(rb"-?\d+", c) is None and b"." not in c
                for values in cells.values()
                for c in values[:1]
            )
            and len(labels) == 1
        ):
            continue
        everything = [cell for values in cells.values() for cell in values]
        comma = between != b"," and any(re.fullmatch(rb"[+-]?\d+,\d+", cell) for cell in everything)
        none = _dashes(everything)
        reasons = [
            f"labels with “{equals.decode()}” and a value, “{between.decode()}” between them"
            if between != b" "
            else f"labels with “{equals.decode()}” and a value, blanks between them"
        ]
        if len(labels) > 1:
            reasons.append("the labels come in different order, or not all of them each time")
        if comma:
            reasons.append("numbers have a decimal comma")
        if none:
            reasons.append(f"{' and '.join('“' + n + '”' for n in none)} stands where there is no reading")
        reader = {
            "kind": "pairs",
            "between": between.decode(),
            "equals": equals.decode(),
            "decimal": "," if comma else ".",
            "none": none,
        }
        channels = [
            Channel(label, label, "", _decimals(values, b"," if comma else b"."))
            for label, values in cells.items()
            if any(re.match(rb"[+-]?[\d.,]", value) for value in values)
        ]
        # Where the order never changes a pattern says more: it knows units and fixed words.
        made.append(
            Proposal(
                "labels and values",
                _part(reader=reader),
                reasons,
                channels,
                moving=len(labels) > 1,
                extra=0.25 if len(labels) > 1 else 0.0,
            )
        )
    return made


def _columns(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    made = []
    for separator, name in ((b",", "commas"), (b";", "semicolons"), (b"\t", "tabs"), (b" ", "blanks")):
        rows = [m.split() if separator == b" " else m.split(separator) for m in messages]
        sizes = Counter(len(row) for row in rows)
        size, count = sizes.most_common(1)[0]
        if not 2 <= size <= MAX_COLUMNS or not _share(messages, count):
            continue
        same = [[cell.strip() for cell in row] for row in rows if len(row) == size]
        comma = separator != b"," and any(
            re.fullmatch(rb"[+-]?\d+,\d+", cell) for row in same for cell in row
        )
        numeric = [_is_value(cell, comma) for row in same for cell in row]
        if sum(numeric) < 0.5 * len(numeric):
            continue
        headers = [row for row in same if not any(_is_value(cell, comma) or not cell for cell in row)]
        body = [row for row in same if row not in headers]
        if not body:
            continue
        names = (
            [cell.decode("latin-1") for cell in headers[0]]
            if headers
            else [f"c{n}" for n in range(1, size + 1)]
        )
        if any(len(name) > MAX_NAME for name in names):
            continue
        none = _dashes([cell for row in body for cell in row])
        reader = {
            "kind": "columns",
            "separator": separator.decode(),
            "header": bool(headers),
            "names": names if len(set(names)) == size else [],
            "none": none,
            "decimal": "," if comma else ".",
        }
        reasons = [f"{size} columns with {name} between, in {count} of {len(messages)} messages"]
        if headers:
            reasons.append("one message holds only words: it names the columns")
        if none:
            reasons.append(f"{' and '.join('“' + n + '”' for n in none)} stands where there is no reading")
        if len(set(names)) != size:
            continue
        channels = [
            Channel(
                label,
                label.strip().capitalize() if headers else f"Column {n + 1}",
                "",
                _decimals([row[n] for row in body]),
            )
            for n, label in enumerate(names)
            if any(_is_value(row[n], comma) and row[n].strip(b"-") for row in body)
        ]
        made.append(
            Proposal(
                "columns",
                _part(reader=reader),
                reasons,
                channels,
                extra=0.28 if headers else 0.24 if size >= 4 and all(numeric) else -0.1,
            )
        )
    return made


def _scpi(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    sizes = {m.count(b",") for m in messages}
    if len(sizes) != 1 or not _share(
        messages, sum(all(_NR3.fullmatch(c.strip()) for c in m.split(b",")) for m in messages)
    ):
        return []
    size = sizes.pop() + 1
    if size > MAX_COLUMNS:
        return []
    names = [f"v{n}" for n in range(1, size + 1)]
    listen = _part(reader={"kind": "scpi", "names": names})
    reasons = ["numbers with an exponent, as SCPI has them: 9.9E37 is over range, 9.91E37 no reading"]
    return [
        Proposal(
            "SCPI numbers",
            listen,
            reasons,
            [Channel(n, f"Value {i}", "", 3) for i, n in enumerate(names, 1)],
            extra=0.27,
        )
    ]


def _may_have_commas(messages: Sequence[bytes]) -> bool:
    """Whether commas may be decimal signs: no point stands in a number, and something else separates them."""
    whole = b"\n".join(messages)
    return re.search(rb"\d\.\d", whole) is None and re.search(rb"[^\d,\s+-]", whole) is not None


def _patterns(messages: Sequence[bytes], encoding: str) -> list[Proposal]:
    made = []
    for comma in (False, True) if _may_have_commas(messages) else (False,):
        inferred = infer_patterns(messages, encoding, comma)
        if not inferred.sources:
            continue
        channels = [
            Channel(name, name.replace("_", " ").capitalize(), unit, decimals)
            for name, unit, decimals in inferred.numbers
        ]
        made.append(
            Proposal(
                "message pattern" + ("s" if len(inferred.sources) > 1 else ""),
                _part(patterns=inferred.sources),
                inferred.reasons,
                channels,
                extra=0.2 if not comma else 0.21 if inferred.has_commas else -1.0,
            )
        )
    return made


def _is_value(cell: bytes, comma: bool) -> bool:
    if comma:
        cell = cell.replace(b",", b".")
    return re.fullmatch(rb"[+-]? *(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?|[-?*_]*-[-?*_]*(\.-+)?", cell) is not None


def _dashes(cells: Sequence[bytes]) -> list[str]:
    return sorted({cell.decode() for cell in cells if re.fullmatch(rb"-{1,16}([.,]-{1,16})?", cell)})[:20]


def _decimals(cells: Sequence[bytes], point: bytes = b".") -> int:
    return max(
        (
            len(cell.partition(point)[2].partition(b"e")[0].partition(b"E")[0])
            for cell in cells
            if re.search(rb"\d", cell)
        ),
        default=2,
    )
