"""What a comma between digits is: the decimal sign, a sign between thousands, or what parts two numbers."""

import re
from collections.abc import Sequence

from tidybench.core.teaching.question import Asking, Choice, Question, shown_text
from tidybench.core.teaching.slots import Notation

_RUN = re.compile(rb"(?<![\d.,])\d(?:[.,]?\d)*")
_POINT_THOUSANDS = re.compile(rb"\d{1,3}(?:\.\d{3})+(?:,\d+)?")
_COMMA_THOUSANDS = re.compile(rb"(?:\d{1,3}(?:,\d{3})+|\d{1,3})(?:\.\d*)?")
PARTS = Notation()


def notations(messages: Sequence[bytes], asking: Asking) -> Notation | None:
    """How numbers are written in these messages; None while that is asked."""
    runs = [(message, run) for message in messages for run in _RUN.findall(message)]
    with_comma = [(message, run) for message, run in runs if b"," in run]
    if any(run.count(b".") > 1 for _, run in runs) and not with_comma:
        dotted = [run for _, run in runs if b"." in run]
        if all(_POINT_THOUSANDS.fullmatch(run) for run in dotted):
            return Notation(comma=True, thousands=b".")
    if not with_comma:
        return PARTS
    can: dict[str, Notation] = {}
    if all(run.count(b",") == 1 for _, run in with_comma):
        if all(b"." not in run for _, run in with_comma):
            can["decimal"] = Notation(comma=True)
        elif all(b"." not in run or _POINT_THOUSANDS.fullmatch(run) for _, run in runs):
            can["decimal"] = Notation(comma=True, thousands=b".")
    if all(_is_grouped(run) for _, run in with_comma):
        can["thousands"] = Notation(thousands=b",")
    if _parts_are_even(messages):
        can["parts"] = PARTS
    _leave_out(can, messages, with_comma)
    if len(can) == 1:
        return next(iter(can.values()))
    if not can:
        return PARTS
    return _asked(can, with_comma, asking)


def _is_grouped(run: bytes) -> bool:
    return _COMMA_THOUSANDS.fullmatch(run) is not None and not (
        run.startswith(b"0") and len(run) > 1 and run[1:2] != b"."
    )


def _parts_are_even(messages: Sequence[bytes]) -> bool:
    """Whether messages that look alike besides have as many commas each time."""
    counts: dict[bytes, set[int]] = {}
    for message in messages:
        kind = re.sub(rb"[+-]?[\d.,]+|[-]{2,}", b"#", message)
        counts.setdefault(re.sub(rb" +", b" ", kind).strip(), set()).add(message.count(b","))
    return all(len(one) == 1 for one in counts.values())


def _leave_out(
    can: dict[str, Notation], messages: Sequence[bytes], with_comma: Sequence[tuple[bytes, bytes]]
) -> None:
    """What the evidence speaks against."""
    whole = b"\n".join(messages)
    if re.search(rb"\d,[+-]", whole) is not None:  # “1,-5”: a sign begins a number of its own
        can.pop("decimal", None)
        can.pop("thousands", None)
    touched = all(
        re.search(rb"(?<![\d.,])" + re.escape(run) + rb" ?[A-Za-z%\xb0\xf8\xc2]", message)
        for message, run in with_comma[:50]
    )
    other = re.search(rb"\d ?[;\t|] ?[+-]?\d", whole) is not None
    if "parts" in can and "decimal" in can and (touched or other):
        del can["parts"]  # a unit or a label stands behind each, or something else parts the numbers
    behind = [run.rpartition(b",")[2] for _, run in with_comma]
    before = [run.partition(b",")[0] for _, run in with_comma]
    if any(one.startswith(b"0") and len(one) > 1 for one in before):
        can.pop("thousands", None)
    if "decimal" in can and any(len(one) != 3 for one in behind):
        can.pop("thousands", None)


def _asked(
    can: dict[str, Notation], with_comma: Sequence[tuple[bytes, bytes]], asking: Asking
) -> Notation | None:
    message, run = next(((m, r) for m, r in with_comma if not r.startswith(b"0")), with_comma[0])
    text = run.decode()
    _head, _, _tail = text.partition(",")
    words = {
        "thousands": ("thousands", f"one number, {text.replace(',', '')}"),
        "decimal": ("decimal", f"one number, {text.replace('.', '').replace(',', '.')}"),
        "parts": ("parts", f"{text.count(',') + 1} numbers, {text.replace(',', ' and ')}"),
    }
    choices = tuple(Choice(key, words[key][1], (f"{shown_text(message)} → {_as(key, text)}",)) for key in can)
    meant = asking.ask(Question("comma", f"How is “{text}” meant?", choices))
    return can[meant] if meant else None


def _as(key: str, text: str) -> str:
    if key == "thousands":
        return text.replace(",", "")
    return text.replace(".", "").replace(",", ".") if key == "decimal" else ", ".join(text.split(","))
