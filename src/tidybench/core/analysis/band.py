"""Bands that a run must stay within: about a reference, about several runs, or drawn."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Protocol

import numpy as np

from tidybench.core.analysis.answer import said
from tidybench.core.analysis.pairs import between
from tidybench.core.analysis.stretch import AnalysisError, Array, Stretch

LEAST_RUNS = 3
"""Runs that a band by deviations is made from at the least: of two nothing can be said of how they scatter."""


@dataclass(slots=True, frozen=True)
class Edges:
    """A band at some times: `lower` and `upper`, infinite where it has no such edge; `known`: where there is a band at all."""

    lower: Array
    upper: Array
    known: "np.ndarray[tuple[int], np.dtype[np.bool_]]"


class Band(Protocol):
    """How far a channel may go."""

    @property
    def words(self) -> str:
        """What it is, in a few words."""

    def over(self, x: Array, origin: int, expected: Array) -> Edges:
        """At `x` seconds after `origin` (microseconds since 1970 UTC), where a reference is `expected`."""


@dataclass(slots=True, frozen=True)
class Tolerance:
    """About a reference: `allowed` in its unit, `percent` of its value; of both whichever is more."""

    unit: str
    allowed: float | None = None
    percent: float | None = None

    @property
    def words(self) -> str:
        """As ± of the reference."""
        parts = [said(self.allowed, self.unit)] if self.allowed is not None else []
        parts += [f"{self.percent:g} %"] if self.percent is not None else []
        more = ", whichever is more" if len(parts) > 1 else ""
        return f"± {' and '.join(parts)} of the reference{more}"

    def over(self, x: Array, origin: int, expected: Array) -> Edges:
        """As ever."""
        wide = np.maximum(self.allowed or 0.0, np.abs(expected) * (self.percent or 0.0) / 100)
        return Edges(expected - wide, expected + wide, np.ones(len(x), np.bool_))


@dataclass(slots=True, frozen=True)
class Deviations:
    """About the mean of several runs, `factor` standard deviations (n - 1) to each side. `others`: all of them but the reference, each at the reference's times."""

    factor: float
    others: Sequence[Stretch]

    @property
    def words(self) -> str:
        """By how many runs."""
        return f"± {self.factor:g} standard deviations about the mean of {len(self.others) + 1} runs"

    def over(self, x: Array, origin: int, expected: Array) -> Edges:
        """Where all of them are known. Raises AnalysisError where they are too few."""
        if len(self.others) + 1 < LEAST_RUNS:
            raise AnalysisError(
                f"A band by deviations is made from {LEAST_RUNS} runs or more, and there are {len(self.others) + 1}. Tick more of them."
            )
        every, known = [expected], np.ones(len(x), np.bool_)
        for other in self.others:
            values, there = between(other, x, origin)
            every.append(values)
            known &= there
        rows = np.stack(every)
        middle, wide = rows.mean(axis=0), self.factor * rows.std(axis=0, ddof=1)
        return Edges(middle - wide, middle + wide, known)


@dataclass(slots=True, frozen=True)
class Corner:
    """A corner of a corridor, `after_s` seconds after the moment that runs are aligned at; None: no edge on that side."""

    after_s: float
    lower: float | None
    upper: float | None


@dataclass(slots=True, frozen=True)
class Corridor:
    """Straight lines from corner to corner. `at`: the moment that it counts from (microseconds since 1970 UTC). Before the first corner and after the last there is none."""

    corners: Sequence[Corner]
    at: int

    @property
    def words(self) -> str:
        """By its corners."""
        return f"a corridor of {len(self.corners)} corners"

    def over(self, x: Array, origin: int, expected: Array) -> Edges:
        """Raises AnalysisError where the corners are no corridor."""
        corners = self.corners
        if len(corners) < 2:
            raise AnalysisError("A corridor has two corners at the least.")
        if any(b.after_s <= a.after_s for a, b in pairwise(corners)):
            raise AnalysisError(
                "The corners of a corridor stand in order of time, each later than the one before."
            )
        for side in ("lower", "upper"):
            if len({getattr(one, side) is None for one in corners}) > 1:
                raise AnalysisError(
                    f"The corridor has its {side} edge at some corners only. Give it at all of them, or at none."
                )
        if corners[0].lower is None and corners[0].upper is None:
            raise AnalysisError("The corridor has no edge: give lower or upper values.")
        for one in corners:
            if one.lower is not None and one.upper is not None and one.lower > one.upper:
                raise AnalysisError(f"{one.after_s:g} s: the lower edge lies above the upper one.")
        after = x + (origin - self.at) / 1e6
        places = [one.after_s for one in corners]

        def edge(values: list[float | None], none: float) -> Array:
            if values[0] is None:
                return np.full(len(x), none)
            return np.interp(after, places, [float(one or 0.0) for one in values])

        known = (after >= places[0]) & (after <= places[-1])
        return Edges(
            edge([one.lower for one in corners], -np.inf), edge([one.upper for one in corners], np.inf), known
        )
