"""What a person is asked after the database turned out to know less than the bench.

The bench's set-ups went into the database at once: nothing may be taken away unasked. Whether that was right only a person
knows: it may be the wrong database, or a backup that was brought back on purpose.
"""

from pathlib import Path

from pydantic import BaseModel

from tidybench.records.setups import Difference
from tidybench.runs.whole import write_whole


class DatabaseQuestion(BaseModel):
    """What the database did not know, by names. `had`: how many instruments were in use by it before."""

    at: int
    filled: list[str]
    out_of_use: list[str]
    had: int


class KeptQuestion(BaseModel):
    """The same with what the database had: set-ups in use, and the calculated channels' document ("" for none)."""

    asked: DatabaseQuestion
    texts: list[str]
    calculations: str


class QuestionFile:
    """Keeps the question until it is answered, over restarts."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def put(self, at: int, found: Difference) -> None:
        """Ask. `at`: microseconds. Raises OSError."""
        asked = DatabaseQuestion(
            at=at,
            filled=list(found.filled),
            out_of_use=list(found.out_of_use),
            had=len(found.before),
        )
        kept = KeptQuestion(asked=asked, texts=list(found.before), calculations=found.calculations_before)
        write_whole(self._path, kept.model_dump_json())

    def read(self) -> KeptQuestion | None:
        """The question that stands; None for none."""
        try:
            return KeptQuestion.model_validate_json(self._path.read_bytes())
        except (OSError, ValueError):
            return None

    def answered(self) -> None:
        """It stands no more."""
        self._path.unlink(missing_ok=True)
