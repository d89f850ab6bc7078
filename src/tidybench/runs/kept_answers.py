"""Questions about a run whose answers are kept with it, in `later/answers.jsonl`."""

import threading
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.questions import StretchQuestion
from tidybench.runs.later_lines import append_line, read_lines

FILE = "answers.jsonl"

MOST = 200
"""Answers that are kept with a run."""

_writing = threading.Lock()


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


class _Line(BaseModel):
    """A line of the file: an answer, or the number of one that is taken out again."""

    kept: KeptAnswer | None = None
    void: int | None = None
    at: int = 0


class AnswerError(ValueError):
    """Why an answer cannot be kept or taken out, in a sentence."""


def kept_answers(folder: Path) -> list[KeptAnswer]:
    """Those that are kept, in the order they were asked. Raises OSError."""
    kept = {}
    for line in read_lines(folder, FILE, _Line):
        if line.kept is not None:
            kept[line.kept.number] = line.kept
        elif line.void is not None:
            kept.pop(line.void, None)
    return list(kept.values())


def keep_answer(folder: Path, question: StretchQuestion, answer: StretchAnswer, by: str, note: str, version: str, now: int) -> KeptAnswer:  # fmt: skip
    """Keep one. Any thread. Raises AnswerError, OSError."""
    with _writing:
        lines = list(read_lines(folder, FILE, _Line))
        if len(kept_answers(folder)) >= MOST:
            raise AnswerError(f"{MOST} answers are kept with this run already. Take one out first.")
        number = 1 + max((line.kept.number for line in lines if line.kept is not None), default=0)
        kept = KeptAnswer(
            number=number,
            asked_at=now,
            version=version,
            question=question,
            answer=answer,
            by=by,
            note=note,
        )
        append_line(folder, FILE, _Line(kept=kept))
        return kept


def forget_answer(folder: Path, number: int, now: int) -> None:
    """Take one out; the file still has it. Any thread. Raises AnswerError, OSError."""
    with _writing:
        if all(one.number != number for one in kept_answers(folder)):
            raise AnswerError("The run has no such answer any more. Look at its answers again.")
        append_line(folder, FILE, _Line(void=number, at=now))
