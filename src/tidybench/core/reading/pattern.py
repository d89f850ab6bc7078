"""The message pattern language: a pattern looks like the message, with what changes in brackets.

    FL=<flow none(--------) [L/min]> L/min <state:word>

There is no backtracking: each element takes what it can and never gives it back, so reading takes
time linear in the message. A pattern that would need more is refused when it is compiled.
docs/formats/message-patterns.md describes the language for its users.
"""

import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from tidybench.core.quality import Quality

Kind = Literal["number", "int", "word", "text", "skip"]
KINDS: tuple[Kind, ...] = ("number", "int", "word", "text")
Value = float | str
Field = tuple[Quality, Value]
"""What one field read: OK or FLAGGED with its value, any other quality with NaN."""

_NUMBER = rb" *+[+-]?+ *+(?:[0-9]++(?:\.[0-9]*+)?+|\.[0-9]++)(?:[eE][+-]?+[0-9]++)?+"
_INT = rb" *+[+-]?+ *+[0-9]++"
_WORD = rb"[^\x00- \x7f]++"
_NAME = re.compile(r"[^\W\d]\w*(?:-\w+)*")
_TOKEN_WORDS = {
    "none": Quality.NO_READING,
    "over": Quality.OVER,
    "under": Quality.UNDER,
    "flagged": Quality.FLAGGED,
}
LONGEST_PATTERN = 2000


class PatternError(ValueError):
    """A pattern that cannot be used. `column` (from 1) is where; `advice` says what to do."""

    def __init__(self, column: int, what: str, advice: str = "") -> None:
        self.column, self.what, self.advice = column, what, advice
        super().__init__(f"column {column}: {what}" + (f" {advice}" if advice else ""))


@dataclass(slots=True, frozen=True)
class Token:
    """A text that stands in place of a number and what it means."""

    text: bytes
    quality: Quality


@dataclass(slots=True, frozen=True)
class Element:
    """One part of a pattern: a literal, a run of blanks, or a field."""

    column: int
    kind: Literal["literal", "blank", "number", "int", "word", "text", "skip"]
    text: bytes = b""
    name: str = ""
    unit: str = ""
    tokens: tuple[Token, ...] = ()
    flag: bytes = b""
    stop: bytes = b""  # text and skip: the literal they end at; empty at the end of the pattern

    @property
    def is_field(self) -> bool:
        return self.kind not in ("literal", "blank")


@dataclass(slots=True, frozen=True)
class Stop:
    """Where and why a message was not understood. `column` counts characters of the message from 1."""

    column: int
    expected: str
    found: str

    def __str__(self) -> str:
        return f"stops at character {self.column}: {self.expected} was expected, {self.found} came"


@dataclass(slots=True)
class Pattern:
    """A compiled pattern."""

    source: str
    elements: tuple[Element, ...]
    fields: tuple[Element, ...] = ()
    match: Callable[[bytes], "re.Match[bytes] | None"] = field(repr=False, default=lambda _: None)

    def read(self, message: bytes) -> dict[str, Field] | Stop:
        """The fields of a message, or where it stops being understood."""
        matched = self.match(message)
        if matched is None:
            return self.explain(message)
        groups = matched.groups()
        fields = {}
        for element, raw in zip(self.fields, groups, strict=True):
            got = convert(element, raw)
            if got is None:
                return self.explain(message)
            fields[element.name] = got
        return fields

    def explain(self, message: bytes) -> Stop:
        """Where a message that does not match stops being understood: the slow, plain way."""
        walked = walk(self.elements, message)
        if isinstance(walked, Stop):
            return walked
        raise AssertionError(f"{message!r} is understood by {self.source!r}")


def compile_pattern(source: str, encoding: str = "ascii") -> Pattern:
    """Compile a pattern; raises PatternError with the column and a suggestion."""
    elements = _Parser(source, encoding).parse()
    fields = tuple(element for element in elements if element.is_field and element.kind != "skip")
    expression = re.compile(b"".join(_expression(element) for element in elements), re.DOTALL)
    return Pattern(source, elements, fields, expression.fullmatch)


def convert(element: Element, raw: bytes) -> Field | None:
    """What a field's characters mean; None where they look like a number but are none (1e999)."""
    if element.kind in ("word", "text"):
        return Quality.OK, raw.decode("latin-1")
    quality = Quality.OK
    stripped = raw.strip(b" ")
    if element.flag and stripped.startswith(element.flag):
        quality, stripped = Quality.FLAGGED, stripped[len(element.flag) :]
    for token in element.tokens:
        if stripped == token.text:
            return token.quality, math.nan
    try:
        value = float(stripped.replace(b" ", b""))
    except ValueError:
        return None
    if not math.isfinite(value):
        return None
    for token in element.tokens:
        if _as_number(token.text) == value:
            return token.quality, math.nan
    return quality, value


def walk(elements: tuple[Element, ...], message: bytes) -> dict[str, Field] | Stop:
    """Read a message element by element: the reference that the compiled form is tested against."""
    position = 0
    fields: dict[str, Field] = {}
    for element in elements:
        if element.kind == "literal":
            common = _common(element.text, message[position : position + len(element.text)])
            if common < len(element.text):
                expected = _show(element.text[common : common + 1])
                return _stop(message, position + common, expected)
            position += len(element.text)
            continue
        matched = re.compile(_expression(element), re.DOTALL).match(message, position)
        if matched is None:
            return _stop(message, position, _describe(element))
        if element.is_field and element.kind != "skip":
            got = convert(element, matched[1])
            if got is None:
                return _stop(message, position, _describe(element))
            fields[element.name] = got
        position = matched.end()
    if position < len(message):
        return _stop(message, position, "the end of the message")
    return fields


def _expression(element: Element) -> bytes:
    if element.kind == "literal":
        return re.escape(element.text)
    if element.kind == "blank":
        return b" ++"
    if element.kind == "word":
        return b"(" + _WORD + b")"
    if element.kind in ("text", "skip"):
        body = b"(?:(?!" + re.escape(element.stop) + b").)*+" if element.stop else b".*+"
        return b"(" + body + b")" if element.kind == "text" else b"(?:" + body + b")"
    number = _INT if element.kind == "int" else _NUMBER
    # The longest wins: a token that continues a number ("0L") goes before it, others after.
    # Tokens that are themselves numbers are compared by value in `convert`.
    words = [t.text for t in element.tokens if _as_number(t.text) is None]
    before = [w for w in words if re.match(number, w)]
    after = [w for w in words if w not in before]
    after.sort(key=len, reverse=True)
    before.sort(key=len, reverse=True)
    choices = [*(b" *+" + re.escape(w) for w in before)]
    flag = b"(?: *+" + re.escape(element.flag) + b")?+" if element.flag else b""
    choices.append(flag + number)
    choices += [b" *+" + re.escape(w) for w in after]
    return b"((?>" + b"|".join(choices) + b"))"


def _as_number(text: bytes) -> float | None:
    if re.fullmatch(_NUMBER, text) is None:
        return None
    return float(text.replace(b" ", b""))


def _common(expected: bytes, found: bytes) -> int:
    for index, (a, b) in enumerate(zip(expected, found, strict=False)):
        if a != b:
            return index
    return min(len(expected), len(found))


def _show(text: bytes) -> str:
    if not text:
        return "the end of the message"
    names = {b"\r": "CR", b"\n": "LF", b"\t": "TAB", b"\x00": "NUL", b" ": "a blank"}
    return names.get(text) or (f"“{text.decode()}”" if 0x21 <= text[0] < 0x7F else f"the byte {text[0]:02X}")


def _stop(message: bytes, position: int, expected: str) -> Stop:
    return Stop(position + 1, expected, _show(message[position : position + 1]))


def _describe(element: Element) -> str:
    what = {
        "blank": "a blank",
        "number": "a number",
        "int": "a whole number",
        "word": "a word",
        "text": f"text up to {_show(element.stop[:1])}",
        "skip": f"something up to {_show(element.stop[:1])}",
    }[element.kind]
    return f"{what} ({element.name})" if element.name else what


class _Parser:
    """Reads a pattern's source from left to right."""

    def __init__(self, source: str, encoding: str) -> None:
        if len(source) > LONGEST_PATTERN:
            raise PatternError(LONGEST_PATTERN, f"a pattern has at most {LONGEST_PATTERN} characters.")
        self.source, self.encoding = source, encoding
        self.position = 0

    def parse(self) -> tuple[Element, ...]:
        elements: list[Element] = []
        literal, literal_column = bytearray(), 1

        def end_literal() -> None:
            if literal:
                elements.append(Element(literal_column, "literal", bytes(literal)))
                literal.clear()

        while self.position < len(self.source):
            char = self.source[self.position]
            column = self.position + 1
            if char == "<":
                end_literal()
                elements.append(self._field())
                continue
            if char == ">":
                raise PatternError(column, "a “>” without its “<”.", "Write \\> for the character itself.")
            if char == " ":
                end_literal()
                while self.source[self.position : self.position + 1] == " ":
                    self.position += 1
                elements.append(Element(column, "blank"))
                continue
            if not literal:
                literal_column = column
            literal += self._character()
        end_literal()
        if not elements:
            raise PatternError(1, "the pattern is empty.", "Copy a message here and put what changes in < >.")
        return self._checked(elements)

    def _character(self) -> bytes:
        """One literal character, escapes resolved."""
        column = self.position + 1
        char = self.source[self.position]
        self.position += 1
        if char == "\\":
            escape = self.source[self.position : self.position + 1]
            self.position += 1
            if escape == "x":
                digits = self.source[self.position : self.position + 2]
                if not re.fullmatch(r"[0-9A-Fa-f]{2}", digits):
                    raise PatternError(column, "\\x wants two hexadecimal digits.", "For example \\x02.")
                self.position += 2
                return bytes([int(digits, 16)])
            simple = {"r": b"\r", "n": b"\n", "t": b"\t"}
            if escape in simple:
                return simple[escape]
            if escape in ("\\", "<", ">", "(", ")", "|", " ", "[", "]"):
                return escape.encode()
            raise PatternError(
                column, f"“\\{escape}” is not an escape.", "Known are \\r \\n \\t \\x02 \\< \\> \\\\."
            )
        try:
            return char.encode(self.encoding)
        except UnicodeEncodeError:
            raise PatternError(
                column, f"“{char}” cannot be sent as {self.encoding}.", "Choose another text encoding."
            ) from None

    def _field(self) -> Element:
        start = self.position
        column = start + 1
        self.position += 1
        if self.source.startswith("*>", self.position):
            self.position += 2
            return Element(column, "skip")
        name_match = _NAME.match(self.source, self.position)
        if name_match is None:
            raise PatternError(
                self.position + 1, "a field begins with its name.", "For example <flow>, or <*> to skip."
            )
        name = name_match[0]
        self.position = name_match.end()
        kind: Kind = "number"
        if self._take(":"):
            word = re.compile(r"\w*").match(self.source, self.position)
            assert word is not None
            if word[0] not in KINDS:
                raise PatternError(
                    self.position + 1,
                    f"“{word[0]}” is not a kind of field.",
                    f"Known are {', '.join(KINDS)}.",
                )
            kind = word[0]
            self.position = word.end()
        unit, flag = "", b""
        tokens: list[Token] = []
        while True:
            blank = self._take(" ")
            while self._take(" "):
                pass
            here = self.position
            if self._take(">"):
                break
            if self.position >= len(self.source):
                raise PatternError(column, "this “<” is never closed.", "Put a “>” where the field ends.")
            if not blank:
                raise PatternError(here + 1, "a blank belongs between the parts of a field.")
            if self._take("["):
                end = self.source.find("]", self.position)
                if end < 0:
                    raise PatternError(
                        here + 1, "the unit's “[” is never closed.", "Put a “]” after the unit."
                    )
                unit, self.position = self.source[self.position : end].strip(), end + 1
                continue
            option = re.compile(r"(\w+)\(").match(self.source, self.position)
            if option is None or option[1] not in _TOKEN_WORDS:
                raise PatternError(
                    here + 1,
                    "this part of the field is not known.",
                    "Known are a unit in [ ], none(…), over(…), under(…) and flagged(…).",
                )
            if kind not in ("number", "int"):
                raise PatternError(here + 1, f"{option[1]}(…) belongs to a number, not to a {kind}.")
            self.position = option.end()
            quality = _TOKEN_WORDS[option[1]]
            texts = self._tokens(here, may_be_empty=quality is Quality.NO_READING)
            if quality is Quality.FLAGGED:
                if len(texts) != 1:
                    raise PatternError(here + 1, "flagged(…) takes one text.")
                flag = texts[0]
            else:
                tokens += [Token(text, quality) for text in texts]
        return Element(column, kind, name=name, unit=unit, tokens=tuple(tokens), flag=flag)

    def _tokens(self, start: int, may_be_empty: bool) -> list[bytes]:
        texts, text = [], bytearray()
        while self.position < len(self.source):
            if self._take("|"):
                texts.append(bytes(text))
                text.clear()
            elif self._take(")"):
                texts.append(bytes(text))
                if b"" in [t.strip() for t in texts] and not may_be_empty:
                    raise PatternError(
                        start + 1,
                        "an empty text cannot stand for a number.",
                        "none() says that nothing there is no reading.",
                    )
                return [t.strip() for t in texts]
            else:
                text += self._character()
        raise PatternError(start + 1, "this “(” is never closed.", "Put a “)” after the last text.")

    def _take(self, char: str) -> bool:
        if self.source.startswith(char, self.position):
            self.position += 1
            return True
        return False

    def _checked(self, elements: list[Element]) -> tuple[Element, ...]:
        """Refuse what could not be read in one pass; tell text fields where they end."""
        names: set[str] = set()
        checked: list[Element] = []
        for index, element in enumerate(elements):
            if element.name:
                if element.name in names:
                    raise PatternError(
                        element.column, f"the name “{element.name}” is used twice.", "Rename one."
                    )
                names.add(element.name)
            following = elements[index + 1] if index + 1 < len(elements) else None
            if element.is_field and following is not None:
                self._check_pair(element, following)
            if element.kind in ("text", "skip") and following is not None:
                stop = b" " if following.kind == "blank" else following.text
                element = Element(
                    element.column, element.kind, name=element.name, unit=element.unit, stop=stop
                )
            checked.append(element)
        return tuple(checked)

    @staticmethod
    def _check_pair(element: Element, following: Element) -> None:
        column = following.column
        if following.is_field:
            if element.kind == "word" and following.kind in ("number", "int"):
                pass  # a blank, which no word holds, may still begin the number
            elif element.kind not in ("number", "int") or following.kind not in ("word", "text", "skip"):
                raise PatternError(
                    column,
                    "two fields touch here, and nothing says where the first ends.",
                    "Put what stands between them in the pattern.",
                )
            return
        if following.kind == "literal":
            first = following.text[:1]
            if element.kind == "word" and first > b" " and first != b"\x7f":
                raise PatternError(
                    column,
                    f"the word before this takes “{following.text.decode('latin-1')}” too.",
                    "Use the kind text: it ends where this begins.",
                )
            if element.kind in ("number", "int") and first in b"0123456789":
                raise PatternError(
                    column,
                    "the number before this takes these digits too.",
                    "Make the digits part of the field.",
                )
            if (
                element.kind == "number"
                and first in (b".", b"e", b"E")
                and len(following.text) == 1
                and first == b"."
            ):
                raise PatternError(
                    column, "the number before this takes the point too.", "Leave the point out."
                )
