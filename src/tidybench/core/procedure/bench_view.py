"""What of a bench a procedure may name."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from tidybench.core.compile.command import CompiledCommand, compile_command
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import CalculatedPart

MIN_AGE = 500_000
"""Microseconds that a value may always be old."""

CALCULATED_AGE = 5_000_000
"""Microseconds that a calculated value may be old where its channel does not say."""


@dataclass(slots=True, frozen=True)
class ChannelView:
    """A channel that a procedure may name. `age`: microseconds that its value may be old. `calculated`: it has no zero of
    its own. `asks`: the instrument that is asked for a reading, "" where it comes by itself."""

    number: int
    unit: str
    age: int
    calculated: bool = False
    asks: str = ""


@dataclass(slots=True, frozen=True)
class BenchView:
    """What a procedure may name: commands by instrument and id, the instruments there are, channels by id, plans of
    runs by name, the texts of other procedures by name."""

    commands: Mapping[tuple[str, str], CompiledCommand]
    instruments: Sequence[str]
    channels: Mapping[str, ChannelView]
    plans: Collection[str] = ()
    procedures: Mapping[str, str] = field(default_factory=dict)


def view_of(
    setups: Sequence[Setup],
    calculated: Sequence[CalculatedPart],
    numbers: Mapping[str, int],
    plans: Collection[str] = (),
    procedures: Mapping[str, str] | None = None,
) -> BenchView:
    """Of set-ups and calculated channels; `numbers`: of all channels, by id. Channels of states and clocks are left out: an
    expression has nothing to calculate from them."""
    commands = {
        (setup.instrument.id, part.id): compile_command(setup, part)
        for setup in setups
        for part in setup.command
    }
    channels = {
        channel.id: ChannelView(
            numbers[channel.id],
            channel.unit,
            max(round(setup.interval_of(channel) * 2e6), MIN_AGE),
            asks=setup.instrument.id if setup.is_on_demand(channel) else "",
        )
        for setup in setups
        for channel in setup.channel
        if not channel.states and channel.clock is None
    }
    for part in calculated:
        age = round(part.age_s * 1e6) if part.age_s is not None else CALCULATED_AGE
        channels[part.id] = ChannelView(numbers[part.id], part.unit, max(age, MIN_AGE), calculated=True)
    return BenchView(commands, [setup.instrument.id for setup in setups], channels, plans, procedures or {})
