"""The beginning of a run as it is planned: whether it can be, and the watch over it."""

from collections.abc import Mapping, Sequence

from tidybench.core.plan.begin_watch import BeginWatch
from tidybench.core.plan.begins import Begins
from tidybench.core.plan.ends import Ends, clock_time
from tidybench.core.values.channel import Channel
from tidybench.recorder.planned_end import checked_condition, watched
from tidybench.recorder.refused import RequestRefused
from tidybench.wire.channels import ChannelStatus


def checked_begins(begins: Begins, channels: Sequence[ChannelStatus], now: int) -> int:
    """When a run that is planned so begins at the earliest, in microseconds. Raises RequestRefused where it cannot begin so."""
    known = {channel.id: channel for channel in channels}
    for key in begins.channels:
        if key not in known:
            raise RequestRefused(
                "invalid",
                f"The run is to begin by the channel “{key}”, which is not on the bench. Choose another, or connect its instrument.",
            )
    if begins.when is not None:
        checked_condition(begins.when, known[begins.when.channel], "begin")
    if begins.at is None:
        return now
    at = clock_time(begins.at, now)
    if at <= now:
        raise RequestRefused(
            "invalid", f"The run would begin at {begins.at}, which has gone by. Choose a later time."
        )
    return at


def checked_order(begins_at: int, begins: Begins, ends: Ends) -> None:
    """Raises RequestRefused where a run would end before it begins."""
    if begins.at is not None and ends.at is not None and clock_time(ends.at, begins_at) <= begins_at:
        raise RequestRefused(
            "invalid", f"The run would end at {ends.at}, before it begins at {begins.at}. Choose a later end."
        )


def begin_watch(begins: Begins, armed_at: int, channels: Mapping[str, Channel]) -> BeginWatch:
    """The watch over what begins a run; `channels` of the bench, by id."""
    return BeginWatch(begins, armed_at, watched(begins.channels, channels))
