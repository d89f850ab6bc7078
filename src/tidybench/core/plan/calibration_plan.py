"""A run that calibrates a channel: against what, and how far it may be off."""

from typing import Annotated

from pydantic import Field, model_validator

from tidybench.core.setup.part import Identifier, Part

Amount = Annotated[float, Field(ge=0, le=1e300, allow_inf_nan=False)]
REFERENCE = "Reference"
"""What the set value of a test point is called that is the true value of a calibration."""


class CalibrationPlan(Part):
    """`channel`: the one that is calibrated. `reference`: the channel that gives the true value, None where it is typed at every
    point. `standard`: what the reference is (its name, serial number, certificate). `reference_expanded`: its expanded uncertainty (k = 2), in the
    channel's unit. `allowed`: how far the channel may be off, in its unit; `allowed_percent`: in per cent of the reference; both add up,
    none: no verdict."""

    channel: Identifier
    reference: Identifier | None = None
    standard: Annotated[str, Field(max_length=200)] = ""
    reference_expanded: Amount | None = None
    allowed: Amount | None = None
    allowed_percent: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] | None = None

    @model_validator(mode="after")
    def _two(self) -> "CalibrationPlan":
        if self.reference == self.channel:
            raise ValueError("the reference is the channel itself: choose another, or type the reference")
        return self

    def allowed_at(self, reference: float) -> float | None:
        """How far the channel may be off there; None where nothing says it."""
        if self.allowed is None and self.allowed_percent is None:
            return None
        return (self.allowed or 0.0) + (self.allowed_percent or 0.0) / 100 * abs(reference)
