"""Marks that are set, corrected or taken out after a run has ended.

They stand in `later/marks.jsonl`, a line a change, which is only ever appended to. What was sealed stays as it is.
"""

import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.core.tape.events import MarkCorrected
from tidybench.core.values.mark import Mark, has_controls, mark_text
from tidybench.runs.folder import TAPE
from tidybench.runs.later_lines import append_line, read_lines
from tidybench.runs.marks import read_marks
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.tape import read_kinds

FILE = "marks.jsonl"

_writing = threading.Lock()


class MarkChange(BaseModel):
    """A mark as it is from `written_at` on (both times in microseconds since 1970 UTC). It is known by its time `at`. `before`: the
    text that it had, "" for a new one. `void`: it is taken out."""

    at: int
    text: Annotated[str, Field(max_length=500)]
    by: Annotated[str, Field(max_length=120)] = ""
    written_at: int
    before: str = ""
    void: bool = False


class MarkError(ValueError):
    """Why a mark cannot be set or changed, in a sentence."""


class MarkConflict(MarkError):
    """It was changed meanwhile."""


def marks_of(folder: Path) -> list[Mark]:
    """The marks of a run as they are now, in order of time. Raises OSError, ValueError."""
    marks = {mark.at: mark for mark in read_marks(folder)}
    for change in read_later(folder):
        if change.void:
            marks.pop(change.at, None)
        else:
            marks[change.at] = Mark(change.at, change.text, change.by)
    return [marks[at] for at in sorted(marks)]


def history_of(folder: Path) -> list[MarkChange]:
    """What was changed of a run's marks, in order: while it was on (its tape has that) and since. It takes as long as reading the
    tape. Raises OSError, ValueError."""
    told = [
        MarkChange(at=event.mark, text=event.text, written_at=event.at, before=event.before)
        for _, _, event in read_kinds(folder / TAPE, MarkCorrected.kind)
        if isinstance(event, MarkCorrected)
    ]
    return [*told, *read_later(folder)]


def read_later(folder: Path) -> Iterator[MarkChange]:
    """The changes since the end, in order. A line that is torn is left out. Raises OSError."""
    yield from read_lines(folder, FILE, MarkChange)


def set_mark(folder: Path, at: int, text: str, by: str, now: int) -> MarkChange:
    """Set a mark at a time within a run that has ended. Any thread. Raises MarkError, OSError, ValueError."""
    with _writing:
        state = _ended(folder)
        if not state.begun_at // 1000 * 1000 <= at <= (state.ended_at or 0):
            raise MarkError("The mark lies outside the run: give a time between its beginning and its end.")
        at = at // 1000 * 1000
        taken = {mark.at for mark in read_marks(folder)} | {change.at for change in read_later(folder)}
        while at in taken:
            at += 1000
        return _written(folder, MarkChange(at=at, text=_checked(text, by), by=by, written_at=now))


def change_mark(
    folder: Path, at: int, text: str, by: str, before: str, now: int, void: bool = False
) -> MarkChange:
    """Give a mark of a run that has ended another text, or take it out. `before`: the text that it is thought to have. Any thread.
    Raises MarkError, OSError, ValueError."""
    with _writing:
        _ended(folder)
        mark = next((one for one in marks_of(folder) if one.at == at), None)
        if mark is None:
            raise MarkConflict("The run has no such mark any more. Look at its marks again.")
        if mark.text != before:
            raise MarkConflict(f"The mark was corrected meanwhile: it says “{mark.text}”.")
        kept = mark.text if void else _checked(text, by)
        return _written(
            folder,
            MarkChange(at=at, text=kept, by=by or mark.by, written_at=now, before=mark.text, void=void),
        )


def _checked(text: str, by: str) -> str:
    if has_controls(by):
        raise MarkError("The name beside a mark has a control character in it. Remove it.")
    try:
        return mark_text(text)
    except ValueError as error:
        raise MarkError(str(error)) from error


def _ended(folder: Path) -> RunState:
    state = read_state(folder)
    if state.status == "logging":
        raise MarkError("The run goes on: its marks are set and corrected on the Bench.")
    return state


def _written(folder: Path, change: MarkChange) -> MarkChange:
    append_line(folder, FILE, change)
    return change
