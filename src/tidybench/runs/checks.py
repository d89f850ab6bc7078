"""checks.jsonl: what proves that a run's files are as they were written.

Every few seconds, before the files are brought to the disk, a line says how far each has come and gives the check sum of
what was appended since the line before. After a power cut what follows the last line that holds is not believed: a file
system may have kept a file's new length and not its bytes, which are zeros then.
"""

import json
import os
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from tidybench.runs.files import Piece

CHECKS = "checks.jsonl"

LOOKED_AT = 1 << 18
"""Bytes at the end of checks.jsonl that are looked at."""

VERIFIED = 24 * 1024 * 1024
"""Bytes of the newest pieces that are read and compared; older ones were brought to the disk long before."""


@dataclass(slots=True, frozen=True)
class Check:
    """All events up to `sequence` and the samples and rows that came of them stand in the files up to `ends`. `at`: when, in
    microseconds since 1970 UTC. `chain`: the tape's link up to here (runs.chain), "" in runs of before."""

    sequence: int
    at: int
    rows: int
    pieces: tuple[Piece, ...]
    ends: dict[str, int]
    chain: str = ""


def check_line(
    sequence: int,
    at: int,
    rows: int,
    folder: Path,
    pieces: list[Piece],
    ends: dict[str, int],
    chain: str = "",
) -> str:
    """A line, line end included. `ends`: bytes of every file by its name in the run's folder."""
    told = [[str(one.path.relative_to(folder)), one.start, one.end, f"{one.sum:08x}"] for one in pieces]
    fields = {"n": sequence, "t": at, "rows": rows, "ends": ends, "pieces": told}
    body = json.dumps(fields | ({"chain": chain} if chain else {}), ensure_ascii=False)
    return f'{body[:-1]}, "sum": "{zlib.crc32(body.encode()):08x}"}}\n'


def parse_check(line: str, folder: Path) -> Check:
    """A line of checks.jsonl. Raises ValueError where it is not what was written."""
    head, mark, sum = line.rstrip("\n").rpartition(', "sum": "')
    body = head + "}"
    if not mark or f'{zlib.crc32(body.encode()):08x}"}}' != sum:
        raise ValueError("the line does not prove itself")
    fields = json.loads(body)
    pieces = tuple(
        Piece(folder / name, start, end, int(crc, 16)) for name, start, end, crc in fields["pieces"]
    )
    return Check(fields["n"], fields["t"], fields["rows"], pieces, fields["ends"], fields.get("chain", ""))


def all_checks(folder: Path) -> Iterator[Check]:
    """All lines that prove themselves, oldest first; none where there is no such file."""
    try:
        with open(folder / CHECKS, "rb") as file:
            for line in file:
                try:
                    yield parse_check(line.decode(), folder)
                except (ValueError, KeyError, TypeError):
                    continue
    except FileNotFoundError:
        return


def newest_checks(folder: Path) -> list[Check]:
    """The newest lines that prove themselves, oldest first; [] where there are none, as in runs of before 2026-11-26."""
    try:
        with open(folder / CHECKS, "rb") as file:
            size = file.seek(0, os.SEEK_END)
            file.seek(max(0, size - LOOKED_AT))
            lines = file.read().split(b"\n")
    except FileNotFoundError:
        return []
    if size > LOOKED_AT:
        lines = lines[1:]
    found: list[Check] = []
    for line in lines:
        try:
            found.append(parse_check(line.decode(), folder))
        except (ValueError, KeyError, TypeError):
            continue
    return found


def end_of(folder: Path, check: Check | None) -> int:
    """Where the line of this check ends in checks.jsonl, in bytes; 0 for none. It is one of the newest. Raises OSError."""
    if check is None:
        return 0
    with open(folder / CHECKS, "rb") as file:
        size = file.seek(0, os.SEEK_END)
        place = max(0, size - LOOKED_AT)
        file.seek(place)
        lines = file.read().splitlines(keepends=True)
    for line in reversed(lines):
        size -= len(line)
        try:
            if parse_check(line.decode(), folder) == check:
                return size + len(line)
        except (ValueError, KeyError, TypeError):
            continue
    return 0


def proven(folder: Path) -> Check | None:
    """The newest check that holds, and all those before it that are looked at; None where none does."""
    checks = newest_checks(folder)
    first, bytes_of = len(checks), 0
    while first and bytes_of < VERIFIED:
        first -= 1
        bytes_of += sum(piece.end - piece.start for piece in checks[first].pieces)
    held = checks[first - 1] if first else None
    for check in checks[first:]:
        if not all(map(holds, check.pieces)):
            break
        held = check
    return held


def holds(piece: Piece) -> bool:
    """Whether a piece of a file is what was written. A segment that was compressed since has its own check sum."""
    try:
        with open(piece.path, "rb") as file:
            file.seek(piece.start)
            data = file.read(piece.end - piece.start)
    except FileNotFoundError:
        return piece.path.with_name(piece.path.name + ".gz").exists()
    except OSError:
        return False
    return len(data) == piece.end - piece.start and zlib.crc32(data) == piece.sum
