"""Patterns inferred from messages that look alike."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.teaching.source import literal_source
from tidybench.core.teaching.tokens import TextToken, shape, tokens
from tidybench.core.teaching.units import is_unit

MAX_PATTERNS = 5
FIXED_AFTER = 5
"""Messages that must agree on a whole number before it counts as part of the text."""


@dataclass(slots=True)
class Inferred:
    """Sources, why they look as they do, and the numbers in them: name, unit, decimals."""

    sources: list[str] = field(default_factory=list)
    reasons: list[str] = field(default_factory=list)
    numbers: list[tuple[str, str, int]] = field(default_factory=list)
    has_commas: bool = False


def infer_patterns(messages: Sequence[bytes], encoding: str = "ascii", comma: bool = False) -> Inferred:
    """Patterns for the shapes that come most often; those without a number come last, as they stand."""
    groups: dict[tuple[str | bytes, ...], list[list[TextToken]]] = {}
    for message in messages:
        parts = tokens(message, comma)
        groups.setdefault(shape(parts), []).append(parts)
    ordered = _merged(sorted(groups.values(), key=lambda group: -len(group)))
    found = Inferred()
    codec = ENCODINGS[encoding]
    for group in ordered[:MAX_PATTERNS]:
        if not any(part.is_value for part in group[0]):
            if len(group) >= 2 or len(ordered) <= MAX_PATTERNS:
                _words_only(group, found, codec)
            continue
        _numbers(group, found, codec, comma)
    found.reasons = list(dict.fromkeys(found.reasons))
    if len(ordered) > 1 and found.sources:
        found.reasons.append(
            f"messages of {len(ordered)} kinds: {len(found.sources)} patterns, tried in order"
        )
    return found


def _merged(groups: list[list[list[TextToken]]]) -> list[list[list[TextToken]]]:
    """Messages that differ from a commoner kind only by dashes in place of values or words are of that kind."""
    kept: list[list[list[TextToken]]] = []
    for group in groups:
        host = next((one for one in kept if _is_dashed(group[0], one[0])), None)
        if host is None:
            kept.append(group)
        else:
            host += group
    return sorted(kept, key=lambda group: -len(group))


def _is_dashed(parts: list[TextToken], host: list[TextToken]) -> bool:
    return len(parts) == len(host) and all(
        mine.kind == "dashes"
        if mine.kind != theirs.kind and (theirs.is_value or theirs.kind == "word")
        else mine.kind == theirs.kind and (mine.kind != "sign" or mine.text == theirs.text)
        for mine, theirs in zip(parts, host, strict=True)
    )


def _words_only(group: list[list[TextToken]], found: Inferred, codec: str) -> None:
    texts = {b"".join(part.text for part in parts) for parts in group}
    if len(texts) == 1 and all(0x20 <= byte < 0x7F for byte in next(iter(texts))):
        source = literal_source(texts.pop(), codec)
        found.sources.append(source)
        found.reasons.append(f"“{source}” comes without a number, always alike")


def _numbers(group: list[list[TextToken]], found: Inferred, codec: str, comma: bool) -> None:
    pieces: list[str] = []
    reasons: list[str] = []
    taken = {name for name, _, _ in found.numbers}
    fields: list[tuple[str, str, int]] = []
    fixed: list[str] = []
    for column, first in enumerate(group[0]):
        texts = [parts[column].text for parts in group]
        if first.kind == "blank":
            pieces.append(" ")
        elif first.is_value:
            if _never_changes(texts) and not _is_reading(texts, column, group[0]):
                pieces.append(literal_source(texts[0], codec))
                fixed.append(texts[0].decode(codec, "replace"))
                continue
            name = _name(group[0], column, taken)
            unit = _unit(group[0], column)
            taken.add(name)
            pieces.append(_field(name, unit, texts, group, column, reasons, comma))
            fields.append((name, unit, _decimals(texts, b"," if comma else b".")))
            found.has_commas = found.has_commas or (comma and any(b"," in text for text in texts))
        elif first.kind == "word" and len(set(texts)) > 1:
            name = _free("state", taken)
            taken.add(name)
            pieces.append(_word(name, group, column, codec))
            reasons.append(
                f"{' and '.join(sorted('“' + t.decode(codec, 'replace') + '”' for t in set(texts))[:3])} change: a word"
            )
        else:
            pieces.append(literal_source(first.text, codec))
    source = "".join(pieces)
    try:
        compile_pattern(source, codec)
    except PatternError:
        return
    if not fields:
        return
    found.sources.append(source)
    found.numbers += [one for one in fields if one[0] not in {name for name, _, _ in found.numbers}]
    labels = [name for name, _, _ in fields if not re.fullmatch(r"v\d+", name)]
    if labels:
        found.reasons.append(f"labels stand before numbers: {', '.join(labels)}")
    units = sorted({unit for _, unit, _ in fields if unit})
    if units:
        found.reasons.append(f"units stand behind numbers: {', '.join(units)}")
    if fixed:
        found.reasons.append(
            f"{', '.join('“' + f + '”' for f in fixed)} never changes in {len(group)} messages"
        )
    found.reasons += reasons
    if not (labels or units or reasons or fixed):
        found.reasons.append(
            f"{len(fields)} number{'s' if len(fields) > 1 else ''} in messages that otherwise never change"
        )


def _never_changes(texts: list[bytes]) -> bool:
    return len(texts) >= FIXED_AFTER and len(set(texts)) == 1


def _is_reading(texts: list[bytes], column: int, parts: list[TextToken]) -> bool:
    """Whether a number that does not change still looks like a reading: alone, with a point or a sign, with a unit, or behind a label and “=”."""
    alone = sum(part.is_value for part in parts) == 1
    label = _label(parts, column)
    signed = label != "" and parts[column - 1].text in (b"=", b"(")
    return (
        alone
        or any(b"." in text or b"-" in text or b"+" in text for text in texts)
        or bool(_unit(parts, column))
        or signed
    )


def _field(
    name: str,
    unit: str,
    texts: list[bytes],
    group: list[list[TextToken]],
    column: int,
    reasons: list[str],
    comma: bool,
) -> str:
    options: list[str] = []
    dashes = sorted({text for text in texts if not re.search(rb"\d", text)}, key=len)
    values = [text for text in texts if re.search(rb"\d", text)]
    widths = {len(text) for text in texts}
    digits_only = bool(values) and all(text.isdigit() for text in values)
    # Digits that keep their zeros, and touch no blank: a display that sends all its places.
    if (
        digits_only
        and len(widths) == 1
        and len(values[0]) >= 4
        and any(text.startswith(b"0") for text in values)
    ):
        options.append(str(len(values[0])))
        reasons.append(
            f"always {len(values[0])} digits: a fixed width (say where the decimal point is, as in {len(values[0])}.3)"
        )
    if comma and any(b"," in text for text in values):
        options.append("decimal(,)")
        reasons.append(f"{name} has a decimal comma")
    numbers = [float(text.replace(b" ", b"").replace(b",", b".")) for text in values]
    if any(value == 9.9e37 for value in numbers):
        options.append("over(9.9E37)")
    if any(value == 9.91e37 for value in numbers):
        options.append("none(9.91E37)")
    if dashes:
        options.append(f"none({'|'.join(text.decode('latin-1') for text in dashes)})")
        reasons.append(f"“{dashes[0].decode('latin-1')}” stands where {name} has no reading")
    if unit:
        options.append(f"[{unit}]")
    return f"<{' '.join([name, *options])}>"


def _word(name: str, group: list[list[TextToken]], column: int, codec: str) -> str:
    """A word ends at a blank; where something else follows it is a text that ends there."""
    parts = group[0]
    following = parts[column + 1] if column + 1 < len(parts) else None
    return f"<{name}:word>" if following is None or following.kind == "blank" else f"<{name}:text>"


def _label(parts: list[TextToken], column: int) -> str:
    """The word before a number, where a sign or a blank joins them."""
    before = [part for part in parts[max(0, column - 3) : column] if part.kind != "blank"]
    if len(before) >= 2 and before[-1].text in (b"=", b":", b"(") and before[-2].kind == "word":
        return before[-2].text.decode("latin-1")
    if before and before[-1].kind == "word" and column >= 1:
        text = before[-1].text.decode("latin-1")
        two = parts[column - 2] if column >= 2 else None
        behind_number = column >= 2 and (
            parts[column - 2].is_value
            or (two is not None and two.kind == "blank" and column >= 3 and parts[column - 3].is_value)
        )
        return "" if behind_number and is_unit(text) else text
    return ""


def _name(parts: list[TextToken], column: int, taken: set[str]) -> str:
    label = re.sub(r"\W+", "_", _label(parts, column), flags=re.ASCII).strip("_").lower()
    return _free(label, taken) if label and not label[0].isdigit() else _free_number(taken)


def _free(name: str, taken: set[str]) -> str:
    number, made = 1, name
    while made in taken:
        number += 1
        made = f"{name}{number}"
    return made


def _free_number(taken: set[str]) -> str:
    number = 1
    while f"v{number}" in taken:
        number += 1
    return f"v{number}"


def _unit(parts: list[TextToken], column: int) -> str:
    """The unit behind a number, with or without a blank between."""
    for part in parts[column + 1 : column + 3]:
        if part.kind == "word":
            text = part.text.decode("latin-1")
            return text if is_unit(text) else ""
        if part.kind != "blank":
            return ""
    return ""


def _decimals(texts: list[bytes], point: bytes) -> int:
    counts = Counter(
        len(text.partition(point)[2].partition(b"E")[0].partition(b"e")[0])
        for text in texts
        if re.search(rb"\d", text)
    )
    return min(9, max(counts, default=0))
