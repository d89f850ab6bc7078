"""Outages: instruments whose path has stopped, channels with limits that are not measured any more."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from tidybench.core.channels.verdict import WARMS_UP
from tidybench.core.values.crossing import OUTAGES, Crossing, State
from tidybench.core.values.verdict import Unknown
from tidybench.wire.instruments import InstrumentStatus

HOLD = 3_000_000
"""Microseconds that an outage must last before it calls for a person: a plug that is moved is none."""


@dataclass(slots=True)
class _Outage:
    name: str
    number: int
    since: int
    told: bool = False
    resumed: bool = False


class Outages:
    """What is out just now. It calls only while a run is on, and again in each run; what was told is told again when it is over.
    The writer's alone."""

    def __init__(self) -> None:
        self._out: dict[tuple[State, str], _Outage] = {}
        self._running = False
        self.looked = False

    def resume(
        self,
        going_on: Iterable[Crossing],
        instruments: Iterable[InstrumentStatus],
        channels: Mapping[int, str],
    ) -> None:
        """What an earlier recorder has told of and was not over when it ended: it is told only when it is over. `channels`:
        their ids by number."""
        by_name = {one.name: one.id for one in instruments}
        for crossing in going_on:
            stopped = crossing.state == "stopped"
            id = by_name.get(crossing.name) if stopped else channels.get(crossing.channel)
            if crossing.state in OUTAGES and id is not None:
                outage = _Outage(crossing.name, crossing.channel, crossing.at, told=True, resumed=True)
                self._out[(crossing.state, id)] = outage

    def look(
        self,
        now: int,
        running: bool,
        instruments: Sequence[InstrumentStatus],
        unknown: Sequence[Unknown],
        owners: Mapping[str, str],
    ) -> list[Crossing]:
        """What has changed, at `now` in microseconds. `unknown`: channels with limits of which nothing is known. `owners`:
        by a channel's id that of its instrument: where that has stopped, its channels do not call as well."""
        if running and not self._running and self.looked:
            for outage in self._out.values():
                outage.told = False
        self._running = running
        # Right after a start no instrument is in force yet.
        self.looked = self.looked or bool(instruments)
        found: list[Crossing] = []
        seen: set[tuple[State, str]] = set()
        stopped: set[str] = set()

        def out(state: State, id: str, number: int, name: str, words: str) -> None:
            seen.add((state, id))
            outage = self._out.setdefault((state, id), _Outage(name, number, now))
            outage.resumed = False
            if running and not outage.told and now - outage.since >= HOLD:
                outage.told = True
                found.append(Crossing(now, number, state, "", None, None, name, words))

        for one in instruments:
            stage = next((stage for stage in one.stages if stage.state == "stopped"), None)
            if stage is None:
                continue
            stopped.add(one.id)
            if one.released:  # somebody gave its port up
                continue
            mine = [channel.name for channel in unknown if owners.get(channel.id) == one.id]
            more = f". Not judged meanwhile: {', '.join(mine)}" if mine else ""
            out(
                "stopped", one.id, 0, one.name, f"{one.name} has stopped at {stage.name}: {stage.words}{more}"
            )
        for channel in unknown:
            # What was never measured is not lost: a gauge whose key nobody has pressed yet.
            if owners.get(channel.id) in stopped or channel.words == WARMS_UP or not channel.since:
                continue
            words = f"{channel.name} is not measured: {channel.words}"
            out("unmeasured", channel.id, channel.number, channel.name, words)
        for key in [key for key in self._out if key not in seen]:
            state, id = key
            if self._out[key].resumed and not _is_well(state, id, instruments, unknown):
                continue
            outage = self._out.pop(key)
            # Of a channel whose instrument has stopped meanwhile nothing is known still.
            if outage.told and not (state == "unmeasured" and owners.get(id) in stopped):
                again = "passing" if state == "stopped" else "measured"
                words = f"{outage.name} is {again} again"
                found.append(Crossing(now, outage.number, "back", state, None, None, outage.name, words))
        return found


def _is_well(
    state: State, id: str, instruments: Sequence[InstrumentStatus], unknown: Sequence[Unknown]
) -> bool:
    """Whether it is known that something is in order: right after a start nothing is known yet."""
    if state == "unmeasured":
        return all(channel.id != id for channel in unknown)
    return any(one.id == id and one.messages_per_s > 0 and _passes(one) for one in instruments)


def _passes(instrument: InstrumentStatus) -> bool:
    return all(stage.state in ("passing", "losses") for stage in instrument.stages)
