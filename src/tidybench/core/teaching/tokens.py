"""A message cut into the parts that people see in it: numbers, dashes, words, blanks, signs."""

import re
from dataclasses import dataclass
from typing import Literal

TokenKind = Literal["number", "dashes", "word", "blank", "sign"]

_TOKEN = re.compile(
    rb"(?P<number>(?<![A-Za-z0-9.])(?:[+-] *)?(?:\d+\.\d*|\.\d+|\d+)(?:[eE][+-]?\d+)?(?![A-Za-z0-9]*\.\d)(?![\d.]))"
    rb"|(?P<dashes>[-?*_]{2,}(?:[.,][-?*_]+)?|[-?*_]+[.,][-?*_]+)"
    rb"|(?P<word>[A-Za-z_\x80-\xff%][A-Za-z0-9_\x80-\xff%/]*)"
    rb"|(?P<blank> +)"
    rb"|(?P<sign>.)",
    re.DOTALL,
)
_COMMA = re.compile(
    _TOKEN.pattern.replace(rb"\d+\.\d*|\.\d+", rb"\d+,\d*|,\d+").replace(rb"(?![\d.])", rb"(?![\d,])"),
    re.DOTALL,
)


@dataclass(slots=True, frozen=True)
class TextToken:
    """One part: what it looks like, its characters, where it begins."""

    kind: TokenKind
    text: bytes
    start: int

    @property
    def is_value(self) -> bool:
        """Whether a reading may stand here."""
        return self.kind in ("number", "dashes")


def tokens(message: bytes, comma: bool = False) -> list[TextToken]:
    """The parts of a message from left to right; with `comma`, numbers have decimal commas."""
    expression = _COMMA if comma else _TOKEN
    return [
        TextToken(match.lastgroup or "sign", match[0], match.start())  # type: ignore[arg-type]
        for match in expression.finditer(message)
    ]


def shape(parts: list[TextToken]) -> tuple[str | bytes, ...]:
    """What messages of one kind have in common: values and words by kind, signs by themselves."""
    return tuple(
        "value" if part.is_value else part.kind if part.kind in ("word", "blank") else part.text
        for part in parts
    )
