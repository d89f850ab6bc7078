"""Comparisons that are kept with the first of their runs, in `later/comparisons.jsonl`."""

import threading
import uuid
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.core.analysis.answer import StretchAnswer
from tidybench.runs.later_lines import append_line, read_lines

FILE = "comparisons.jsonl"

MOST = 100
"""Comparisons that are kept with a run."""

_writing = threading.Lock()


class ComparedRun(BaseModel):
    """A run of a comparison as it was called then, and the time (microseconds since 1970 UTC) that it was aligned at."""

    run: uuid.UUID
    at: int
    name: str
    item: str
    begun_at: int
    fingerprint: str = ""


class ComparedAnswer(BaseModel):
    """What one of them came to; `place` counts them from 0."""

    place: int
    answer: StretchAnswer


class KeptComparison(BaseModel):
    """As it was found at `kept_at` by this version of Tidy Bench; known by its `number`. `start`, `end`: the stretch, by the first run's time; `channel`: by its id in the first run;
    `band` in words, "" for none."""

    number: int
    kept_at: int
    version: str
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""
    members: list[ComparedRun]
    channel: str
    start: int
    end: int
    band: str = ""
    answers: list[ComparedAnswer]


class _Line(BaseModel):
    """A comparison, or the number of one that is taken out again."""

    kept: KeptComparison | None = None
    void: int | None = None
    at: int = 0


class ComparisonError(ValueError):
    """Why a comparison cannot be kept or taken out, in a sentence."""


def kept_comparisons(folder: Path) -> list[KeptComparison]:
    """Those that are kept with a run, in the order they were made. Raises OSError."""
    kept: dict[int, KeptComparison] = {}
    for line in read_lines(folder, FILE, _Line):
        if line.kept is not None:
            kept[line.kept.number] = line.kept
        elif line.void is not None:
            kept.pop(line.void, None)
    return list(kept.values())


def keep_comparison(folder: Path, comparison: KeptComparison) -> KeptComparison:
    """Keep one, with a number of its own. Any thread. Raises ComparisonError, OSError."""
    with _writing:
        lines = list(read_lines(folder, FILE, _Line))
        if len(kept_comparisons(folder)) >= MOST:
            raise ComparisonError(f"{MOST} comparisons are kept with this run already. Take one out first.")
        number = 1 + max((line.kept.number for line in lines if line.kept is not None), default=0)
        kept = comparison.model_copy(update={"number": number})
        append_line(folder, FILE, _Line(kept=kept))
        return kept


def forget_comparison(folder: Path, number: int, now: int) -> None:
    """Take one out; the file still has it. Any thread. Raises ComparisonError, OSError."""
    with _writing:
        if all(one.number != number for one in kept_comparisons(folder)):
            raise ComparisonError("The run has no such comparison any more. Look at its comparisons again.")
        append_line(folder, FILE, _Line(void=number, at=now))
