"""Channels as a set-up names them."""

from typing import Annotated

from pydantic import Field, model_validator

from tidybench.core.setup.part import Identifier, Label, Part


class LimitsPart(Part):
    """Where a channel's value should stay."""

    low: float | None = None
    high: float | None = None

    @model_validator(mode="after")
    def _ordered(self) -> "LimitsPart":
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise ValueError(f"the lower limit {self.low:g} must be below the upper limit {self.high:g}")
        return self


class ChannelPart(Part):
    """A named series of samples: value = field x scale + offset."""

    id: Identifier
    name: Label
    field: Label
    query: Identifier | None = None
    unit: Annotated[str, Field(max_length=20)] = ""
    scale: Annotated[float, Field(allow_inf_nan=False)] = 1.0
    offset: Annotated[float, Field(allow_inf_nan=False)] = 0.0
    decimals: Annotated[int, Field(ge=0, le=9)] = 2
    limits: LimitsPart = LimitsPart()
