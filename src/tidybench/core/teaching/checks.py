"""Check characters: what matches on most messages, too often to be an accident."""

from collections import Counter
from collections.abc import Sequence

from tidybench.core.framing.check import CHECKERS, Checker, CheckRule, Written
from tidybench.core.protocols.crc import CRCS
from tidybench.core.setup.framing import CheckPart

ENOUGH = 3
"""Different messages on which a check must match to be no accident, where it does on all of them."""

MIN_SHARE = 0.8
"""The share of messages on which it must match; the others are bad messages, not another kind."""

MANY = 8
"""Messages on which it must where it is a byte that may be anything."""

MAX_LOOKED_AT = 60
SOME = 5
"""Messages on which it must where it does not on all."""

_WRITTEN: tuple[Written, ...] = ("hex", "high first", "low first")


def find_check(messages: Sequence[bytes]) -> tuple[str | CheckPart, Checker, str] | None:
    """The check that matches on most messages: as a set-up has it, itself, and the reason."""
    looked_at = messages[-MAX_LOOKED_AT:]
    different = set(looked_at)
    if len(different) < ENOUGH:
        return None
    for name in ("nmea", "modbus crc", "xor hex"):
        if _holds(CHECKERS[name], looked_at):
            words = {
                "nmea": "the two digits behind “*” are the NMEA checksum",
                "modbus crc": "the last two bytes are the CRC of Modbus",
            }
            why = words.get(name, "the last two characters are the XOR of all before them")
            return name, CHECKERS[name], f"{why}, on {_on(CHECKERS[name], messages)}"
    # A check of few bits could match by accident: written as text, it must look like one.
    for kind in ("xor", "sum", "lrc", *CRCS):
        for written in _WRITTEN:
            for skip in (0, 1):
                for before in _before(looked_at, kind, written):
                    rule = CheckRule(kind, written, skip, before)
                    certain = rule.bits >= 16 or written == "hex" or len(different) >= MANY
                    if certain and _holds(rule, looked_at) and _varies(rule, looked_at):
                        keys = {
                            "kind": kind,
                            "written": written,
                            "skip": skip,
                            "before": before.decode("latin-1"),
                        }
                        part = CheckPart.model_validate(keys)
                        return (
                            part,
                            rule,
                            f"the last {rule.size} characters are the {kind.upper()} of what stands before, on "
                            f"{_on(rule, messages)}",
                        )
    return None


def _holds(checker: Checker, messages: Sequence[bytes]) -> bool:
    """Whether it matches on all of so few different messages, or on most of many."""
    right: set[bytes] = set()
    count = 0
    for number, message in enumerate(messages, 1):
        if checker(message) is not None:
            count += 1
            right.add(message)
        if number >= MANY and count < 0.5 * number:
            return False
    different = len(set(messages))
    return len(right) == different >= ENOUGH or (len(right) >= SOME and count >= MIN_SHARE * len(messages))


def _varies(rule: CheckRule, messages: Sequence[bytes]) -> bool:
    """Whether the check itself changes: one that never does proves nothing, as where all that changes is not covered."""
    return len({message[-rule.size :] for message in messages if rule(message) is not None}) >= ENOUGH


def _on(checker: Checker, messages: Sequence[bytes]) -> str:
    right = sum(checker(message) is not None for message in messages)
    return (
        "every message"
        if right == len(messages)
        else f"{right} of {len(messages)} messages: the others are bad"
    )


def _before(messages: Sequence[bytes], kind: str, written: Written) -> list[bytes]:
    """Nothing, or the sign that stands before the check on every message."""
    size = CheckRule(kind, written).size
    signs = Counter(message[-size - 1 : -size] for message in messages)
    [(sign, count)] = signs.most_common(1)
    if count < MIN_SHARE * len(messages):
        sign = b""
    return [b"", sign] if sign in (b"*", b"/", b",", b";", b":", b" ", b"#") else [b""]
