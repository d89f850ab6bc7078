"""The end of a run as it is planned: whether it can be, and the watch over it."""

from collections.abc import Mapping, Sequence

from tidybench.core.path import patience
from tidybench.core.plan.condition import Condition
from tidybench.core.plan.end_watch import EndWatch
from tidybench.core.plan.ends import Ends, clock_time
from tidybench.core.plan.steadiness import MIN_SAMPLES
from tidybench.core.plan.watched import ANSWER, Watched
from tidybench.core.values.channel import Channel
from tidybench.core.values.figure import figure
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.run_state import RunState
from tidybench.wire.channels import ChannelStatus


def checked_ends(ends: Ends, channels: Sequence[ChannelStatus], begins_at: int, now: int) -> None:
    """Raises RequestRefused where a run cannot end so. Times in microseconds."""
    known = {channel.id: channel for channel in channels}
    for key in ends.channels:
        if key not in known:
            raise RequestRefused(
                "invalid",
                f"The run is to end by the channel “{key}”, which is not on the bench. Choose another, or connect its instrument.",
            )
        if known[key].clock:
            raise RequestRefused("invalid", f"{known[key].name} is a device's clock. A run cannot end by it.")
    for condition in ends.when:
        checked_condition(condition, known[condition.channel], "end")
    for key in ends.settled.bands if ends.settled is not None else ():
        assert ends.settled is not None
        channel, span = known[key], ends.settled.for_s
        if channel.states:
            raise RequestRefused("invalid", f"{channel.name} has states: it cannot settle.")
        if channel.interval_s * (MIN_SAMPLES - 1) > span:
            raise RequestRefused(
                "invalid",
                f"{channel.name} has a value every {figure(channel.interval_s)} s: {figure(span)} s are too short to call it settled. "
                f"Give at least {figure(channel.interval_s * MIN_SAMPLES)} s.",
            )
    if ends.at is not None and clock_time(ends.at, now) <= now:
        raise RequestRefused(
            "invalid", f"The run would end at {ends.at}, which has gone by. Choose a later time."
        )
    if ends.after_s is not None and begins_at + round(ends.after_s * 1e6) <= now:
        raise RequestRefused(
            "invalid", "The run is longer than that already. Choose a longer time, or end it now."
        )


def checked_condition(condition: Condition, channel: ChannelStatus, what: str) -> None:
    """Raises RequestRefused where a channel cannot fulfil a condition by which a run is to do `what`: begin, end."""
    if channel.clock:
        raise RequestRefused("invalid", f"{channel.name} is a device's clock. A run cannot {what} by it.")
    if condition.value is not None and channel.states:
        raise RequestRefused("invalid", f"{channel.name} has states, no level. Choose “beyond its limits”.")
    if condition.value is None and not _can_be_beyond(channel):
        raise RequestRefused("invalid", f"{channel.name} has no limits. Set them first, or give a level.")


def _can_be_beyond(channel: ChannelStatus) -> bool:
    limits = channel.limits
    levels = (limits.low, limits.high, limits.stuck_s)
    return any(level is not None for level in levels) or bool(limits.alarm)


def end_watch(state: RunState, channels: Mapping[str, Channel]) -> EndWatch:
    """The watch over a run's end; `channels` of the bench, by id."""
    return EndWatch(state.ends, state.pressed_at, watched(state.ends.channels, channels), state.ends_given_at)


def watched(keys: Sequence[str], channels: Mapping[str, Channel]) -> dict[str, Watched]:
    """Those of the channels that are on the bench, by id."""
    return {
        key: Watched(one.number, one.name, one.unit, patience(one.interval_s, ANSWER))
        for key in keys
        if (one := channels.get(key)) is not None
    }
