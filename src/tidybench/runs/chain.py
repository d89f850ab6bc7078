"""The tape as a hash chain: whoever changes, adds or takes out a line breaks it from there on.

Each line of checks.jsonl has a link: the SHA-256 (FIPS 180-4) of the link before and of all that the tape has got since. The
first link before is the SHA-256 of the run's id.
"""

import gzip
import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, cast

from tidybench.runs.checks import Check, all_checks, newest_checks
from tidybench.runs.folder import TAPE
from tidybench.runs.tape import number_of, segments

PIECE = 1 << 20


class Chain:
    """A chain that is written. Only one thread may use it."""

    def __init__(self, link: str) -> None:
        """`link`: the newest there is; "" for a run that has none, as it is of before: it gets none."""
        self._sum = hashlib.sha256(bytes.fromhex(link))
        self._is_one = bool(link)

    def add(self, data: bytes) -> None:
        """The tape has got these bytes."""
        self._sum.update(data)

    def link(self) -> str:
        """The next link, of what was added since the one before."""
        if not self._is_one:
            return ""
        link = self._sum.hexdigest()
        self._sum = hashlib.sha256(bytes.fromhex(link))
        return link


def first_link(run: str) -> str:
    """What a run's first link stands upon; `run`: its id."""
    return hashlib.sha256(run.encode()).hexdigest()


def chain_of(folder: Path, run: str) -> Chain:
    """The chain of a run (`run`: its id) to go on with, and all that stands on the tape in it. Raises OSError."""
    newest = newest_checks(folder)
    check = newest[-1] if newest else None
    chain = Chain(check.chain if check is not None else first_link(run))
    tape = TapeBytes(folder, place_of(check))
    for data in tape.rest():
        chain.add(data)
    tape.close()
    return chain


def place_of(check: Check | None) -> tuple[int, int]:
    """Up to where a check knows the tape: the segment's number, and bytes in it."""
    places = [(number_of(Path(name).relative_to(TAPE)), end) for name, end in _ends(check)]
    return max(places, default=(1, 0))


def _ends(check: Check | None) -> list[tuple[str, int]]:
    return (
        [item for item in check.ends.items() if item[0].startswith(f"{TAPE}/")] if check is not None else []
    )


@dataclass(slots=True, frozen=True)
class Break:
    """Where a chain does not hold: behind the check `before` (None: from the beginning on), up to the check `after` (None: what stands
    behind the last one has no link)."""

    before: Check | None
    after: Check | None


def broken(folder: Path, run: str, ended: bool) -> Break | None:
    """The first place where the chain of a run (`run`: its id) does not hold; None where it does, or where the run has none, as those
    of before 2026-11-27. Of one that has `ended` the whole tape must have its links. It takes as long as reading the tape. Raises
    OSError, gzip's errors and all."""
    tape = TapeBytes(folder)
    before: Check | None = None
    link = first_link(run)
    try:
        for check in all_checks(folder):
            if not check.chain:
                return None if before is None else Break(before, check)
            chain = Chain(link)
            for data in tape.up_to(place_of(check)):
                chain.add(data)
            if (link := chain.link()) != check.chain:
                return Break(before, check)
            before = check
        if ended and before is not None and any(tape.rest()):
            return Break(before, None)
    finally:
        tape.close()
    return None


class TapeBytes:
    """What is on the tape, in order, from one place to the next."""

    def __init__(self, folder: Path, place: tuple[int, int] = (1, 0)) -> None:
        self._paths = {number_of(path): path for path in segments(folder / TAPE, place[0])}
        self._number, self._at = place
        self._file: IO[bytes] | None = None

    def up_to(self, place: tuple[int, int]) -> Iterator[bytes]:
        """The bytes from where it stands to `place`: a segment's number, and bytes in it. Less, where there are less. Raises
        OSError, EOFError."""
        last, end = place
        while self._number <= last:
            left = end - self._at if self._number == last else None
            file = self._opened()
            while file is not None and left != 0:
                data = file.read(PIECE if left is None else min(PIECE, max(left, 0)))
                if not data:
                    break
                self._at += len(data)
                left = left - len(data) if left is not None else None
                yield data
            if self._number == last:
                return
            self.close()
            self._number, self._at = self._number + 1, 0

    def rest(self) -> Iterator[bytes]:
        """All that follows."""
        newest = max(self._paths, default=0)
        return self.up_to((newest, 1 << 62))

    def _opened(self) -> IO[bytes] | None:
        if self._file is None and (path := self._paths.get(self._number)) is not None:
            opened = gzip.open if path.suffix == ".gz" else open
            self._file = cast("IO[bytes]", opened(path, "rb"))
            self._file.seek(self._at)
        return self._file

    def close(self) -> None:
        """Give the segment up that is read."""
        if self._file is not None:
            self._file.close()
            self._file = None
