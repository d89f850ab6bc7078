"""A channel as a run freezes it."""

from collections.abc import Mapping

from tidybench.core.channels.scaling import words
from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.values.channel import Channel
from tidybench.core.values.figure import figure


class RunChannel(Channel):
    """A channel as it was when the run began. `steps`: its scaling behind scale and offset, in words; `zero`: what was
    taken off its values; `expression`: of a calculated one; `calibration`: what its certificate says; `single`: it is sent as a 32-bit
    float."""

    low: float | None = None
    high: float | None = None
    instrument_name: str
    scale: float
    offset: float
    steps: list[str] = []
    zero: float = 0.0
    expression: str = ""
    calibration: dict[str, str] = {}
    single: bool = False

    @property
    def scaling(self) -> str:
        """How its values are made, in one line."""
        if self.expression:
            return self.expression
        if self.states:
            return f"a state: {', '.join(self.states)}"
        if self.clock:
            return f"the device's own time: field x {figure(self.scale)} + {figure(self.offset)} s, brought to UTC by the least delay"
        parts = [f"field x {figure(self.scale)} + {figure(self.offset)}", *self.steps]
        if self.zero:
            parts.append(f"zeroed: {figure(self.zero)} taken off")
        return "; ".join(parts)

    @property
    def certificate(self) -> str:
        """What is known of its calibration, in one line."""
        return ", ".join(f"{key} {value}" for key, value in self.calibration.items())


def run_channel(
    setup: Setup, channel: ChannelPart, numbers: Mapping[str, int], zero: float = 0.0
) -> RunChannel:
    """A channel of a set-up as a run freezes it; `numbers`: of the channels by id; `zero`: what is taken off its values."""
    calibration = channel.calibration or setup.instrument.calibration
    return RunChannel(
        number=numbers[channel.id],
        id=channel.id,
        name=channel.name,
        unit=channel.unit,
        decimals=channel.decimals,
        interval_s=setup.interval_of(channel),
        instrument=setup.instrument.id,
        instrument_name=setup.instrument.name,
        scale=channel.scale,
        offset=channel.offset,
        low=channel.limits.low,
        high=channel.limits.high,
        clock=channel.clock is not None,
        timed_by=numbers.get(setup.clock_of(channel) or "", 0),
        states=list(channel.states),
        usual=list(channel.usual or ()),
        steps=[words(step) for step in channel.scaling],
        zero=zero,
        single=setup.is_single(channel),
        calibration=calibration.facts(channel.unit) if calibration is not None else {},
    )
