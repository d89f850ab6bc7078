"""An expression's text cut into tokens."""

import re
from dataclasses import dataclass
from typing import Literal

LONGEST = 2000
"""Characters of an expression."""

Kind = Literal["number", "channel", "name", "unit", "sign", "end"]
SIGNS = ("<=", ">=", "!=", "+", "-", "*", "/", "^", "(", ")", ",", "<", ">", "=")
ALIKE = {"×": "*", "·": "*", "÷": "/", "−": "-", "≤": "<=", "≥": ">=", "≠": "!=", "==": "=", "**": "^"}
"""Written so by some; meant so."""

_NUMBER = re.compile(r"(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_.]*")


class ExpressionError(ValueError):
    """What is wrong with an expression, and at which column (from 1)."""

    def __init__(self, column: int, what: str) -> None:
        self.column = column
        self.what = what
        super().__init__(f"Column {column}: {what}")


@dataclass(slots=True, frozen=True)
class Lexeme:
    """`text`: of a channel or a unit, what stands between its quotes or brackets."""

    kind: Kind
    text: str
    column: int


def tokens(text: str) -> list[Lexeme]:
    """All tokens and one for the end. Raises ExpressionError."""
    if len(text) > LONGEST:
        raise ExpressionError(
            LONGEST, f"an expression has at most {LONGEST} characters; this one has {len(text)}"
        )
    found: list[Lexeme] = []
    at = 0
    while at < len(text):
        char, column = text[at], at + 1
        if char.isspace():
            at += 1
            continue
        if char in '"[':
            closing = '"' if char == '"' else "]"
            end = text.find(closing, at + 1)
            what = "a channel's id" if char == '"' else "a unit"
            if end < 0:
                raise ExpressionError(column, f"{what} begins here and has no end: {closing} is missing")
            inner = text[at + 1 : end].strip()
            if char == '"' and not inner:
                raise ExpressionError(column, "between the quotes stands no channel's id")
            found.append(Lexeme("channel" if char == '"' else "unit", inner, column))
            at = end + 1
            continue
        two = text[at : at + 2]
        sign = ALIKE.get(two) or (two if two in SIGNS else "")
        length = 2 if sign else 1
        sign = sign or ALIKE.get(char, char if char in SIGNS else "")
        if sign:
            found.append(Lexeme("sign", sign, column))
            at += length
            continue
        matched = _NUMBER.match(text, at) or _NAME.match(text, at)
        if matched is None:
            raise ExpressionError(column, f"“{char}” has no meaning here")
        word = matched.group()
        kind: Kind = "number" if matched.re is _NUMBER else "name"
        after = text[matched.end() : matched.end() + 1]
        if kind == "number" and (after.isalpha() or after in "_.") and after:
            raise ExpressionError(
                matched.end() + 1, f"a unit stands in brackets behind its number: {word} [{after}…]"
            )
        found.append(Lexeme(kind, word, column))
        at = matched.end()
    found.append(Lexeme("end", "", len(text) + 1))
    return found
