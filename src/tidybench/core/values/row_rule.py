"""The row rule: how samples of channels with different rates become rows of the CSV."""

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, model_validator

from tidybench.core.values.exact import Exact
from tidybench.core.values.figure import figure

RowValue = Literal["latest", "age", "mean", "minimum", "maximum"]
"""What a channel has in a steady row, a column each: its newest sample and how old that is, and what its samples of the row's
interval come to."""

OF_THE_INTERVAL: frozenset[RowValue] = frozenset(("mean", "minimum", "maximum"))

SHORTEST, LONGEST = 0.01, 3600.0
"""Seconds between two steady rows."""

LEAST_MB = 0.001
"""Megabytes that a file of the CSV may at least have."""


class RowRule(Exact):
    """`every_s`: seconds between steady rows, 0 for the interval of the fastest channel. `age_s`: no sample older than this is a row's
    latest, 0 for one and a half of the channel's own intervals. `values`: the columns of each channel, in this order. `daily`: each
    day has a file of its own; `file_mb`: another file is begun before one has more than so many megabytes (10^6 bytes), 0 for never. A
    word alone is taken for the kind, as it stood in earlier formats."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["steady rows", "each reading"] = "steady rows"
    every_s: Annotated[float, Field(ge=0, le=LONGEST, allow_inf_nan=False)] = 0.0
    age_s: Annotated[float, Field(ge=0, le=86_400, allow_inf_nan=False)] = 0.0
    values: Annotated[list[RowValue], Field(min_length=1, max_length=5)] = ["latest"]
    daily: bool = False
    file_mb: Annotated[float, Field(ge=0, le=1_000_000, allow_inf_nan=False)] = 0.0

    @model_validator(mode="before")
    @classmethod
    def _kind_alone(cls, data: Any) -> Any:
        return {"kind": data} if isinstance(data, str) else data

    @model_validator(mode="after")
    def _fits(self) -> "RowRule":
        if self.kind == "each reading" and (self.every_s or self.age_s or self.values != ["latest"]):
            raise ValueError(
                "each reading has a row of its own: interval, age and mean belong to steady rows"
            )
        if 0 < self.file_mb < LEAST_MB:
            raise ValueError(f"file_mb: a file of the CSV has at least {LEAST_MB:g} MB")
        if 0 < self.every_s < SHORTEST:
            raise ValueError(f"every_s: rows are at least {SHORTEST} s apart")
        if len(set(self.values)) < len(self.values):
            raise ValueError("values: each can be given once")
        if "age" in self.values and "latest" not in self.values:
            raise ValueError("values: “age” is that of the latest; add “latest”")
        return self

    @property
    def of_the_interval(self) -> bool:
        """Whether rows have what the samples since the row before come to."""
        return not OF_THE_INTERVAL.isdisjoint(self.values)

    @property
    def words(self) -> str:
        """In one line."""
        if self.kind == "each reading":
            return f"{self.kind}{self._files}"
        every = f" every {figure(self.every_s)} s" if self.every_s else ""
        values = "" if self.values == ["latest"] else f": {', '.join(self.values)}"
        age = f"; latest not older than {figure(self.age_s)} s" if self.age_s else ""
        return f"steady rows{every}{values}{age}{self._files}"

    @property
    def _files(self) -> str:
        daily = "; a file for each day" if self.daily else ""
        return daily + (f"; files of at most {figure(self.file_mb)} MB" if self.file_mb else "")
