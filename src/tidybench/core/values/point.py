"""A test point: what a run came to while everything stood still."""

from typing import Annotated, Literal

from pydantic import Field, computed_field

from tidybench.core.values.exact import Exact

Verdict = Literal["", "within", "beyond", "not known"]
"""Against a tolerance; empty where none is given."""

Stage = Literal["", "as found", "as left"]
"""Of a calibration: before it was adjusted, and after."""

Figure = Annotated[float, Field(ge=-1e300, le=1e300, allow_inf_nan=False)]


class Quantity(Exact):
    """A number that a person gave: a set value, or what was read by eye."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    unit: Annotated[str, Field(max_length=40)] = ""
    value: Figure


class PointMean(Exact):
    """A channel over the stretch that a point averages. `mean`, `sd` (standard deviation of a sample, n - 1), `minimum` and `maximum`:
    None where too little was measured. `count`: measured samples; `missing`: those that were not. `low`, `high`: the tolerance.
    `uncorrected`: of a channel that is calibrated, the mean before its correction and its zero. `type_a`, `type_b`: standard
    uncertainties of the mean by its scatter and by certificates, `expanded`: both together, k = 2 (JCGM 100); None where no certificate states
    one."""

    id: str
    name: str
    unit: str
    decimals: int
    mean: float | None = None
    sd: float | None = None
    minimum: float | None = None
    maximum: float | None = None
    count: int = 0
    missing: int = 0
    low: float | None = None
    high: float | None = None
    uncorrected: float | None = None
    type_a: float | None = None
    type_b: float | None = None
    expanded: float | None = None

    @computed_field  # type: ignore[prop-decorator]
    @property
    def verdict(self) -> Verdict:
        """Whether the mean lies within the tolerance, its ends included."""
        if self.low is None and self.high is None:
            return ""
        if self.mean is None:
            return "not known"
        within = (self.low is None or self.mean >= self.low) and (self.high is None or self.mean <= self.high)
        return "within" if within else "beyond"


class Point(Exact):
    """`number` counts a run's points from 1; `version` a point's corrections, from 1. `since` and `until`: the stretch that was
    averaged, its beginning not included, its end included; `at`: when the point was taken, or given up. Times in microseconds since
    1970 UTC. `steady`: chosen channels had stayed within their bands before, and did meanwhile. `gave_up`: why there are no means.
    `void`: it does not count any more. `stage`: of a point of a calibration."""

    number: int
    version: int = 1
    name: Annotated[str, Field(max_length=120)] = ""
    by: Annotated[str, Field(max_length=120)] = ""
    note: Annotated[str, Field(max_length=500)] = ""
    at: int
    since: int = 0
    until: int = 0
    steady: bool = False
    stage: Stage = ""
    sets: list[Quantity] = []
    typed: list[Quantity] = []
    means: list[PointMean] = []
    gave_up: str = ""
    void: bool = False

    @computed_field  # type: ignore[prop-decorator]
    @property
    def verdict(self) -> Verdict:
        """Of all its channels together: what is beyond comes first, then what is not known."""
        found = {one.verdict for one in self.means}
        order: tuple[Verdict, ...] = ("beyond", "not known", "within")
        return next((one for one in order if one in found), "")


def newest_of(points: list[Point]) -> list[Point]:
    """The newest version of each point, by number."""
    newest: dict[int, Point] = {}
    for point in points:
        if point.number not in newest or point.version > newest[point.number].version:
            newest[point.number] = point
    return [newest[number] for number in sorted(newest)]
