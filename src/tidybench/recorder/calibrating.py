"""A run that calibrates a channel: whether it can, and what stands between a reading and the channel's value meanwhile."""

from collections.abc import Sequence
from dataclasses import dataclass

from tidybench.core.channels.correction import CorrectionError, basis_of, correction_of, uncorrected
from tidybench.core.channels.scaling import Scale
from tidybench.core.plan.calibration_plan import REFERENCE, CalibrationPlan
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.setup import ChannelPart
from tidybench.core.units import UnitError, conversion, unit_of
from tidybench.recorder.employed import Employed
from tidybench.recorder.refused import RequestRefused
from tidybench.wire.channels import ChannelStatus


@dataclass(slots=True, frozen=True)
class Adjustment:
    """How a channel is made, and the zero that is taken off: points taken under two of them do not go together."""

    channel: str
    part: ChannelPart
    zero: float

    def is_that_of(self, other: "Adjustment | None") -> bool:
        """Whether points taken under both go together."""
        if other is None or (self.channel, self.zero) != (other.channel, other.zero):
            return False
        mine, others = self.part, other.part
        return (basis_of(mine), correction_of(mine)) == (basis_of(others), correction_of(others))

    def uncorrected(self) -> Scale:
        """From its value back to the one before its correction and zero. Raises RequestRefused."""
        try:
            return uncorrected(self.part, self.zero)
        except CorrectionError as error:
            raise RequestRefused(
                "conflict",
                f"The correction that is in force for {self.part.name} cannot be taken back. Take it out of the set-up first. {error}",
            ) from error


def adjustment(channel: str, employed: Employed, zero: float) -> Adjustment | None:
    """How an instrument's channel is made now; None where it is not on the bench any more."""
    found = employed.setup_with(channel)
    return Adjustment(channel, found[1], zero) if found is not None else None


def checked_calibration(plan: CalibrationPlan, channels: Sequence[ChannelStatus]) -> None:
    """Raises RequestRefused where no such calibration can be made."""
    known = {one.id: one for one in channels}
    for key in (plan.channel, plan.reference):
        one = known.get(key) if key is not None else None
        if key is not None and one is None:
            raise RequestRefused(
                "invalid", f"The channel “{key}” is not on the bench. Connect its instrument."
            )
        if one is not None and (one.clock or one.states):
            raise RequestRefused(
                "invalid",
                f"{one.name} has no measured value: it cannot be calibrated, nor calibrate another.",
            )
    channel = known[plan.channel]
    if channel.expression:
        raise RequestRefused(
            "invalid",
            f"{channel.name} is calculated and has no correction of its own. Calibrate the channels that it is made from.",
        )
    if plan.reference is not None:
        reference = known[plan.reference]
        try:
            conversion(unit_of(reference.unit), unit_of(channel.unit))
        except UnitError as error:
            raise RequestRefused(
                "invalid", f"{reference.name} cannot be the reference of {channel.name}: {error}"
            ) from error


def checked_calibration_point(plan: CalibrationPlan | None, order: PointOrder) -> None:
    """Raises RequestRefused where such a point does not belong into such a run."""
    if plan is None:
        if order.stage:
            raise RequestRefused(
                "conflict",
                "The run that is on calibrates nothing: its points are neither as found nor as left.",
            )
        return
    if not order.stage:
        raise RequestRefused("invalid", "Say whether this point is as found or as left.")
    for key in (plan.channel, plan.reference):
        if key is not None and key not in order.rule.channels:
            raise RequestRefused("invalid", f"A point of this calibration must average the channel “{key}”.")
    if plan.reference is None and not any(one.name == REFERENCE for one in order.sets):
        raise RequestRefused("invalid", "The reference is missing: type the true value.")
