"""One line of the recorder's journal."""

from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.batch import Batch
from tidybench.core.curves.piece import CurvePiece
from tidybench.core.tape.events import Event
from tidybench.core.tape.lines import tape_line


@dataclass(slots=True)
class Entry:
    """What happened under one number: the event, on which link ("" for the bench), the samples it gave, and what it added to curves. Sealed, it
    carries its line of the tape and its samples as records: made once, the same bytes go everywhere."""

    sequence: int
    link: str
    event: Event
    batch: Batch | None = None
    line: str = ""
    packed: bytes = b""
    pieces: Sequence[CurvePiece] = ()

    def seal(self) -> None:
        """Nothing is added to its samples any more."""
        self.line = tape_line(self.sequence, self.link, self.event)
        if self.batch is not None:
            self.packed = self.batch.pack(self.sequence)
