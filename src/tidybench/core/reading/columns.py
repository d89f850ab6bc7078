"""Columns: cells between separators."""

import csv
import re
from typing import Any

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, convert
from tidybench.core.reading.form import Read, missing, number_element, shown_cell
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import ColumnsPart

SKIP = "-"
MAX_CELLS = 1000
_HEADER = re.compile(rb"[A-Za-z_\x80-\xff][\w\x80-\xff .%/()\[\]#*^-]*")


class ColumnsForm:
    """Cells with typed, counted or learnt names.

    `wanted`: the columns that feed channels; the others may hold anything. A header row is one in
    which every cell is a name, and one at least is known already if any is. A device that restarts
    sends it again, perhaps with other columns, and is read by it from then on.
    """

    def __init__(
        self, part: ColumnsPart, wanted: frozenset[str] = frozenset(), encoding: str = "latin-1"
    ) -> None:
        self._separator = None if not part.separator.strip(" ") else part.separator.encode(encoding)
        self._names, self._header, self._typed = list(part.names), part.header, bool(part.names)
        self._wanted, self._encoding = wanted, encoding
        self._element: Element = number_element(part, encoding)

    @property
    def numbers(self) -> tuple[str, ...] | None:
        return tuple(n for n in self._names if n != SKIP) if self._typed and not self._header else None

    def learn(self, message: bytes) -> bool:
        if not self._header:
            return False
        cells = [cell.strip() for cell in self._cells(message)]
        if not all(_HEADER.fullmatch(cell) and convert(self._element, cell) is None for cell in cells):
            return False
        names: list[str] = []
        for cell in cells:
            name = cell.decode(self._encoding, "replace")[:80]
            names.append(name if name not in names else f"{name} {len(names) + 1}")
        known = set(self._names) | self._wanted
        if known and not known & set(names):
            return False  # words, but not of columns that are known: an error message, or noise
        if len(names) < 2 and not known:
            return False
        self._names = names
        return True

    def state(self) -> dict[str, Any]:
        return {"names": self._names}

    def restore(self, state: dict[str, Any]) -> None:
        self._names = list(state["names"])

    def read(self, message: bytes) -> Read:
        cells = self._cells(message)
        if self._header and not self._names:
            return Stop(1, "a header row with the columns' names", shown_cell(message))
        names = self._names or [f"c{n}" for n in range(1, len(cells) + 1)]
        if len(cells) > MAX_CELLS:
            return Stop(len(message) + 1, f"a row of at most {MAX_CELLS} columns", f"one of {len(cells)}")
        if len(cells) != len(names):
            return Stop(len(message) + 1, f"a row of {len(names)} columns", f"one of {len(cells)}")
        fields: dict[str, Field] = {}
        position = 0
        for name, cell in zip(names, cells, strict=True):
            if name != SKIP:
                got = convert(self._element, cell.strip())
                if got is None:
                    if name in self._wanted:
                        return Stop(
                            position + 1,
                            f"a number ({name})",
                            shown_cell(cell.strip()),
                            cell.strip().decode("latin-1"),
                        )
                    got = Quality.OK, cell.strip().decode(self._encoding, "replace")
                fields[name] = got
            position = min(len(message), position + len(cell) + len(self._separator or b" "))
        absent = sorted(self._wanted - fields.keys())
        return missing(absent, message) if absent else fields

    def _cells(self, message: bytes) -> list[bytes]:
        if self._separator is None:
            return message.split()
        if b'"' in message and len(self._separator) == 1:
            # Quoted cells as RFC 4180, 2.5 to 2.7 has them.
            text, separator = message.decode("latin-1"), self._separator.decode("latin-1")
            try:
                rows = list(csv.reader([text.replace("\x00", " ")], delimiter=separator))
            except csv.Error:
                rows = []
            if len(rows) == 1:
                return [cell.encode("latin-1", "replace") for cell in rows[0]]
        return message.split(self._separator)
