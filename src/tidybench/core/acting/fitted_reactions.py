"""Reactions as they fit a bench: those that can be watched, and what is wrong with the others."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from tidybench.core.acting.reaction import Measured, ReactionWatch, ReactionWatches
from tidybench.core.compile.command import compile_command
from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.setup.calculated import CalculatedPart
from tidybench.core.setup.reactions import DoPart, ReactionPart, Reactions


@dataclass(slots=True, frozen=True)
class FittedReactions:
    """`problems`: sentences, by the reactions' ids; one that has any is not watched."""

    watches: ReactionWatches
    problems: Mapping[str, list[str]]


def fitted(
    reactions: Reactions,
    setups: Sequence[Setup],
    calculated: Sequence[CalculatedPart],
    numbers: Mapping[str, int],
    procedures: Collection[str],
    now: int,
    before: ReactionWatches | None = None,
) -> FittedReactions:
    """Reactions on a bench of these set-ups, calculated channels and procedures, by name. `before`: those that were watched until now; one that is the
    same goes on. `now` in microseconds."""
    channels: dict[str, ChannelPart | CalculatedPart] = {c.id: c for s in setups for c in s.channel}
    channels |= {part.id: part for part in calculated}
    known = {watch.part.id: watch for watch in before.all} if before is not None else {}
    shared = {watch.part.channel: watch.measured for watch in known.values()}
    watches: dict[int, list[ReactionWatch]] = {}
    problems: dict[str, list[str]] = {}
    for part in reactions.reaction:
        channel = channels.get(part.channel)
        found = _of_channel(part, channel)
        for one in part.do:
            found += _of_doing(one, setups, procedures)
        problems[part.id] = found
        if found or channel is None:
            continue
        states, measured = _states(channel), shared.setdefault(part.channel, Measured(now))
        measured.changed()
        watch = known.get(part.id)
        if watch is None or watch.part != part or watch.states != states:
            armed = watch is None or watch.armed
            watch = ReactionWatch(part, now, states, measured)
            watch.armed = armed
        watches.setdefault(numbers[part.channel], []).append(watch)
    return FittedReactions(ReactionWatches(watches), problems)


def _states(channel: ChannelPart | CalculatedPart) -> Sequence[str]:
    return channel.states if isinstance(channel, ChannelPart) else ()


def _of_channel(part: ReactionPart, channel: ChannelPart | CalculatedPart | None) -> list[str]:
    if channel is None:
        return [f"There is no channel “{part.channel}” on the bench."]
    states = _states(channel)
    if part.words and not states:
        return [f"{channel.name} has no words: it is a number. Watch it against levels."]
    if states and (part.below is not None or part.above is not None):
        return [f"{channel.name} has words, no number: say for which it is watched."]
    return [f"{channel.name} has no word “{one}”." for one in part.words if one not in states]


def _of_doing(one: DoPart, setups: Sequence[Setup], procedures: Collection[str]) -> list[str]:
    if one.procedure is not None and one.procedure not in procedures:
        return [f"There is no procedure “{one.procedure}”."]
    if one.command is None:
        return []
    setup = next((s for s in setups if s.instrument.id == one.instrument), None)
    if setup is None:
        return [f"There is no instrument “{one.instrument}” on the bench."]
    command = next((c for c in setup.command if c.id == one.command), None)
    if command is None:
        return [f"{setup.instrument.name} has no command “{one.command}”."]
    try:
        compiled = compile_command(setup, command)
        compiled.data(compiled.values(one.values))
    except ValueError as error:
        return [str(error)]
    return []
