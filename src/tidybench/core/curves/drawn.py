"""A curve with its rows, as they come."""

from array import array
from collections.abc import Sequence

from tidybench.core.curves.piece import CurveBegan, CurveEnded, CurvePiece, CurveProgress, CurveRows
from tidybench.core.setup.curves import CurvePart
from tidybench.core.setup.setup import Setup
from tidybench.core.values.curve import Curve, CurveColumn


class DrawnCurve:
    """`about` says all but the rows; `values` and `qualities` have a list for each column. One thread at a time may use it."""

    def __init__(self, about: Curve) -> None:
        self.about = about
        self.values: list[array[float]] = [array("d") for _ in about.columns]
        self.qualities = [bytearray() for _ in about.columns]

    def take(self, piece: CurvePiece) -> None:
        """What an event adds to it."""
        if isinstance(piece, CurveRows):
            self.add(piece.values, piece.qualities)
        elif isinstance(piece, CurveProgress):
            self.about = self.about.model_copy(update={"percent": piece.percent})
        elif isinstance(piece, CurveEnded):
            told = {"state": piece.state, "why": piece.why, "strays": piece.strays, "stray": piece.stray}
            self.about = self.about.model_copy(update=told | {"ended_at": self.about.ended_at or piece.at})

    def add(self, values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]) -> None:
        """Rows, a list for each column."""
        for mine, more in zip(self.values, values, strict=True):
            mine.extend(more)
        for marks, others in zip(self.qualities, qualities, strict=True):
            marks.extend(others)
        self.about = self.about.model_copy(update={"rows": len(self.values[0])})

    def rows(self, since: int = 0, until: int | None = None) -> tuple[list[list[float]], list[list[int]]]:
        """Its rows from the `since`th on, up to the `until`th, as lists for each column."""
        return [column[since:until].tolist() for column in self.values], [
            list(one[since:until]) for one in self.qualities
        ]


def begun_curve(piece: CurveBegan, setup: Setup, part: CurvePart) -> Curve:
    """A curve that begins, as its set-up has it."""
    columns = [CurveColumn(name=part.x.title, unit=part.x.unit, scale=part.x.scale)]
    columns += [CurveColumn(name=y.title, unit=y.unit, scale=y.scale, unwrap=y.unwrap) for y in part.y]
    return Curve(
        number=1,
        curve=part.id,
        name=part.name,
        instrument=setup.instrument.id,
        instrument_name=setup.instrument.name,
        begun_at=piece.at,
        columns=columns,
    )
