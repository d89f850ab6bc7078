"""What one event adds to a curve."""

from dataclasses import dataclass

from tidybench.core.values.curve import CurveState


@dataclass(slots=True, frozen=True)
class CurveBegan:
    """A curve of an instrument began at `at` (microseconds since 1970 UTC). `curve`: its id in the set-up."""

    at: int
    instrument: str
    curve: str


@dataclass(slots=True)
class CurveRows:
    """Rows in the order they came: `values` one list a column, NaN where nothing was measured, `qualities` alike."""

    at: int
    instrument: str
    curve: str
    values: list[list[float]]
    qualities: list[list[int]]


@dataclass(slots=True, frozen=True)
class CurveProgress:
    """Its source says how far it is, in percent."""

    at: int
    instrument: str
    curve: str
    percent: float


@dataclass(slots=True, frozen=True)
class CurveEnded:
    """It has ended, and why it did not as it should. `strays`: messages within it that were no rows; `stray`: the first of them, as
    text. Another one of the same curve tells what came after it."""

    at: int
    instrument: str
    curve: str
    state: CurveState
    why: str = ""
    rows: int = 0
    strays: int = 0
    stray: str = ""


CurvePiece = CurveBegan | CurveRows | CurveProgress | CurveEnded
