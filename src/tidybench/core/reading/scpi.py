"""Numbers as SCPI instruments send them."""

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, Token, convert
from tidybench.core.reading.form import Read, shown_cell
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import ScpiPart

INFINITY, NAN = b"9.9E37", b"9.91E37"
"""SCPI-1999, volume 1, 7.2.1.4 and 7.2.1.5."""

_NUMBER = Element(
    1,
    "number",
    tokens=(
        Token(INFINITY, Quality.OVER),
        Token(b"-" + INFINITY, Quality.UNDER),
        Token(NAN, Quality.NO_READING),
    ),
)
_BASES = {b"H": (16, b"0123456789ABCDEFabcdef"), b"Q": (8, b"01234567"), b"B": (2, b"01")}


class ScpiForm:
    """NR1, NR2 and NR3 (IEEE 488.2, 8.7.2 to 8.7.4) and #H, #Q, #B (8.7.5 to 8.7.7), with commas between."""

    def __init__(self, part: ScpiPart) -> None:
        self._names = tuple(part.names)

    @property
    def numbers(self) -> tuple[str, ...] | None:
        return self._names

    def read(self, message: bytes) -> Read:
        cells = message.split(b",")
        if len(cells) != len(self._names):
            return Stop(len(message) + 1, f"a list of {len(self._names)}", f"one of {len(cells)}")
        fields: dict[str, Field] = {}
        position = 0
        for name, cell in zip(self._names, cells, strict=True):
            got = _value(cell.strip())
            if got is None:
                return Stop(position + 1, f"a number ({name})", shown_cell(cell))
            fields[name] = got
            position += len(cell) + 1
        return fields


def _value(cell: bytes) -> Field | None:
    if cell[:1] != b"#":
        return convert(_NUMBER, cell)
    base, digits = _BASES.get(cell[1:2].upper(), (0, b""))
    if not base or len(cell) < 3 or len(cell) > 54 or cell[2:].strip(digits):
        return None
    value = int(cell[2:], base)
    return (Quality.OK, float(value)) if value < 1 << 53 else None
