"""IEEE 488.2 blocks of numbers."""

import math

import numpy as np

from tidybench.core.quality import Quality
from tidybench.core.reading.element import Element, Field, convert
from tidybench.core.reading.form import Read, field_of, shown_cell
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import BlockPart

_NUMBER = Element(1, "number")


class BlockForm:
    """The numbers of a definite-length (8.7.9) or indefinite-length block (8.7.10), and what they come to:
    count, mean, rms, min and max, over those that are finite."""

    def __init__(self, part: BlockPart) -> None:
        self._text = part.numbers == "text"
        high_first = part.order == "high first"
        self._type = (
            np.dtype("u1") if self._text else np.dtype(part.numbers).newbyteorder(">" if high_first else "<")
        )
        self._most = part.most

    @property
    def numbers(self) -> tuple[str, ...] | None:
        return ("count", "mean", "rms", "min", "max", *(f"v{n}" for n in range(1, self._most + 1)))

    def read(self, message: bytes) -> Read:
        data = self._data(message)
        if isinstance(data, Stop):
            return data
        values = self._values(data, message)
        if isinstance(values, Stop):
            return values
        fields: dict[str, Field] = {"count": (Quality.OK, float(len(values)))}
        finite = values[np.isfinite(values)]
        with np.errstate(over="ignore", invalid="ignore"):
            for name, value in (
                ("mean", float(finite.mean()) if len(finite) else math.nan),
                ("rms", float(np.sqrt(np.mean(np.square(finite)))) if len(finite) else math.nan),
                ("min", float(finite.min()) if len(finite) else math.nan),
                ("max", float(finite.max()) if len(finite) else math.nan),
            ):
                fields[name] = field_of(value)
        for number in range(1, self._most + 1):
            fields[f"v{number}"] = field_of(float(values[number - 1]) if number <= len(values) else math.nan)
        return fields

    def numbers_of(self, message: bytes) -> "np.ndarray[tuple[int], np.dtype[np.float64]] | Stop":
        """All its numbers, or where it is no block."""
        data = self._data(message)
        return data if isinstance(data, Stop) else self._values(data, message)

    @staticmethod
    def _data(message: bytes) -> bytes | Stop:
        begin = message.find(b"#")
        if begin < 0:
            return Stop(1, "a block, which begins with “#”", shown_cell(message[:20]))
        digits = message[begin + 1 : begin + 2]
        if digits == b"0":
            return message[begin + 2 :]
        if not digits.isdigit():
            return Stop.at(message, begin + 1, "a digit that says how many follow")
        head = message[begin + 2 : begin + 2 + int(digits)]
        if len(head) < int(digits) or not head.isdigit():
            return Stop.at(message, begin + 2, f"a count of bytes with {int(digits)} digits")
        data = message[begin + 2 + int(digits) :]
        if len(data) != int(head):
            return Stop(len(message) + 1, f"a block of {int(head)} bytes", f"one of {len(data)}")
        return data

    def _values(self, data: bytes, message: bytes) -> "np.ndarray[tuple[int], np.dtype[np.float64]] | Stop":
        if not self._text:
            if len(data) % self._type.itemsize:
                return Stop(
                    len(message) + 1, f"a multiple of {self._type.itemsize} bytes", f"a block of {len(data)}"
                )
            return np.frombuffer(data, self._type).astype(np.float64)
        numbers = []
        for cell in data.replace(b"\n", b",").split(b","):
            got = convert(_NUMBER, cell.strip())
            if got is None:
                return Stop(1, "a list of numbers with commas between", shown_cell(cell))
            numbers.append(float(got[1]))
        return np.array(numbers, np.float64)
