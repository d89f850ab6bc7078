"""Comparisons that are kept with the first of their runs, in `later/comparisons.jsonl`."""

import uuid
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.core.analysis.answer import StretchAnswer
from tidybench.runs.kept_list import KeptLine, KeptList

FILE = "comparisons.jsonl"

MOST = 100
"""Comparisons that are kept with a run."""


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


_kept = KeptList(FILE, KeptLine[KeptComparison], MOST, "comparison")


def kept_comparisons(folder: Path) -> list[KeptComparison]:
    """Those that are kept with a run, in the order they were made. Raises OSError."""
    return _kept.all(folder)


def keep_comparison(folder: Path, comparison: KeptComparison) -> KeptComparison:
    """Keep one, with a number of its own. Any thread. Raises KeptError, OSError."""
    return _kept.keep(folder, lambda number: comparison.model_copy(update={"number": number}))


def forget_comparison(folder: Path, number: int, now: int) -> None:
    """Take one out; the file still has it. Any thread. Raises KeptError, OSError."""
    _kept.forget(folder, number, now)
