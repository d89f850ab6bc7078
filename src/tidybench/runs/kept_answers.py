"""Questions about a run whose answers are kept with it, in `later/answers.jsonl`."""

from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.questions import StretchQuestion
from tidybench.runs.kept_list import KeptLine, KeptList

FILE = "answers.jsonl"

MOST = 200
"""Answers that are kept with a run."""


class KeptAnswer(BaseModel):
    """An answer as it was found at `asked_at` (microseconds since 1970 UTC) by this version of Tidy Bench; it is known by its `number`. `note`: what a person
    says of it."""

    number: int
    asked_at: int
    version: str
    question: StretchQuestion
    answer: StretchAnswer
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""


_kept = KeptList(FILE, KeptLine[KeptAnswer], MOST, "answer")


def kept_answers(folder: Path) -> list[KeptAnswer]:
    """Those that are kept, in the order they were asked. Raises OSError."""
    return _kept.all(folder)


def keep_answer(folder: Path, question: StretchQuestion, answer: StretchAnswer, by: str, note: str, version: str, now: int) -> KeptAnswer:  # fmt: skip
    """Keep one. Any thread. Raises KeptError, OSError."""
    return _kept.keep(
        folder,
        lambda number: KeptAnswer(
            number=number,
            asked_at=now,
            version=version,
            question=question,
            answer=answer,
            by=by,
            note=note,
        ),
    )


def forget_answer(folder: Path, number: int, now: int) -> None:
    """Take one out; the file still has it. Any thread. Raises KeptError, OSError."""
    _kept.forget(folder, number, now)
