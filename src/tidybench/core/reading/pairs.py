"""Pairs of a label and its value, in any order."""

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, convert
from tidybench.core.reading.form import Read, number_element, shown_cell
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import PairsPart


class PairsForm:
    """A message holds one pair or several; a label that is not in it says nothing about its channel.

    A value may have its unit behind it, after a blank.
    """

    numbers = None

    def __init__(
        self, part: PairsPart, wanted: frozenset[str] = frozenset(), encoding: str = "latin-1"
    ) -> None:
        self._between = part.between.encode(encoding) if part.between.strip(" ") else None
        self._equals = part.equals.encode(encoding)
        self._wanted, self._encoding = wanted, encoding
        self._element: Element = number_element(part, encoding)

    def read(self, message: bytes) -> Read:
        fields: dict[str, Field] = {}
        pieces = message.split(self._between)
        position = 0
        for piece in pieces:
            if self._between is None:
                position = message.find(piece, position)
            if piece.strip():
                label, equals, value = piece.partition(self._equals)
                if not equals:
                    return Stop.at(
                        message, position + len(piece), f"“{self._equals.decode('latin-1')}” after a label"
                    )
                name = label.strip().decode(self._encoding, "replace")
                if name in fields:
                    return Stop(position + 1, "every label once", f"{shown_cell(label.strip())} again")
                got = self._value(value.strip())
                if got is None:
                    if name in self._wanted:
                        start = position + len(label) + len(equals)
                        cell = value.strip()
                        return Stop(start + 1, f"a number ({name})", shown_cell(cell), cell.decode("latin-1"))
                    got = Quality.OK, value.strip().decode(self._encoding, "replace")
                fields[name] = got
            position += len(piece) + len(self._between or b"")
        return fields or Stop(1, "a label and its value", shown_cell(message.strip()))

    def _value(self, value: bytes) -> Field | None:
        got = convert(self._element, value)
        if got is None and b" " in value:
            number, _, unit = value.rpartition(b" ")
            if not any(digit in unit for digit in b"0123456789"):
                got = convert(self._element, number)
        return got
