"""The bench's channels as they are told: their limits, zeros and calibrations."""

from collections.abc import Mapping, Sequence, Set
from datetime import date

from tidybench.core.channels.verdict import Limited
from tidybench.core.derivation import Derivation
from tidybench.core.path import patience
from tidybench.core.plan.settled_watch import SettledChannel, settled_band
from tidybench.core.plan.watched import ANSWER, Watched
from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.setup.calculated import CALCULATED, CalculatedPart, Calculations
from tidybench.core.values.channel import Channel
from tidybench.recorder.state import Zero
from tidybench.runs.run_channel import RunChannel, run_channel
from tidybench.wire.channels import ChannelStatus, LimitsStatus, OverdueStatus


def channel_statuses(
    setups: Sequence[Setup],
    calculations: Calculations,
    derivation: Derivation,
    numbers: Mapping[str, int],
    zeros: Mapping[str, list[Zero]],
    settled: Set[int] = frozenset(),
) -> list[ChannelStatus]:
    """The channels in force, in the order of their set-ups; calculated ones last. `settled`: the numbers of those that are."""
    found = []
    for setup in setups:
        for channel in setup.channel:
            zero = zeros.get(channel.id) or [Zero(amount=0.0, at=0)]
            found.append(
                ChannelStatus(
                    number=numbers[channel.id],
                    id=channel.id,
                    name=channel.name,
                    unit=channel.unit,
                    decimals=channel.decimals,
                    interval_s=setup.interval_of(channel),
                    instrument=setup.instrument.id,
                    low=channel.limits.low,
                    high=channel.limits.high,
                    clock=channel.clock is not None,
                    timed_by=numbers.get(setup.clock_of(channel) or "", 0),
                    states=list(channel.states),
                    usual=list(channel.usual or ()),
                    limits=_limits(channel, derivation, numbers[channel.id], settled),
                    zero=zero[-1].amount,
                    zeroed_at=zero[-1].at,
                    own_zero=channel.zero is not None,
                )
            )
    for one in derivation.calculated:
        part = one.part
        problem = one.problem or (f"No value at times: {one.nothing}." if one.nothing else "")
        found.append(
            ChannelStatus(
                number=one.number,
                id=part.id,
                name=part.name,
                unit=part.unit,
                decimals=part.decimals,
                interval_s=one.interval,
                instrument=CALCULATED,
                low=part.limits.low,
                high=part.limits.high,
                limits=_limits(part, derivation, one.number, settled),
                expression=part.expression,
                problem=problem,
            )
        )
    return found


def limited(setups: Sequence[Setup], derivation: Derivation, numbers: Mapping[str, int]) -> list[Limited]:
    """The channels that have limits, with their watches."""
    found = []
    for setup in setups:
        for channel in setup.channel:
            watch = derivation.watches.get(numbers[channel.id])
            if watch is not None and watch.limits.any:
                waited = patience(setup.interval_of(channel), setup.patience)
                found.append(Limited(channel.id, channel.name, watch, waited))
    for one in derivation.calculated:
        watch = derivation.watches.get(one.number)
        if watch is not None and watch.limits.any:
            found.append(
                Limited(one.part.id, one.part.name, watch, patience(one.interval, one.part.age_s or 0.5))
            )
    return found


def _limits(
    part: ChannelPart | CalculatedPart, derivation: Derivation, number: int, settled: Set[int]
) -> LimitsStatus:
    watch = derivation.watches.get(number)
    state, since = (watch.state, watch.since) if watch is not None else ("", 0)
    return LimitsStatus(
        **part.limits.model_dump(),
        state=state,
        since=since,
        band=settled_band(part.limits.settled_band, part.decimals),
        settled=number in settled,
    )


def settling(channels: Sequence[ChannelStatus]) -> list[SettledChannel]:
    """The channels whose readouts say when they have settled: all that have numbers."""
    return [
        SettledChannel(
            Watched(one.number, one.name, one.unit, patience(one.interval_s, ANSWER)),
            one.interval_s,
            one.limits.band,
        )
        for one in channels
        if not one.clock and not one.states
    ]


def run_channels(setups: Sequence[Setup], statuses: Sequence[ChannelStatus]) -> list[RunChannel]:
    """The channels as a run freezes them."""
    by_id = {c.id: (s, c) for s in setups for c in s.channel}
    numbers = {status.id: status.number for status in statuses}
    found = []
    for status in statuses:
        if status.id in by_id:
            found.append(run_channel(*by_id[status.id], numbers, status.zero))
            continue
        plain = status.model_dump(include=set(Channel.model_fields))
        found.append(
            RunChannel(
                **plain, instrument_name="Calculated", scale=1.0, offset=0.0, expression=status.expression
            )
        )
    return found


def overdue(setups: Sequence[Setup], today: date) -> list[OverdueStatus]:
    """Calibrations whose due date has gone by."""
    found = []
    for setup in setups:
        named = [(setup.instrument.name, setup.instrument.calibration)]
        named += [(channel.name, channel.calibration) for channel in setup.channel]
        for name, part in named:
            if part is not None and part.due is not None and part.due < today:
                days = (today - part.due).days
                since = "yesterday" if days == 1 else f"{days} days ago"
                serial = f" (serial number {part.serial})" if part.serial else ""
                sentence = f"The calibration of {name}{serial} was due {since}."
                found.append(OverdueStatus(name=name, due=str(part.due), words=sentence))
    return found
