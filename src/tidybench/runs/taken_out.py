"""The tape of a run that was taken out of its folder to free the disk: what it was stays in `later/taken-out.jsonl`, with the sums it was sealed with."""

import threading
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field

from tidybench.runs.folder import TAPE
from tidybench.runs.later_lines import append_line, read_lines
from tidybench.runs.run_state import read_state
from tidybench.runs.sealed_file import SealedFile, sha256_of
from tidybench.runs.stamps import Stamps

FILE = "taken-out.jsonl"

_writing = threading.Lock()


class TakenOut(BaseModel):
    """Files of a run's tape, taken out at `at` (microseconds since 1970 UTC) by somebody; each was what the seal says."""

    at: int
    by: Annotated[str, Field(max_length=120)] = ""
    files: list[SealedFile]

    @property
    def words(self) -> str:
        """What a person reads of it."""
        by = f" by {self.by}" if self.by else ""
        return f"The tape was taken out on {Stamps().milli(self.at)[:16].replace('T', ' ')}{by}, to free the disk."


class TakeOutError(ValueError):
    """Why a tape stays where it is, in a sentence."""


def taken_out(folder: Path) -> TakenOut | None:
    """What was taken out of a run; None for nothing. Raises OSError."""
    found = None
    for line in read_lines(folder, FILE, TakenOut):
        found = line
    return found


def take_tape_out(folder: Path, sealed: list[SealedFile], by: str, now: int) -> int:
    """Take the tape of a run out of its folder, for good; `sealed`: the files of its seal. Gives the bytes of what went. Each file is compared with the seal before: of a tape that
    is not what was recorded nothing goes. Any thread; it takes as long as reading the tape. Raises TakeOutError, OSError,
    ValueError."""
    with _writing:
        if read_state(folder).calibrates is not None:
            raise TakeOutError("The run calibrates a channel: its tape is part of the evidence and stays.")
        tape = [file for file in sealed if file.path.startswith(f"{TAPE}/")]
        home = (folder / TAPE).resolve()
        if any((folder / file.path).resolve().parent != home for file in tape):
            raise TakeOutError("The seal names files outside the tape: nothing was taken out.")
        there = [file for file in tape if (folder / file.path).is_file()]
        if not there:
            raise TakeOutError("The tape was taken out already." if tape else "The run has no tape.")
        for file in there:
            if sha256_of(folder / file.path) != file.sha256:
                raise TakeOutError(
                    f"{file.path} is not what was sealed: nothing was taken out. Verify the run and see what changed."
                )
        append_line(folder, FILE, TakenOut(at=now, by=by, files=tape))
        for file in there:
            (folder / file.path).unlink()
        return sum(file.size for file in there)
