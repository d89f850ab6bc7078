"""Messages of an instrument that are the rows of a table."""

import io
import math
from collections.abc import Sequence
from typing import Any

from tidybench.core.curves.piece import CurveBegan, CurveEnded, CurvePiece, CurveProgress, CurveRows
from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.curves import CurvePart
from tidybench.core.values.curve import CurveState

SHOWN = 80
"""Characters of a stray message that are shown."""


class CurveGatherer:
    """Of one curve of one instrument: fed the messages of its instrument in order, it takes those that are the table's. `take` gives
    whether a message was; what came of it is in `pieces`, for whoever takes them out. Decides by messages and their times alone, so that a tape
    gives the same again."""

    def __init__(self, instrument: str, part: CurvePart, encoding: str = "ascii") -> None:
        """Raises PatternError and ValueError with a sentence for what does not fit together."""
        self.instrument, self.part = instrument, part
        self.pieces: list[CurvePiece] = []
        self._row = _compiled("row", part.row, encoding)
        self._begins = _compiled("begins", part.begins, encoding)
        self._progress = _compiled("progress", part.progress, encoding)
        self._ends = _compiled("ends", part.ends, encoding)
        assert self._row is not None
        known = {element.name: index for index, element in enumerate(self._row.fields)}
        for axis in part.axes:
            if axis.field not in self._row.numbers:
                has = ", ".join(self._row.numbers) or "none"
                raise ValueError(f"no number of a row is called “{axis.field}” (there are: {has})")
        if self._progress is not None and not self._progress.numbers:
            raise ValueError("progress: a message that says how far it is has a number")
        fields = [self._row.fields[known[a.field]] if a.field in known else None for a in part.axes]
        plain = not self._row.is_indirect and self._row.counted is None
        self._floats = (
            [known[axis.field] for axis in part.axes]
            if plain and all(one is not None and one.plain and one in self._row.elements for one in fields)
            else []
        )
        self._between = _between(self._row) if self._floats else b""
        self._silence = round(part.silence_s * 1e6)
        self._after = False
        self._restart()

    def _restart(self) -> None:
        self._open = False
        self._rows = self._strays = 0
        self._stray = ""
        self._too_many = 0  # rows behind the last one
        self._heard_at = 0

    @property
    def is_open(self) -> bool:
        """Whether a table is being sent."""
        return self._open

    @property
    def deadline(self) -> int | None:
        """When silence ends it, None where none is being sent."""
        return self._heard_at + self._silence if self._open or self._after else None

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {
            "open": self._open,
            "after": self._after,
            "rows": self._rows,
            "strays": self._strays,
            "stray": self._stray,
            "too_many": self._too_many,
            "heard_at": self._heard_at,
        }

    def restore(self, state: dict[str, Any]) -> None:
        """Go on from what `state` gave."""
        self._open, self._after = bool(state["open"]), bool(state["after"])
        self._rows, self._strays = int(state["rows"]), int(state["strays"])
        self._stray, self._heard_at = str(state["stray"]), int(state["heard_at"])
        self._too_many = int(state.get("too_many", 0))

    # ---- what happens

    def asked(self, at: int) -> None:
        """Its instrument was told something: what comes from here on is no late row."""
        self._leave_it(at)

    def take(self, body: bytes, at: int) -> bool:
        """A message that came at `at`: whether it is the table's."""
        if self._open:
            return self._goes_on(body, at)
        if self._begins is not None:
            if self._begins.match(body) is None:
                return self._after and self._surplus(body, at)
            self._begin(at)
            return True
        if self._after:
            return self._surplus(body, at)
        if not self._is_progress(body) and self._values(body) is None:
            return False
        self._begin(at)
        return self._goes_on(body, at)

    def take_rows(self, bodies: Sequence[bytes], times: Sequence[int]) -> bool:
        """Many messages of a table that is being sent, all of them plain rows: whether they were, and are taken; else nothing has happened. The same as
        one by one, and faster."""
        count = len(bodies)
        if not self._between or not self._open or self._rows + count > (self.part.rows or self.part.most):
            return False
        text = b"\n".join(bodies)
        if text.translate(None, b"0123456789+-.\n" + self._between):
            return False
        import numpy as np  # takes as long to come as a small capture to be read

        try:
            table = np.loadtxt(io.BytesIO(text), delimiter=self._between.decode(), comments=None, ndmin=2)
        except ValueError:
            return False
        assert self._row is not None
        if table.shape != (count, len(self._row.fields)):
            return False
        self._rows += count
        self._heard_at = times[-1]
        columns = [table[:, index].tolist() for index in self._floats]
        fine = int(Quality.OK)
        self.pieces.append(
            CurveRows(times[-1], self.instrument, self.part.id, columns, [[fine] * count for _ in columns])
        )
        if self._ends is None and self._rows == self.part.rows:
            self._complete(times[-1])
            self._after = True
        return True

    def _begin(self, at: int) -> None:
        self._leave_it(at)
        self._restart()
        self._open, self._after, self._heard_at = True, False, at
        self.pieces.append(CurveBegan(at, self.instrument, self.part.id))

    def _goes_on(self, body: bytes, at: int) -> bool:
        row = self._values(body)
        if row is not None:
            if self._rows >= self.part.most:
                self._end(at, "not whole", f"more than {self.part.most} rows came")
                self._after = True
                return True
            self._heard_at = at
            self._add(row, at)
            return True
        if self._ends is not None and self._ends.match(body) is not None:
            self._complete(at)
            return True
        if self._is_progress(body):
            self._say_progress(body, at)
            return True
        if self._begins is not None and self._begins.match(body) is not None:
            self._end(at, "not whole", "it began again")
            self._begin(at)
            return True
        return False

    def _complete(self, at: int) -> None:
        """All that was to come has come; whether that is a whole table is another question."""
        if not self._rows:
            why = "it has no rows"
        elif self.part.rows and self._rows != self.part.rows:
            why = f"{self._rows} of {self.part.rows} rows came"
        elif self._strays:
            why = (
                "1 message within it was no row"
                if self._strays == 1
                else f"{self._strays} messages within it were no rows"
            )
        else:
            why = ""
        self._end(at, "not whole" if why else "complete", why)

    def _is_progress(self, body: bytes) -> bool:
        return self._progress is not None and self._progress.match(body) is not None

    def _say_progress(self, body: bytes, at: int) -> None:
        assert self._progress is not None
        self._heard_at = at
        got = self._progress.read(body)
        if isinstance(got, Stop):
            return
        quality, value = got[self._progress.numbers[0]]
        if quality.measured and not isinstance(value, str):
            self.pieces.append(CurveProgress(at, self.instrument, self.part.id, value))

    def _values(self, body: bytes) -> tuple[list[float], list[int]] | None:
        assert self._row is not None
        matched = self._row.match(body)
        if matched is None:
            return None
        groups = matched.groups()
        if self._floats:
            try:
                return [float(groups[index]) for index in self._floats], _FINE[len(self._floats)]
            except ValueError:  # blanks after the sign
                return [float(groups[index].replace(b" ", b"")) for index in self._floats], _FINE[
                    len(self._floats)
                ]
        fields = self._row.of_groups(groups)
        if fields is None:
            return None
        found = [fields[axis.field] for axis in self.part.axes]
        values = [v if not isinstance(v, str) and q.measured else math.nan for q, v in found]
        return values, [int(quality) for quality, _ in found]

    def _add(self, row: tuple[list[float], list[int]], at: int) -> None:
        values, qualities = row
        self._rows += 1
        last = self.pieces[-1] if self.pieces else None
        if type(last) is CurveRows:
            for column, value in zip(last.values, values, strict=True):
                column.append(value)
            for marks, quality in zip(last.qualities, qualities, strict=True):
                marks.append(quality)
        else:
            self.pieces.append(
                CurveRows(at, self.instrument, self.part.id, [[v] for v in values], [[q] for q in qualities])
            )
        if self.part.rows and self._rows == self.part.rows and self._ends is None:
            self._complete(at)
            self._after = True

    def _end(self, at: int, state: CurveState, why: str = "") -> None:
        self._open, self._after = False, False
        self._heard_at = at
        self.pieces.append(
            CurveEnded(at, self.instrument, self.part.id, state, why, self._rows, self._strays, self._stray)
        )

    def _surplus(self, body: bytes, at: int) -> bool:
        """A row behind the last one is no row of another table."""
        if self._values(body) is None:
            return False
        self._heard_at = at
        self._strays += 1
        self._stray = self._stray or _shown(body)
        self._too_many += 1
        if self._too_many == 1:  # the others are told together: there may be thousands
            self._tell_surplus(at)
        return True

    def _tell_surplus(self, at: int) -> None:
        rows = "1 row more came" if self._too_many == 1 else f"{self._too_many} rows more came"
        why = f"{rows} than it should have"
        told = CurveEnded(
            at, self.instrument, self.part.id, "not whole", why, self._rows, self._strays, self._stray
        )
        self.pieces.append(told)

    def _leave_it(self, at: int) -> None:
        """What comes from here on is nothing of the table that has ended."""
        if self._after and self._too_many > 1:
            self._tell_surplus(at)
        self._after = False
        self._too_many = 0

    def stray(self, body: bytes, at: int) -> None:
        """A message within the table that is nobody's. It does not keep the table from falling silent."""
        self._strays += 1
        self._stray = self._stray or _shown(body)

    def silent(self, at: int) -> None:
        """Nothing has come until `at`: that may end it."""
        due = self.deadline
        if due is None or at < due:
            return
        if self._after:
            self._leave_it(at)
        elif self._ends is None and not self.part.rows and self._rows:
            self._complete(at)
        else:
            behind = f"after {self._rows} rows" if self._rows != 1 else "after 1 row"
            self._end(at, "not whole", f"nothing came for {self.part.silence_s:g} s {behind}")

    def give_up(self, at: int, why: str) -> None:
        """Nothing more will come."""
        if self._open:
            self._end(at, "not whole", why)
        self._leave_it(at)


_FINE = [[int(Quality.OK)] * count for count in range(22)]


def _between(row: Pattern) -> bytes:
    """The one character that stands between the numbers of a row; empty where there is anything else."""
    parts = row.elements
    numbers, literals = parts[::2], parts[1::2]
    texts = {one.text for one in literals}
    if len(numbers) < 2 or len(numbers) != len(literals) + 1 or len(texts) != 1:
        return b""
    [text] = texts
    plain = all(one.kind == "number" and one.plain for one in numbers) and all(
        one.kind == "literal" for one in literals
    )
    return text if plain and len(text) == 1 and text not in b"0123456789+-. \n" else b""


def _compiled(what: str, source: str, encoding: str) -> Pattern | None:
    if not source:
        return None
    try:
        return compile_pattern(source, encoding)
    except PatternError as error:
        raise ValueError(f"{what}: {error}") from None


def _shown(body: bytes) -> str:
    text = body.decode("latin-1")
    return "".join(one if one.isprintable() else "·" for one in text)[:SHOWN]
