"""What of the time before a run was begun comes along with it, from memory."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tidybench.core.samples import sequences_of, unpack
from tidybench.core.tape.lines import parse_tape_line


@dataclass(slots=True, frozen=True)
class Lead:
    """`begun_at`: from when on, in microseconds since 1970 UTC; `us`: how many microseconds of that lie before what began the run.
    `samples`: packed, in order. `lines`: of the tape, in order; fewer than the samples where memory held no more. They are kept as they
    were read: reading the tape again begins behind them."""

    begun_at: int
    us: int
    samples: bytes = b""
    lines: Sequence[str] = ()

    @property
    def sequence(self) -> int:
        """The last number in it, 0 where it is empty."""
        records = unpack(self.samples)
        newest = int(np.max(sequences_of(records))) if len(records) else 0
        return max(newest, parse_tape_line(self.lines[-1])[0] if self.lines else 0)
