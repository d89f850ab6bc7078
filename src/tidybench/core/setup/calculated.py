"""Channels that are calculated from others: one document for a bench."""

from typing import Annotated, Literal

from pydantic import Field, ValidationError, model_validator

from tidybench.core.setup.channel import LimitsPart
from tidybench.core.setup.filters import FilterPart, ThinningPart
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.scaling import UnitLabel
from tidybench.core.setup.toml import SetupError, sentences, toml_data

CALCULATED = "calculated"
"""The id the document goes by among the set-ups; no instrument may have it."""


class CalculatedPart(Part):
    """A channel made from others. Its expression is evaluated whenever its lead has a new sample (`lead`: a channel's id; else
    the fastest one it names), with the others' latest values, no older than `age_s` (else two of their
    own intervals); or with theirs interpolated to the lead's time."""

    id: Identifier
    name: Label
    expression: Annotated[str, Field(max_length=2000)]
    unit: UnitLabel = ""
    decimals: Annotated[int, Field(ge=0, le=9)] = 2
    meet: Literal["latest", "interpolated"] = "latest"
    age_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    lead: Identifier | None = None
    filter: Annotated[list[FilterPart], Field(max_length=5)] = []
    thinning: ThinningPart | None = None
    limits: LimitsPart = LimitsPart()

    @model_validator(mode="after")
    def _thins(self) -> "CalculatedPart":
        problem = (self.thinning.problem() if self.thinning is not None else "") or self.limits.problem(())
        if problem:
            raise ValueError(problem)
        return self


class Calculations(Part):
    """All calculated channels of a bench."""

    format: Literal[1] = 1
    calculated: Annotated[list[CalculatedPart], Field(max_length=500)] = []

    @model_validator(mode="after")
    def _ids(self) -> "Calculations":
        ids = [one.id for one in self.calculated]
        twice = sorted({i for i in ids if ids.count(i) > 1})
        if twice:
            raise ValueError(f"the id “{twice[0]}” is used twice")
        return self


def load_calculations(text: str) -> Calculations:
    """Read the document from TOML; raises SetupError with a sentence for each thing that is wrong.

    Expressions are not looked at here: what is wrong with one must not harm the others.
    """
    try:
        return Calculations.model_validate(toml_data(text))
    except ValidationError as error:
        raise SetupError([line for one in error.errors() for line in sentences(one, text)]) from None
