"""Outages: instruments whose path has stopped, channels with limits that are not measured any more."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from tidybench.core.channels.verdict import WARMS_UP
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.verdict import Unknown
from tidybench.wire.instruments import InstrumentStatus

HOLD = 3_000_000
"""Microseconds that an outage must last before it calls for a person: a plug that is moved is none."""


@dataclass(slots=True)
class _Outage:
    name: str
    since: int
    told: bool = False


class Outages:
    """What is out just now. It calls only while a run is on; what was told is told again when it is over. The writer's
    alone."""

    def __init__(self) -> None:
        self._out: dict[tuple[str, str], _Outage] = {}

    def look(
        self,
        now: int,
        running: bool,
        instruments: Iterable[InstrumentStatus],
        unknown: Sequence[Unknown],
        owners: Mapping[str, str],
    ) -> list[Crossing]:
        """What has changed, at `now` in microseconds. `unknown`: channels with limits of which nothing is known. `owners`:
        by a channel's id that of its instrument: where that has stopped, its channels do not call as well."""
        found: list[Crossing] = []
        seen: set[tuple[str, str]] = set()
        stopped: dict[str, str] = {}
        for one in instruments:
            stage = next((stage for stage in one.stages if stage.state == "stopped"), None)
            if stage is None:
                continue
            stopped[one.id] = one.name
            if one.released:  # somebody gave its port up
                continue
            mine = [channel.name for channel in unknown if owners.get(channel.id) == one.id]
            more = f". Not judged meanwhile: {', '.join(mine)}" if mine else ""
            words = f"{one.name} has stopped at {stage.name}: {stage.words}{more}"
            seen.add(("stopped", one.id))
            found += self._out_of("stopped", one.id, one.name, words, now, running)
        for channel in unknown:
            # What was never measured is not lost: a gauge whose key nobody has pressed yet.
            if owners.get(channel.id) in stopped or channel.words == WARMS_UP or not channel.since:
                continue
            seen.add(("unmeasured", channel.id))
            words = f"{channel.name} is not measured: {channel.words}"
            found += self._out_of("unmeasured", channel.id, channel.name, words, now, running)
        for key in [key for key in self._out if key not in seen]:
            outage = self._out.pop(key)
            kind, id, name = *key, outage.name
            # Of a channel whose instrument has stopped meanwhile nothing is known still.
            if outage.told and not (kind == "unmeasured" and owners.get(id) in stopped):
                words = f"{name} is passing again" if kind == "stopped" else f"{name} is measured again"
                found.append(Crossing(now, 0, "back", kind, None, None, name, words))  # type: ignore[arg-type]
        return found

    def _out_of(self, kind: str, id: str, name: str, words: str, now: int, running: bool) -> list[Crossing]:
        outage = self._out.setdefault((kind, id), _Outage(name, now))
        if not running:
            outage.told = False  # the next run is told of it anew
            return []
        if outage.told or now - outage.since < HOLD:
            return []
        outage.told = True
        return [Crossing(now, 0, kind, "", None, None, name, words)]  # type: ignore[arg-type]
