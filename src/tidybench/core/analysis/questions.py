"""The questions that can be asked of a stretch."""

from typing import Annotated, Literal

from pydantic import Field

from tidybench.core.analysis.answer import StretchAnswer
from tidybench.core.analysis.frequencies import frequencies
from tidybench.core.analysis.lines import exponential, slope
from tidybench.core.analysis.pairs import against, delay
from tidybench.core.analysis.spread import extremes, histogram, outliers
from tidybench.core.analysis.steady import steady
from tidybench.core.analysis.step import step
from tidybench.core.analysis.stretch import AnalysisError, Stretch
from tidybench.core.analysis.switching import switching
from tidybench.core.analysis.total import total
from tidybench.core.setup.scaling import Finite
from tidybench.core.values.exact import Exact

StretchQuestionKind = Literal[
    "slope", "steady", "step", "exponential", "extremes", "histogram", "spectrum", "against", "delay", "switching", "total", "outliers",
]  # fmt: skip

MOST = 2_000_000
"""Samples of a channel that a question takes."""

TWO = ("against", "delay")
"""Questions that want another channel."""


class StretchQuestion(Exact):
    """What is asked of a channel, by its id, from `start` to before `end` (microseconds since 1970 UTC). `other`: the second channel, where two are compared; `band`: in the channel's unit, `hold_s` in
    seconds (steady; step: the band alone); `level`, `hysteresis` in the channel's unit (switching). What is null is chosen by the samples."""

    kind: StretchQuestionKind
    channel: Annotated[str, Field(min_length=1, max_length=200)]
    start: Annotated[int, Field(ge=0, le=2**62)]
    end: Annotated[int, Field(ge=0, le=2**62)]
    other: Annotated[str, Field(max_length=200)] = ""
    band: Annotated[Finite, Field(gt=0)] | None = None
    hold_s: Annotated[Finite, Field(gt=0)] | None = None
    level: Finite | None = None
    hysteresis: Annotated[Finite, Field(ge=0)] | None = None


def answer_of(question: StretchQuestion, stretch: Stretch, other: Stretch | None = None) -> StretchAnswer:
    """The answer, of the question's own stretch of its channels. Raises AnalysisError."""
    for one in (stretch, other):
        if one is not None and len(one.all.times) > MOST:
            raise AnalysisError(
                f"The stretch has {len(one.all.times)} samples of {one.name}, and at most {MOST} are taken for a question. Choose a shorter stretch."
            )
    match question.kind:
        case "slope":
            return slope(stretch)
        case "steady":
            return steady(stretch, question.band, question.hold_s)
        case "step":
            return step(stretch, question.band)
        case "exponential":
            return exponential(stretch)
        case "extremes":
            return extremes(stretch)
        case "histogram":
            return histogram(stretch)
        case "spectrum":
            return frequencies(stretch)
        case "switching":
            return switching(stretch, question.level, question.hysteresis)
        case "total":
            return total(stretch)
        case "outliers":
            return outliers(stretch)
        case "against" | "delay":
            if other is None:
                raise AnalysisError("Choose the other channel.")
            if other.id == stretch.id:
                raise AnalysisError(f"{stretch.name} against itself says nothing: choose another channel.")
            return against(stretch, other) if question.kind == "against" else delay(stretch, other)
