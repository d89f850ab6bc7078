"""The source of a message pattern, read from left to right into elements."""

import difflib
import re
from dataclasses import replace

from tidybench.core.quality import Quality
from tidybench.core.reading.counted_list import MAX_COUNT
from tidybench.core.reading.element import (
    CHOICES,
    KINDS,
    NUMBERS,
    WIDTHS,
    Element,
    Kind,
    Token,
    fields_of,
)
from tidybench.core.reading.moment import layout_problem

_NAME = re.compile(r"[^\W\d]\w*(?:-\w+)*")
_WIDTH = re.compile(r"(\d+)(?:\.(\d+))?(?=[ >])")
_BOUNDS = re.compile(r"\[\s*(\d+)\s*\.\.\s*(\d+|[^\W\d]\w*)\s*\]")
_OPTION = re.compile(r"(\w+)\(")
_TOKENS = {
    "none": Quality.NO_READING,
    "over": Quality.OVER,
    "under": Quality.UNDER,
    "flagged": Quality.FLAGGED,
}
_OPTIONS = (*_TOKENS, "decimal", "thousands", "sign", "exponent", "bits", "of", "sep")
_WORDS = ("signed", "reversed", "low")
_WORD = re.compile(r"[a-z]+(?=[ >])")
_QUALITIES = {"ok": Quality.OK, **_TOKENS}
_ESCAPES = {"r": b"\r", "n": b"\n", "t": b"\t"}
_PLAIN_ESCAPES = "\\<>()|[] ?="
MAX_PATTERN = 2000
MAX_IN_LIST = 200
WIDEST = 10_000
PREFIXES = {
    "p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "m": 1e-3, "c": 1e-2, "d": 1e-1, "": 1.0,
    "h": 1e2, "k": 1e3, "K": 1e3, "M": 1e6, "G": 1e9, "T": 1e12,
}  # fmt: skip
"""SI prefixes (ISO 80000-1, 6.5.4); `u` and `K` as instruments write them."""


class PatternError(ValueError):
    """A pattern that cannot be used. `column` (from 1) is where; `advice` says what to do."""

    def __init__(self, column: int, what: str, advice: str = "") -> None:
        self.column, self.what, self.advice = column, what, advice
        super().__init__(f"column {column}: {what}" + (f" {advice}" if advice else ""))


def parse(source: str, encoding: str) -> tuple[Element, ...]:
    """The elements of a pattern; raises PatternError."""
    if len(source) > MAX_PATTERN:
        raise PatternError(MAX_PATTERN, f"a pattern has at most {MAX_PATTERN} characters.")
    elements = _Parser(source, encoding).parse()
    _check_counted(elements)
    if not elements:
        raise PatternError(1, "the pattern is empty.", "Copy a message here and put what changes in < >.")
    return elements


def _check_counted(elements: tuple[Element, ...]) -> None:
    """Raises PatternError where nothing says how many members a list has, or more than one list wants to be told."""
    counts = list(dict.fromkeys(one.counted for one in elements if one.counted))
    inside = next(
        (one for part in elements for one in fields_of((part,)) if one.counted and one is not part), None
    )
    if inside is not None or len(counts) > 1:
        column = (inside or next(one for one in elements if one.counted == counts[1])).column
        raise PatternError(
            column,
            "one list of a pattern may have its count in the message, and it stands in no optional part.",
        )
    if counts:
        first = next(n for n, one in enumerate(elements) if one.counted)
        before = [one.name for one in elements[:first] if one.is_number]
        if counts[0] not in before:
            raise PatternError(
                elements[first].column, f"no number “{counts[0]}” stands before this list.", f"For example <{counts[0]}:int>;<ch[1..{counts[0]}] sep(;)>."
            )  # fmt: skip


def _near(word: str, known: tuple[str, ...]) -> str:
    near = difflib.get_close_matches(word, known, 1)
    return f"Did you mean {near[0]}?" if near else f"Known are {', '.join(known)}."


_EXAMPLES = {"unit": "mV|V).", "choice": "OK|LOW).", "quality": "ST|US=flagged)."}


def _complete(element: Element) -> None:
    """Raises PatternError where something is missing, or does not go together."""
    widths = WIDTHS.get(element.kind)
    column, kind = element.column, element.kind
    if widths is not None and element.width not in widths:
        what = "digits" if kind == "hexfloat" else "bytes"
        raise PatternError(
            column, f"{kind} wants its {what}: {', '.join(map(str, widths))}.", f"For example <{element.name}:{kind} {widths[-1 if kind == 'float' else min(1, len(widths) - 1)]}>."
        )  # fmt: skip
    if element.signed and not element.width:
        raise PatternError(
            column,
            "signed wants a width: the first digit has the sign.",
            f"For example <{element.name}:hex 4 signed>.",
        )
    if element.reverse and not element.width:
        raise PatternError(
            column,
            "reversed wants a width: the number ends at its first character.",
            f"For example <{element.name} 7 reversed>.",
        )
    if element.thousands and element.thousands == (b"," if element.comma else b"."):
        raise PatternError(
            column, "thousands and decimals are parted by the same sign.", "Change one of them."
        )
    if element.kind in CHOICES and element.kind == "choice" and element.of:
        raise PatternError(column, "of(…) belongs to a unit or a quality.", "Leave it out.")


def _belonging(element: Element, texts: list[bytes], here: int) -> Element:
    if element.kind not in ("unit", "quality"):
        raise PatternError(here + 1, f"of(…) belongs to a unit or a quality, not to {element.kind}.")
    if len(texts) != 1 or not texts[0]:
        raise PatternError(here + 1, "of(…) takes the name of one field.", "For example of(weight).")
    return replace(element, of=texts[0].decode("latin-1"), of_said=True)


def _with_bits(element: Element, names: list[str], here: int) -> Element:
    if element.kind not in ("hex", "int", "bits", "uint"):
        raise PatternError(here + 1, f"only a whole number has bits; {element.kind} has none.")
    bits, counts = [], []
    for text in names:
        name, star, count = text.partition("*")
        if name not in ("", "-") and _NAME.fullmatch(name) is None:
            raise PatternError(
                here + 1, f"“{name}” is no name for a bit.", "Names are letters, digits and _, the lowest bit first; - for none."
            )  # fmt: skip
        if star and not (count.isdecimal() and 0 < int(count) <= 52):
            raise PatternError(
                here + 1, f"“{text}” does not say how many bits it has.", "For example mode*3."
            )
        bits.append("" if name == "-" else name)
        counts.append(int(count) if star else 1)
    return replace(element, bits=tuple(bits), bit_counts=tuple(counts))


class _Parser:
    def __init__(self, source: str, encoding: str) -> None:
        self.source, self.encoding = source, encoding
        self.position = 0

    def parse(self, opened: int = 0) -> tuple[Element, ...]:
        """Up to the end, or, within an optional part that was opened at that column, up to its `?>`."""
        elements: list[Element] = []
        literal, literal_column = bytearray(), 1

        def end_literal() -> None:
            if literal:
                elements.append(Element(literal_column, "literal", bytes(literal)))
                literal.clear()

        while self.position < len(self.source):
            char = self.source[self.position]
            column = self.position + 1
            if opened and self.source.startswith("?>", self.position):
                end_literal()
                self.position += 2
                return tuple(elements)
            if char == "<":
                end_literal()
                if self.source.startswith("<?", self.position):
                    self.position += 2
                    parts = self.parse(opened=column)
                    if not parts:
                        raise PatternError(column, "this optional part is empty.", "Leave it out.")
                    elements.append(Element(column, "optional", parts=parts))
                else:
                    elements += self._field()
                continue
            if char == ">":
                raise PatternError(column, "a “>” without its “<”.", "Write \\> for the character itself.")
            if char == " ":
                end_literal()
                self._blanks()
                elements.append(Element(column, "blank"))
                continue
            if not literal:
                literal_column = column
            literal += self._character()
        if opened:
            raise PatternError(
                opened, "this “<?” is never closed.", "Put a “?>” where the optional part ends."
            )
        end_literal()
        return tuple(elements)

    def _blanks(self) -> bool:
        begin = self.position
        while self._take(" "):
            pass
        return self.position > begin

    def _take(self, text: str) -> bool:
        if self.source.startswith(text, self.position):
            self.position += len(text)
            return True
        return False

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
            if escape in _ESCAPES:
                return _ESCAPES[escape]
            if escape and escape in _PLAIN_ESCAPES:
                return escape.encode()
            raise PatternError(
                column, f"“\\{escape}” is not an escape.", "Known are \\r \\n \\t \\x02 \\< \\> \\? \\\\."
            )
        try:
            return char.encode(self.encoding)
        except UnicodeEncodeError:
            raise PatternError(
                column, f"“{char}” cannot be sent as {self.encoding}.", "Choose another text encoding."
            ) from None

    def _field(self) -> list[Element]:
        column = self.position + 1
        self.position += 1
        if self._take("*"):
            return [self._skip(column)]
        name_match = _NAME.match(self.source, self.position)
        if name_match is None:
            raise PatternError(
                self.position + 1, "a field begins with its name.", "For example <flow>, or <*> to skip."
            )
        self.position = name_match.end()
        bounds = self._bounds()
        kind: Kind = self._kind() if self._take(":") else "number"
        element = Element(column, kind, name=name_match[0], encoding=self.encoding)
        if kind in CHOICES:
            element = self._choices(element)
        elif kind == "datetime" and self._take("("):
            element = self._layout(element)
        element, separator = self._options(element)
        _complete(element)
        if bounds is None:
            if separator is not None:
                raise PatternError(
                    column, "sep(…) belongs to a list.", f"For example <{element.name}[1..8] sep(,)>."
                )
            return [element]
        return self._list(element, bounds, separator)

    def _skip(self, column: int) -> Element:
        width = 0
        if self._blanks():
            found = re.compile(r"\d+").match(self.source, self.position)
            if found is None or not 0 < int(found[0]) <= WIDEST:
                raise PatternError(self.position + 1, "how many characters to skip?", "For example <* 5>.")
            width, self.position = int(found[0]), found.end()
        if not self._take(">"):
            raise PatternError(column, "this “<*” is never closed.", "Write <*> or <* 5>.")
        return Element(column, "skip", width=width)

    def _bounds(self) -> tuple[int, int, str] | None:
        if not self.source.startswith("[", self.position):
            return None
        found = _BOUNDS.match(self.source, self.position)
        here = self.position + 1
        if found is None:
            raise PatternError(
                here, "a list's bounds are two whole numbers.", "For example <ch[1..10] sep(,)>, or <ch[1..n] sep(,)> behind a number n. A unit stands after a blank."
            )  # fmt: skip
        if not found[2].isdecimal():
            if found[1] != "1":
                raise PatternError(
                    here, "a list whose count stands in the message begins at 1.", f"Write [1..{found[2]}]."
                )
            self.position = found.end()
            return 1, MAX_COUNT, found[2]
        first, last = int(found[1]), int(found[2])
        if not first <= last < first + MAX_IN_LIST:
            raise PatternError(
                here, f"a list has one to {MAX_IN_LIST} members.", "Write the smaller bound first."
            )
        self.position = found.end()
        return first, last, ""

    def _kind(self) -> Kind:
        found = re.compile(r"\w*").match(self.source, self.position)
        assert found is not None
        for kind in KINDS:
            if kind == found[0]:
                self.position = found.end()
                return kind
        raise PatternError(
            self.position + 1, f"“{found[0]}” is not a kind of field.", _near(found[0], tuple(KINDS))
        )

    def _choices(self, element: Element) -> Element:
        here = self.position
        if not self._take("("):
            raise PatternError(
                here + 1, f"{element.kind} wants its texts.", f"For example {element.kind}(" + _EXAMPLES[element.kind]
            )  # fmt: skip
        texts = self._texts(here, strip=False)
        if element.kind == "choice":
            if b"" in texts:
                raise PatternError(
                    here + 1, "an empty text is no choice.", "Use <? … ?> for what may be absent."
                )
            return replace(element, choices=tuple(texts))
        if element.kind == "quality":
            return self._judging(element, texts, here)
        factors = []
        for index, text in enumerate(texts):
            name, equals, factor = text.partition(b"=")
            texts[index] = name.strip()
            if not name.strip():
                raise PatternError(
                    here + 1, "an empty text is no unit.", "Use <? … ?> for what may be absent."
                )
            try:
                factors.append(float(factor) if equals else 0.0)  # 0: to be found from its prefix
            except ValueError:
                factors.append(-1.0)
            if equals and not 0 < factors[-1] < 1e300:
                raise PatternError(
                    here + 1, "a unit's factor is a number above zero.", "For example unit(kgf=9.80665|N)."
                )
        return replace(element, choices=tuple(texts), factors=tuple(factors))

    def _layout(self, element: Element) -> Element:
        here = self.position
        layout = b"|".join(self._texts(here, strip=False)).decode("latin-1")
        why = layout_problem(layout)
        if why or not layout.isascii():
            raise PatternError(
                here, f"{why or 'a layout is plain text'}.", "For example datetime(DD.MM.YYYY hh:mm:ss)."
            )
        return replace(element, layout=layout)

    def _judging(self, element: Element, texts: list[bytes], here: int) -> Element:
        """What each text says of the numbers, as in `quality(ST|US=flagged|OL=over)`."""
        choices, qualities = [], []
        for text in texts:
            name, equals, word = text.partition(b"=")
            if not name:
                raise PatternError(
                    here + 1, "an empty text says nothing.", "Use <? … ?> for what may be absent."
                )
            said = word.strip().decode("latin-1") if equals else "ok"
            if said not in _QUALITIES:
                raise PatternError(
                    here + 1, f"“{said}” is not a quality.", f"Known are {', '.join(_QUALITIES)}."
                )
            choices.append(name)
            qualities.append(_QUALITIES[said])
        return replace(element, choices=tuple(choices), qualities=tuple(qualities))

    def _options(self, element: Element) -> tuple[Element, bytes | None]:
        separator: bytes | None = None
        while True:
            blank = self._blanks()
            here = self.position
            if self._take(">"):
                return element, separator
            if self.position >= len(self.source):
                raise PatternError(
                    element.column, "this “<” is never closed.", "Put a “>” where the field ends."
                )
            if not blank:
                raise PatternError(here + 1, "a blank belongs between the parts of a field.")
            if self._take("["):
                element = self._unit(element, here)
                continue
            width = _WIDTH.match(self.source, here)
            if width is not None:
                element = self._width(element, width)
                continue
            word_found = _WORD.match(self.source, here)
            if word_found is not None and word_found[0] in _WORDS:
                element = self._word(element, word_found)
                continue
            option = _OPTION.match(self.source, here)
            if option is None or option[1] not in _OPTIONS:
                word = option[1] if option else self.source[here:].split(">")[0].split(" ")[0]
                raise PatternError(
                    here + 1, f"“{word}” is not known in a field.",
                    _near(word, _OPTIONS) if option else "Known are a width, a unit in [ ], none(…), over(…), under(…), flagged(…), decimal(,), thousands(,), sign(behind), exponent(D), "
                    "bits(…), of(…), sep(…), signed, reversed and low.",
                )  # fmt: skip
            self.position = option.end()
            texts = self._texts(here, strip=option[1] != "sep")
            if option[1] == "sep":
                if len(texts) != 1 or not texts[0]:
                    raise PatternError(here + 1, "sep(…) takes one text.", "For example sep(,).")
                separator = texts[0]
            elif option[1] == "of":
                element = _belonging(element, texts, here)
            elif option[1] in ("thousands", "sign", "exponent", "bits"):
                element = self._notation(element, option[1], texts, here)
            else:
                element = self._number_option(element, option[1], texts, here)

    def _word(self, element: Element, found: "re.Match[str]") -> Element:
        word, here = found[0], self.position + 1
        self.position = found.end()
        if word == "signed":
            if element.kind != "hex":
                raise PatternError(
                    here, f"signed belongs to hex, not to {element.kind}.", "Bytes with a sign are sint."
                )
            return replace(element, signed=True)
        if word == "low":
            if element.kind not in WIDTHS:
                raise PatternError(here, f"low says which byte comes first; {element.kind} has none.")
            return replace(element, low=True)
        if element.kind != "number":
            raise PatternError(here, f"reversed belongs to a number, not to {element.kind}.")
        return replace(element, reverse=True)

    def _notation(self, element: Element, option: str, texts: list[bytes], here: int) -> Element:
        if option == "bits":
            return _with_bits(element, [text.decode(self.encoding) for text in texts], here)
        if element.kind != "number" and not (element.kind == "int" and option != "exponent"):
            raise PatternError(here + 1, f"{option}(…) belongs to a number, not to {element.kind}.")
        if option == "thousands":
            texts = [b" "] if texts == [b""] else texts
            if len(texts) != 1 or texts[0] not in (b",", b".", b" ", b"'", b"_"):
                raise PatternError(
                    here + 1, "thousands are parted by , . ' _ or a blank.", "For example thousands(,)."
                )
            return replace(element, thousands=texts[0])
        if option == "sign":
            if texts != [b"behind"]:
                raise PatternError(here + 1, "a sign stands in front, or behind.", "Write sign(behind).")
            return replace(element, behind=True)
        if len(texts) != 1 or not re.fullmatch(rb"[A-Za-z]", texts[0]):
            raise PatternError(here + 1, "exponent(…) takes one letter.", "For example exponent(D).")
        return replace(element, exponent=texts[0])

    def _unit(self, element: Element, here: int) -> Element:
        end = self.source.find("]", self.position)
        if end < 0:
            raise PatternError(here + 1, "the unit's “[” is never closed.", "Put a “]” after the unit.")
        unit = self.source[self.position : end].strip()
        self.position = end + 1
        return replace(element, unit=unit)

    def _width(self, element: Element, found: "re.Match[str]") -> Element:
        width, decimals = int(found[1]), int(found[2] or 0)
        here = self.position + 1
        if element.kind in CHOICES:
            raise PatternError(here, f"a {element.kind} has no width: its texts say how long they are.")
        if found[2] is not None and element.kind in ("uint", "sint", "bcd") and 0 < width <= WIDEST:
            self.position = found.end()
            return replace(element, width=width, decimals=decimals)
        if not 0 < width <= WIDEST or decimals >= width:
            raise PatternError(
                here, "a width is at least 1, and wider than its decimals.", "For example 6.3."
            )
        if found[2] is not None and element.kind != "number":
            raise PatternError(here, f"decimals belong to a number, not to {element.kind}.")
        self.position = found.end()
        return replace(element, width=width, decimals=decimals)

    def _number_option(self, element: Element, option: str, texts: list[bytes], here: int) -> Element:
        if element.kind not in NUMBERS:
            raise PatternError(here + 1, f"{option}(…) belongs to a number, not to a {element.kind}.")
        if option == "decimal":
            if texts not in ([b","], [b"."]):
                raise PatternError(here + 1, "the decimal sign is a comma or a point.", "Write decimal(,).")
            if element.kind != "number":
                raise PatternError(here + 1, f"decimal(…) belongs to a number, not to {element.kind}.")
            return replace(element, comma=texts == [b","])
        quality = _TOKENS[option]
        if b"" in texts and quality is not Quality.NO_READING:
            raise PatternError(
                here + 1, "an empty text cannot stand for a number.", "none() says that nothing there is no reading."
            )  # fmt: skip
        if quality is Quality.FLAGGED:
            if len(texts) != 1:
                raise PatternError(here + 1, "flagged(…) takes one text.")
            return replace(element, flag=texts[0])
        return replace(element, tokens=(*element.tokens, *(Token(text, quality) for text in texts)))

    def _texts(self, start: int, strip: bool) -> list[bytes]:
        """What stands in parentheses, cut at bars."""
        texts, text = [], bytearray()
        while self.position < len(self.source):
            if self._take("|"):
                texts.append(bytes(text))
                text.clear()
            elif self._take(")"):
                texts.append(bytes(text))
                return [t.strip() for t in texts] if strip else texts
            else:
                text += self._character()
        raise PatternError(start + 1, "this “(” is never closed.", "Put a “)” after the last text.")

    def _list(self, element: Element, bounds: tuple[int, int, str], separator: bytes | None) -> list[Element]:
        if separator is None and not element.width:
            raise PatternError(
                element.column, "nothing says what stands between the members of this list.", "Add sep(,), or a width."
            )  # fmt: skip
        members: list[Element] = []
        for number in range(bounds[0], bounds[1] + 1):
            if members and separator is not None:
                between = separator.strip(b" ")
                members.append(
                    Element(element.column, "literal", separator) if between else Element(element.column, "blank")
                )  # fmt: skip
            members.append(replace(element, name=f"{element.name}{number}"))
        if not bounds[2]:
            return members
        if element.kind not in NUMBERS:
            raise PatternError(
                element.column, f"a list whose count stands in the message holds numbers, not {element.kind}."
            )
        return [replace(member, counted=bounds[2]) for member in members]
