"""What is kept with a run under numbers of its own, in a file of `later/`: a line for each, and one for each that is taken out again."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

from pydantic import BaseModel

from tidybench.runs.later_lines import append_line, read_lines


class KeptError(ValueError):
    """Why something cannot be kept or taken out, in a sentence."""


T = TypeVar("T", bound=BaseModel)


class KeptLine(BaseModel, Generic[T]):
    """A line of the file: what is kept, or the number of what is taken out again (`at`: when, microseconds since 1970 UTC)."""

    kept: T | None = None
    void: int | None = None
    at: int = 0


class KeptList(Generic[T]):
    """The things of one kind, which have a `number`. `file`: their file in `later/`; `line`: its lines; `most`: how many a run may have; `one`: what one is called, in words."""

    def __init__(self, file: str, line: type[KeptLine[T]], most: int, one: str) -> None:
        self._file, self._line, self._most, self._one = file, line, most, one
        self._writing = threading.Lock()

    def all(self, folder: Path) -> list[T]:
        """Those that are kept, in the order they came. Raises OSError."""
        kept: dict[int, T] = {}
        for line in read_lines(folder, self._file, self._line):
            if line.kept is not None:
                kept[_number(line.kept)] = line.kept
            elif line.void is not None:
                kept.pop(line.void, None)
        return list(kept.values())

    def keep(self, folder: Path, make: Callable[[int], T]) -> T:
        """Keep what `make` makes with the next number. Any thread. Raises KeptError, OSError."""
        with self._writing:
            lines = list(read_lines(folder, self._file, self._line))
            if len(self.all(folder)) >= self._most:
                raise KeptError(
                    f"{self._most} {self._one}s are kept with this run already. Take one out first."
                )
            number = 1 + max((_number(line.kept) for line in lines if line.kept is not None), default=0)
            kept = make(number)
            append_line(folder, self._file, self._line(kept=kept))
            return kept

    def forget(self, folder: Path, number: int, now: int) -> None:
        """Take one out; the file still has it. Any thread. Raises KeptError, OSError."""
        with self._writing:
            if all(_number(one) != number for one in self.all(folder)):
                raise KeptError(f"The run has no such {self._one} any more. Look at its {self._one}s again.")
            append_line(folder, self._file, self._line(void=number, at=now))


def _number(one: BaseModel) -> int:
    return int(one.number)  # type: ignore[attr-defined]
