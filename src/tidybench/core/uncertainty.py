"""What certificates state, carried through calculated channels by the Guide to the Expression of Uncertainty in Measurement (JCGM 100:2008)."""

from collections.abc import Mapping, Sequence
from math import hypot

from tidybench.core.expression.program import Nothing, Program, compiled
from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.setup.calculated import CalculatedPart
from tidybench.core.setup.scaling import CalibrationPart


class Uncertainties:
    """What the certificates of a bench state. Inputs are taken for independent of each other (5.1.2). Any thread may use it, one at a time."""

    def __init__(self, setups: Sequence[Setup], calculated: Sequence[CalculatedPart]) -> None:
        self._stated = {
            channel.id: part
            for setup in setups
            for channel in setup.channel
            if (part := _certificate(setup, channel)) is not None
        }
        self._units = {channel.id: channel.unit for setup in setups for channel in setup.channel}
        self._units |= {one.id: one.unit for one in calculated}
        self._calculated = {one.id: one for one in calculated}
        self._programs: dict[str, Program | None] = {}

    def _program(self, channel: str) -> Program | None:
        """Of a calculated channel, compiled when it is first needed; None for a measured one, and one that is not calculated."""
        part = self._calculated.get(channel)
        if part is None:
            return None
        if channel not in self._programs:
            try:
                self._programs[channel] = compiled(part.expression, self._units, part.unit)
            except ExpressionError:
                self._programs[channel] = None
        return self._programs[channel]

    def bases(self, channel: str) -> list[str]:
        """The measured channels that its value is made from, itself for a measured one; [] where not all of them state an uncertainty, or it has a memory (a
        mean over time, a rate, an integral): what an error of its inputs does to that is not known from one moment."""
        found = list(dict.fromkeys(self._bases(channel, set())))
        return found if all(one in self._stated for one in found) else []

    def _bases(self, channel: str, above: set[str]) -> list[str]:
        program = self._program(channel)
        if program is None:
            return [channel]
        if program.state() or channel in above:
            return [""]  # which states nothing
        return [base for one in program.inputs for base in self._bases(one, above | {channel})]

    def standard_uncertainty(self, channel: str, values: Mapping[str, float]) -> float | None:
        """Of a channel's value where its bases have these `values` (Type B); None where it is not known. The sensitivities are those of JCGM 100, 5.1.3,
        note 2: half of what the outcome changes between value + u and value - u."""
        bases = self.bases(channel)
        if not bases or not all(one in values for one in bases):
            return None
        own = {one: self._stated[one].standard_uncertainty(values[one]) or 0.0 for one in bases}
        if channel in own:
            return own[channel]
        try:
            parts = [
                (
                    self._value(channel, {**values, one: values[one] + u})
                    - self._value(channel, {**values, one: values[one] - u})
                )
                / 2
                for one, u in own.items()
            ]
        except (Nothing, ZeroDivisionError):
            return None
        return hypot(*parts)

    def _value(self, channel: str, values: Mapping[str, float]) -> float:
        program = self._program(channel)
        if program is None:
            return values[channel]
        return program.value(0, [self._value(one, values) for one in program.inputs])


def _certificate(setup: Setup, channel: ChannelPart) -> CalibrationPart | None:
    """The certificate that states an uncertainty in numbers: the channel's, or that of its whole instrument."""
    for part in (channel.calibration, setup.instrument.calibration):
        if part is not None and part.stated:
            return part
    return None
