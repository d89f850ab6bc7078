"""What makes a pattern readable in one pass: everything says where it ends.

Each element has a set of bytes it may begin with and a set of bytes it would go on with. Where the
bytes that may follow an element are among those it would go on with, or where an optional part
begins like what follows it, one pass cannot tell them apart, and the pattern is refused.
"""

from dataclasses import replace

from tidybench.core.reading.element import CHOICES, NUMBERS, Element, fields_of
from tidybench.core.reading.pattern_source import PREFIXES, PatternError

Bytes = frozenset[int]
ANY: Bytes = frozenset(range(256))
_DIGITS = frozenset(b"0123456789")
_WORD = ANY - frozenset(range(0x21)) - {0x7F}
_HOLDS: dict[str, Bytes] = {
    "hex": frozenset(b"0123456789ABCDEFabcdef"),
    "bits": frozenset(b"01"),
    "word": _WORD,
}


def checked(elements: tuple[Element, ...]) -> tuple[Element, ...]:
    """The elements, with text fields told where they end, blanks and units told what they stand
    beside; raises PatternError."""
    names: set[str] = set()
    for element in fields_of(elements):
        for name in element.names:
            if name in names:
                raise PatternError(element.column, f"the name “{name}” is used twice.", "Rename one.")
            names.add(name)
    numbers = {one.name: one for one in fields_of(elements) if one.kind in NUMBERS}
    for element in fields_of(elements):
        if element.of and element.of not in numbers:
            raise PatternError(
                element.column, f"there is no number “{element.of}” in this pattern.", f"Numbers are {', '.join(numbers) or 'missing'}."
            )  # fmt: skip
    return _sequence(elements, (), None, numbers)


def _sequence(
    elements: tuple[Element, ...],
    after: tuple[Element, ...],
    number: Element | None,
    numbers: dict[str, Element],
) -> tuple[Element, ...]:
    """`after`: what follows these elements; `number`: the number field before them; `numbers`: all of the pattern."""
    done: list[Element] = []
    for index, element in enumerate(elements):
        rest = (*elements[index + 1 :], *after)
        before = elements[index - 1] if index else None
        if element.kind == "blank":
            beside = [one for one in (before, rest[0] if rest else None) if one is not None]
            element = replace(element, exactly=any(one.width for one in beside))
        elif element.kind == "optional":
            starts, _ = _first(element.parts)
            follows, _ = _first(rest)
            if starts & follows:
                raise PatternError(
                    element.column, "this optional part begins like what follows it.",
                    "Let it begin with something that does not come otherwise.",
                )  # fmt: skip
            if _may_be_empty(element.parts):
                raise PatternError(
                    element.column, "this optional part may be empty anyway.", "Leave the <? ?> out, or put a literal in it."
                )  # fmt: skip
            element = replace(element, parts=_sequence(element.parts, rest, number, numbers))
        elif element.kind in ("text", "skip") and not element.width:
            element = _ended(element, rest)
        elif element.kind == "unit":
            element = _unit(element, numbers.get(element.of) or number or next(iter(numbers.values()), None))
        elif not element.width:
            _check_end(element, rest)
        inside = fields_of((element,))
        number = next((one for one in reversed(inside) if one.kind in NUMBERS), number)
        done.append(element)
    return tuple(done)


def _ended(element: Element, rest: tuple[Element, ...]) -> Element:
    if not rest:
        return element
    if rest[0].kind not in ("literal", "blank"):
        raise PatternError(
            rest[0].column, "two fields touch here, and nothing says where the first ends.",
            "Put what stands between them in the pattern.",
        )  # fmt: skip
    return replace(element, stop=b" " if rest[0].kind == "blank" else rest[0].text)


def _unit(element: Element, number: Element | None) -> Element:
    if number is None:
        raise PatternError(element.column, "a unit scales a number, and there is none.")
    factors = []
    for text, factor in zip(element.choices, element.factors, strict=True):
        name = text.decode(element.encoding, "replace")
        found = factor or _prefix_factor(name, number.unit)
        if not found:
            raise PatternError(
                element.column, f"nothing says how many {number.unit or 'of its unit'} one {name} is.",
                f"Give {number.name} a unit, as in <{number.name} [V]>, or write unit({name}=0.001|…).",
            )  # fmt: skip
        factors.append(found)
    return replace(element, factors=tuple(factors), of=number.name)


def _prefix_factor(name: str, unit: str) -> float:
    """How many `unit` one `name` is, where they differ by SI prefixes alone; 0 otherwise."""
    if name == unit:
        return 1.0
    for own, of_name in PREFIXES.items():
        for other, of_unit in PREFIXES.items():
            if name.startswith(own) and unit.startswith(other):
                base = name[len(own) :]
                if base and base == unit[len(other) :]:
                    return of_name / of_unit
    return 0.0


def _check_end(element: Element, rest: tuple[Element, ...]) -> None:
    holds = _holds(element)
    if not rest or not holds:
        return
    following = rest[0]
    if element.kind in NUMBERS and following.kind in ("word", "text", "skip"):
        return  # a number takes all it can, and words begin with what is left
    if element.kind == "word" and following.kind in ("number", "int") and not following.width:
        return  # a blank, which no word holds, may still begin the number
    starts, _ = _first(rest)
    clash = starts & holds
    if following.kind == "literal" and element.kind == "number":
        text = following.text[:2]
        letters = (b"e", b"E", element.exponent)
        if text[:1] in letters and text and (text[1:] in (b"+", b"-") or text[1:].isdigit()):
            clash = frozenset(text[:1])
    if not clash:
        return
    if following.is_field or following.kind == "optional":
        raise PatternError(
            following.column, "two fields touch here, and nothing says where the first ends.",
            "Put what stands between them in the pattern, or give the first a width.",
        )  # fmt: skip
    if element.kind == "word":
        raise PatternError(
            following.column, f"the word before this takes “{following.text.decode('latin-1')}” too.",
            "Use the kind text: it ends where this begins.",
        )  # fmt: skip
    if clash & _DIGITS or element.kind in ("hex", "bits"):
        raise PatternError(
            following.column, "the number before this takes these digits too.", "Make the digits part of the field."
        )  # fmt: skip
    raise PatternError(
        following.column, f"the number before this takes “{chr(min(clash))}” too.", "Leave it out, or give the number a width."
    )  # fmt: skip


def _holds(element: Element) -> Bytes:
    """The bytes an element goes on with."""
    if element.kind in ("number", "int"):
        point = (b"," if element.comma else b".") if element.kind == "number" else b""
        return _DIGITS | frozenset(point + element.thousands + (b"+-" if element.behind else b""))
    if element.kind == "duration":
        return _DIGITS | frozenset(b":.")
    if element.kind == "datetime" and not element.layout:  # seconds, their decimals, a zone
        return _DIGITS | frozenset(b":.+-Z")
    if element.kind == "datetime":
        return _DIGITS if element.layout.endswith("f") else frozenset()
    return _HOLDS.get(element.kind, frozenset())


def _first(elements: tuple[Element, ...]) -> tuple[Bytes, bool]:
    """The bytes a sequence may begin with, and whether it may be empty."""
    found: Bytes = frozenset()
    for element in elements:
        starts, empty = _starts(element)
        found |= starts
        if not empty:
            return found, False
    return found, True


def _may_be_empty(elements: tuple[Element, ...]) -> bool:
    return _first(elements)[1]


def _starts(element: Element) -> tuple[Bytes, bool]:
    kind = element.kind
    if kind == "literal":
        return frozenset(element.text[:1]), False
    if kind == "blank":
        return frozenset(b" "), False
    if kind == "optional":
        return _first(element.parts)[0], True
    if kind in CHOICES:
        return frozenset(text[0] for text in element.choices), False
    if kind == "word":
        return _WORD, False
    if kind in ("text", "skip"):
        return ANY, not element.width
    if element.width:
        return ANY, False
    texts = [token.text for token in element.tokens] + [element.flag]
    own = _holds(element) | frozenset(b" ") | frozenset(text[0] for text in texts if text)
    if kind in ("number", "int", "duration"):
        own |= frozenset(b"+-")
    if kind == "datetime":
        own |= _DIGITS
    return own, any(not token.text for token in element.tokens)
