"""Elements written as the source of a pattern again."""

from collections.abc import Iterable
from dataclasses import replace

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element

_WORDS = {Quality.NO_READING: "none", Quality.OVER: "over", Quality.UNDER: "under"}
_SAID = {**_WORDS, Quality.FLAGGED: "flagged"}
_ESCAPED = {"\r": "\\r", "\n": "\\n", "\t": "\\t", "\\": "\\\\", "<": "\\<", ">": "\\>"}


def source_of(elements: Iterable[Element], encoding: str = "latin-1") -> str:
    """A source that compiles to these elements."""
    found: list[str] = []
    listed = False
    every = list(elements)
    for place, element in enumerate(every):
        if not element.counted:
            found.append(_one(element, encoding))
        elif not listed:  # all members of a counted list are said by one field
            listed = True
            between = next((one for one in every[place + 1 :] if one.counted and not one.is_field), None)
            found.append(_counted(element, between, encoding))
    return "".join(found)


def _counted(element: Element, between: Element | None, encoding: str) -> str:
    name = element.name.removesuffix("1")
    plain = _field(replace(element, name=name), encoding)
    separator = "" if between is None else f" sep({inside(between.text or b' ', encoding)})"
    return f"<{name}[1..{element.counted}]{plain[1 + len(name) : -1]}{separator}>"


def _one(element: Element, encoding: str) -> str:
    if element.kind == "literal":
        return literal_source(element.text, encoding)
    if element.kind == "blank":
        return " "
    if element.kind == "optional":
        return f"<?{source_of(element.parts, encoding)}?>"
    if element.kind == "skip":
        return f"<* {element.width}>" if element.width else "<*>"
    return _field(element, encoding)


def _field(element: Element, encoding: str) -> str:
    kind = "" if element.kind == "number" else f":{element.kind}"
    if element.kind == "quality":
        said = zip(element.choices, element.qualities, strict=True)
        kind += "(" + "|".join(inside(t, encoding) + (f"={_SAID[q]}" if q else "") for t, q in said) + ")"
    elif element.kind == "unit":
        texts = zip(element.choices, element.factors, strict=True)
        kind += "(" + "|".join(inside(t, encoding) + (f"={f:g}" if f else "") for t, f in texts) + ")"
    elif element.layout:
        kind += f"({inside(element.layout.encode(), encoding)})"
    elif element.choices:
        kind += "(" + "|".join(inside(text, encoding) for text in element.choices) + ")"
    options = []
    if element.width:
        options.append(f"{element.width}.{element.decimals}" if element.decimals else str(element.width))
    options += [
        word
        for word, there in (("signed", element.signed), ("reversed", element.reverse), ("low", element.low))
        if there
    ]
    if element.comma:
        options.append("decimal(,)")
    if element.thousands:
        options.append(f"thousands({element.thousands.decode('latin-1')})")
    if element.behind:
        options.append("sign(behind)")
    if element.exponent:
        options.append(f"exponent({element.exponent.decode('latin-1')})")
    if element.bits:
        named = zip(element.bits, element.bit_counts, strict=True)
        options.append(f"bits({'|'.join((name or '-') + (f'*{n}' if n > 1 else '') for name, n in named)})")
    if element.of_said:
        options.append(f"of({element.of})")
    for quality, word in _WORDS.items():
        texts_of = [token.text for token in element.tokens if token.quality is quality]
        if texts_of:
            options.append(f"{word}({'|'.join(inside(text, encoding) for text in texts_of)})")
    if element.flag:
        options.append(f"flagged({inside(element.flag, encoding)})")
    if element.unit:
        options.append(f"[{element.unit}]")
    return f"<{' '.join([element.name + kind, *options])}>"


def literal_source(text: bytes, encoding: str = "latin-1") -> str:
    """Literal characters with what must be escaped escaped."""
    out = []
    errors = "surrogateescape" if encoding in ("ascii", "utf-8") else "replace"
    for char in text.decode(encoding, errors):
        if char in _ESCAPED:
            out.append(_ESCAPED[char])
        elif 0xDC80 <= ord(char) <= 0xDCFF:
            out.append(f"\\x{ord(char) - 0xDC00:02x}")  # a byte that is no character in this encoding
        elif ord(char) < 0x20 or 0x7F <= ord(char) < 0xA0:
            out.append("".join(f"\\x{byte:02x}" for byte in char.encode(encoding)))
        else:
            out.append(char)
    # A “?” before a “>” would end an optional part.
    return "".join(out).replace("?\\>", "\\?\\>")


def inside(text: bytes, encoding: str) -> str:
    """A text within a field's parentheses."""
    shown = literal_source(text, encoding)
    return "".join("\\" + char if char in "()|=" else char for char in shown)
