"""Blocks of numbers that are curves: a waveform, with its axis from a preamble."""

import math
import re
from typing import Any

import numpy as np

from tidybench.core.curves.piece import CurveBegan, CurveEnded, CurvePiece, CurveRows
from tidybench.core.quality import Quality
from tidybench.core.reading.block import BlockForm
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.curves import CurvePart
from tidybench.core.setup.readers import BlockPart
from tidybench.core.values.curve import CurveState

_HEAD = re.compile(rb"#(?:0|1\d|2\d{2}|3\d{3}|4\d{4}|5\d{5}|6\d{6}|7\d{7}|8\d{8}|9\d{9})")
"""What a block begins with (IEEE 488.2, 8.7.9 and 8.7.10): any other “#” is a character like others."""


class BlockGatherer:
    """Of one curve of one instrument, like CurveGatherer: a message that has a block is a whole curve. The newest preamble counts."""

    is_open = False
    deadline: int | None = None

    def __init__(self, instrument: str, part: CurvePart, encoding: str = "ascii") -> None:
        """Raises ValueError with a sentence for what does not fit together."""
        assert part.block is not None
        self.instrument, self.part, self.block = instrument, part, part.block
        self.pieces: list[CurvePiece] = []
        self._form = BlockForm(BlockPart(kind="block", numbers=part.block.numbers, order=part.block.order))
        self._preamble: Pattern | None = None
        if part.block.preamble:
            try:
                self._preamble = compile_pattern(part.block.preamble, encoding)
            except PatternError as error:
                raise ValueError(f"preamble: {error}") from None
        has = self._preamble.numbers if self._preamble is not None else ()
        for name in part.block.names:
            if name not in has:
                raise ValueError(
                    f"no number of the preamble is called “{name}” (there are: {', '.join(has) or 'none'})"
                )
        self._told: dict[str, float] = {}

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {"preamble": self._told}

    def restore(self, state: dict[str, Any]) -> None:
        """Go on from what `state` gave."""
        self._told = {str(name): float(value) for name, value in state.get("preamble", {}).items()}

    def asked(self, at: int) -> None:
        """Its instrument was told something."""

    def stray(self, body: bytes, at: int) -> None:
        """Nothing is open that a message could be strange to."""

    def silent(self, at: int) -> None:
        """A block ends by itself."""

    def give_up(self, at: int, why: str) -> None:
        """Half a block is no message yet."""

    def take_rows(self, bodies: object, times: object) -> bool:
        """A block has no rows."""
        return False

    def take(self, body: bytes, at: int) -> bool:
        """A message that came at `at`: whether it is a preamble, or has a block."""
        head = _HEAD.search(body)
        if head is None:
            return self._takes_preamble(body)
        begin = head.start()
        before = body[:begin].rstrip(b" ;,")
        if before and self._preamble is not None and not self._takes_preamble(before):
            return False
        got = self._form.numbers_of(body[begin:])
        self.pieces.append(CurveBegan(at, self.instrument, self.part.id))
        if isinstance(got, Stop):
            self._end(at, 0, str(got))
            return True
        block = self.block
        missing = [name for name in block.names if name not in self._told]
        if missing:
            self._end(at, 0, f"no preamble came that says {missing[0]}")
            return True
        count = len(got)
        xs = self._of(block.begin) + np.arange(count) * self._of(block.step)
        ys = (got - self._of(block.reference)) * self._of(block.scale) + self._of(block.offset)
        fine = np.isfinite(xs), np.isfinite(ys)
        marks = [np.where(one, int(Quality.OK), int(Quality.NO_READING)).tolist() for one in fine]
        rows = [np.where(good, one, math.nan).tolist() for good, one in zip(fine, (xs, ys), strict=True)]
        if count:
            self.pieces.append(CurveRows(at, self.instrument, self.part.id, rows, marks))
        wanted = self._told[block.points] if block.points else count
        why = "" if wanted == count else f"{count} of {wanted:g} points came"
        self._end(at, count, why or ("" if count else "it has no numbers"))
        return True

    def _of(self, what: float | str) -> float:
        return self._told[what] if isinstance(what, str) else what

    def _takes_preamble(self, body: bytes) -> bool:
        if self._preamble is None or self._preamble.match(body) is None:
            return False
        got = self._preamble.read(body)
        if isinstance(got, Stop):
            return False
        self._told = {
            name: value
            for name, (quality, value) in got.items()
            if quality.measured and not isinstance(value, str)
        }
        return True

    def _end(self, at: int, rows: int, why: str) -> None:
        state: CurveState = "not whole" if why else "complete"
        self.pieces.append(CurveEnded(at, self.instrument, self.part.id, state, why, rows))
