"""A curve: a measured series against something other than the time of day."""

from typing import Annotated, Literal

from pydantic import Field, computed_field

from tidybench.core.values.exact import Exact

CurveState = Literal["in progress", "complete", "not whole", "interrupted"]
"""How a curve stands. “not whole”: its source did not give all of it, or something else with it. “interrupted”: Tidy Bench was not
there to the end."""

CurveSource = Literal["table", "procedure", "capture"]
"""Where its rows come from."""

At = Annotated[int, Field(ge=0, le=2**63 - 1)]
Count = Annotated[int, Field(ge=0, le=2**53)]


class CurveColumn(Exact):
    """One of a curve's columns. `unwrap`: an angle that is drawn without its jumps by a whole turn."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    unit: Annotated[str, Field(max_length=40)] = ""
    scale: Literal["linear", "logarithmic"] = "linear"
    unwrap: bool = False

    @property
    def title(self) -> str:
        """As a column is headed."""
        return f"{self.name} [{self.unit}]" if self.unit else self.name


class Curve(Exact):
    """All but its rows. `number` tells it from others of its run, or of this start of the recorder. `curve`: its id in the set-up. Times in microseconds
    since 1970 UTC; `ended_at`: 0 while it is in progress. `columns`: what it is drawn over, then its quantities. `strays`: messages within it
    that were no rows, `stray`: the first of them. `percent`: how far its source says it is."""

    number: Annotated[int, Field(ge=1, le=2**31)]
    curve: Annotated[str, Field(max_length=64)]
    name: Annotated[str, Field(max_length=200)]
    instrument: Annotated[str, Field(max_length=64)] = ""
    instrument_name: Annotated[str, Field(max_length=80)] = ""
    source: CurveSource = "table"
    begun_at: At
    ended_at: At = 0
    state: CurveState = "in progress"
    why: Annotated[str, Field(max_length=500)] = ""
    rows: Count = 0
    strays: Count = 0
    stray: Annotated[str, Field(max_length=200)] = ""
    percent: Annotated[float, Field(allow_inf_nan=False)] | None = None
    columns: Annotated[list[CurveColumn], Field(min_length=2, max_length=22)]

    @computed_field(description="How it stands, as it is said of it.")  # type: ignore[prop-decorator]
    @property
    def words(self) -> str:
        """How it stands, as it is said of it."""
        rows = "1 row" if self.rows == 1 else f"{self.rows} rows"
        if self.state == "in progress":
            far = f", {self.percent:g} %" if self.percent is not None else ""
            return f"in progress: {rows}{far}"
        if self.state == "complete":
            return f"complete: {rows}"
        return f"{self.state}, {rows}: {self.why}" if self.why else f"{self.state}, {rows}"
