"""What a run would write, by what was read just now."""

from collections.abc import Sequence

from tidybench.core.samples import batches_of, unpack
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState

SEEN_S = 2.0
"""Seconds below which too little has been seen."""


class Need:
    """Bytes and rows a second that a run of these channels writes."""

    def __init__(
        self,
        channels: Sequence[RunChannel],
        rule: RowRule,
        samples: bytes,
        lines: Sequence[str],
        since: int,
        until: int,
    ) -> None:
        """`samples`: packed, and `lines` of the tape, both of the time from `since` to `until`, in microseconds. Rows are made of the
        samples as in a run; what is compressed later counts whole."""
        seconds = (until - since) / 1e6
        self.bytes_per_s: float | None = None
        self.rows_per_s: float | None = None
        if seconds < SEEN_S:
            return
        state = RunState(
            id="", bench="", name="", row_rule=rule, begun_at=since, csv="", channels=list(channels)
        )
        maker, rows, written = make_rule(state), 0, 0
        for batch in batches_of(unpack(samples)):
            made = maker.feed(max(batch.times), batch)
            rows, written = rows + len(made), written + sum(len(row.encode()) for row in made)
        self.rows_per_s = (
            1 / rule.every_s if channels and rule.kind == "steady rows" and rule.every_s else rows / seconds
        )
        tape = sum(len(line.encode()) + 1 for line in lines)
        self.bytes_per_s = (written + len(samples) + tape) / seconds
