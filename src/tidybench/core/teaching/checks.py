"""Check characters that come out right on every message."""

from collections.abc import Sequence

from tidybench.core.framing.check import CHECKERS, Checker, CheckRule, Written
from tidybench.core.protocols.crc import CRCS
from tidybench.core.setup.framing import CheckPart

ENOUGH = 3
"""Different messages on which a check must come out right to be no accident."""

_WRITTEN: tuple[Written, ...] = ("hex", "high first", "low first")


def find_check(messages: Sequence[bytes]) -> tuple[str | CheckPart, Checker, str] | None:
    """The check that comes out right on every message: as a set-up has it, itself, and the reason."""
    different = list(dict.fromkeys(messages))[:20]
    if len(different) < ENOUGH:
        return None
    for name in ("nmea", "modbus crc", "xor hex"):
        if all(CHECKERS[name](message) is not None for message in different):
            words = {
                "nmea": "the two digits behind “*” are the NMEA checksum",
                "modbus crc": "the last two bytes are the CRC of Modbus",
            }
            why = words.get(name, "the last two characters are the XOR of all before them")
            return name, CHECKERS[name], f"{why}, on every message"
    # A check of few bits could come out right by accident: written as text, it must look like one.
    for kind in ("xor", "sum", "lrc", *CRCS):
        for written in _WRITTEN:
            for skip in (0, 1):
                for before in _before(different, kind, written):
                    rule = CheckRule(kind, written, skip, before)
                    if (rule.bits >= 16 or written == "hex" or len(different) >= 8) and all(
                        rule(m) is not None for m in different
                    ):
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
                            f"the last {rule.size} characters are the {kind.upper()} of what stands before, on every message",
                        )
    return None


def _before(messages: Sequence[bytes], kind: str, written: Written) -> list[bytes]:
    """Nothing, or the sign that stands before the check on every message."""
    size = CheckRule(kind, written).size
    signs = {message[-size - 1 : -size] for message in messages}
    sign = signs.pop() if len(signs) == 1 else b""
    return [b"", sign] if sign in (b"*", b"/", b",", b";", b":", b" ", b"#") else [b""]
