"""Calculated channels at work: which are evaluated when, and with what."""

from collections import deque
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from tidybench.core.batch import NAN, Batch
from tidybench.core.channels.pipeline import ChannelPipeline
from tidybench.core.expression.program import Nothing, Program, compiled
from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.expression.tree import ChannelRef, channels_in, parse
from tidybench.core.quality import Quality
from tidybench.core.setup.calculated import CalculatedPart

KEPT = 2000
"""Samples of a channel that are kept for interpolation."""

MIN_AGE = 500_000
"""Microseconds a value may always be old."""


@dataclass(slots=True, frozen=True)
class Known:
    """A channel that expressions may name. `interval`: seconds between its samples, 0 for as fast as it goes."""

    number: int
    id: str
    unit: str
    interval: float


@dataclass(slots=True)
class _Latest:
    at: int = 0
    value: float | None = None
    flagged: bool = False
    kept: deque[tuple[int, float | None]] | None = None


@dataclass(slots=True)
class Calculated:
    """One calculated channel. `problem`: why it is not calculated at all, "" where it is. `nothing`: why its last value was
    none, and when. `failure`: an error of ours in evaluating it, until somebody has taken it out."""

    part: CalculatedPart
    number: int
    problem: str = ""
    interval: float = 1.0
    nothing: str = ""
    nothing_at: int = 0
    failure: Exception | None = None
    told: bool = False
    program: Program | None = None
    make: Callable[[], Program] | None = None
    lead: int = 0
    inputs: list[int] = field(default_factory=list)
    ages: list[int] = field(default_factory=list)
    pipeline: ChannelPipeline | None = None
    pending: deque[tuple[int, bool]] = field(default_factory=lambda: deque(maxlen=KEPT))


class Calculator:
    """All calculated channels of a bench. Feed it every batch of samples, in order of sequence."""

    def __init__(
        self, parts: Sequence[CalculatedPart], known: Sequence[Known], numbers: Mapping[str, int]
    ) -> None:
        self._parts, self._known, self._numbers = parts, known, numbers
        self.all: list[Calculated] = []
        self.failed = False
        self._latest: dict[int, _Latest] = {}
        self._by_lead: dict[int, list[Calculated]] = {}
        self.restart()

    def restart(self) -> None:
        """Forget everything: windows and integrals start again."""
        found = {one.id: one for one in self._known}
        made: dict[str, Calculated] = {
            part.id: Calculated(part, self._numbers[part.id]) for part in self._parts
        }
        for part in self._parts:
            if part.id in found:
                made[
                    part.id
                ].problem = f"The id “{part.id}” is used by an instrument’s channel already. Choose another."
        self._latest, self._by_lead = {}, {}
        for part in _in_order(self._parts, made):
            one = made[part.id]
            broken = [made[c.id] for c in named_in(part) if c.id in made and made[c.id].problem]
            if not one.problem and broken:
                column = next(c.column for c in named_in(part) if c.id == broken[0].part.id)
                one.problem = f"Column {column}: “{broken[0].part.id}” is not calculated itself. Fix that channel first."
            if not one.problem:
                try:
                    self._prepare(one, found)
                except ExpressionError as error:
                    one.problem = f"{str(error).rstrip('.')}."
            if one.problem:
                continue
            found[part.id] = Known(one.number, part.id, part.unit, one.interval)
            self._by_lead.setdefault(one.lead, []).append(one)
        self.all = [made[part.id] for part in self._parts]

    def _prepare(self, one: Calculated, found: Mapping[str, Known]) -> None:
        part = one.part
        units = {id: channel.unit for id, channel in found.items()}
        one.make = partial(compiled, part.expression, units, part.unit)
        program = one.make()
        inputs = [found[id] for id in program.inputs]
        lead = min(inputs, key=lambda channel: channel.interval or 0.1)
        if part.lead is not None:
            named = [channel for channel in inputs if channel.id == part.lead]
            if not named:
                raise ExpressionError(1, f"its lead “{part.lead}” is not in it")
            lead = named[0]
        one.program, one.lead, one.interval = program, lead.number, lead.interval
        if part.thinning is not None and part.thinning.every_s is not None:
            one.interval = part.thinning.every_s
        elif part.thinning is not None and part.thinning.every is not None:
            one.interval = lead.interval * part.thinning.every
        one.inputs = [channel.number for channel in inputs]
        one.ages = [
            round(part.age_s * 1e6) if part.age_s is not None else max(round(channel.interval * 2e6), MIN_AGE)
            for channel in inputs
        ]
        one.pipeline = ChannelPipeline(one.number, filters=part.filter, thinning=part.thinning)
        for number in one.inputs:
            latest = self._latest.setdefault(number, _Latest())
            if part.meet == "interpolated" and latest.kept is None:
                latest.kept = deque(maxlen=KEPT)

    def failures(self) -> list[tuple[str, Exception]]:
        """Whose evaluation failed since the last look, by name, and of what."""
        self.failed = False
        found = [(one.part.name, one.failure) for one in self.all if one.failure is not None]
        for one in self.all:
            one.failure = None
        return found

    def feed(self, batch: Batch) -> Batch | None:
        """The calculated samples that come of these; None for none."""
        if not self._latest:
            return None
        out = Batch()
        words, times, values = batch.words, batch.times, batch.values
        index, total = 0, len(words)
        latest, leads = self._latest, self._by_lead
        while index < total:
            at = times[index]
            due: list[int] = []
            # What was measured at one time comes in together, before anything is calculated from it.
            while index < total and times[index] == at and (words[index] >> 8) not in due:
                number, quality = words[index] >> 8, words[index] & 0xFF
                entry = latest.get(number)
                if entry is not None:
                    self._note(entry, at, quality, values[index])
                    due.append(number)
                index += 1
            place = 0
            while place < len(due):  # calculated channels may lead others: they come behind
                number = due[place]
                place += 1
                for one in leads.get(number, ()):
                    self._evaluate(one, at, out, due)
        return out if out.words else None

    def state(self) -> dict[str, Any]:
        """What it remembers, as JSON: what came last of every channel, windows, filters."""
        names = {number: id for id, number in self._numbers.items()}
        return {
            "latest": {
                names[number]: [
                    one.at,
                    one.value,
                    one.flagged,
                    list(one.kept) if one.kept is not None else None,
                ]
                for number, one in self._latest.items()
            },
            "calculated": {
                one.part.id: {
                    "windows": one.program.state(),
                    "pipeline": one.pipeline.state(),
                    "pending": list(one.pending),
                }
                for one in self.all
                if one.program is not None and one.pipeline is not None
            },
        }

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave, of the same calculated channels."""
        self.restart()
        for id, (at, value, flagged, kept) in state["latest"].items():
            one = self._latest.get(self._numbers.get(id, -1))
            if one is not None:
                one.at, one.value, one.flagged = at, value, flagged
                if one.kept is not None and kept is not None:
                    one.kept.extend((time, known) for time, known in kept)
        for each in self.all:
            found = state["calculated"].get(each.part.id)
            if found is not None and each.program is not None and each.pipeline is not None:
                each.program.restore(found["windows"])
                each.pipeline.restore(found["pipeline"])
                each.pending.extend((at, flagged) for at, flagged in found["pending"])

    def _note(self, entry: _Latest, at: int, quality: int, value: float) -> None:
        entry.at = at
        entry.value = value if quality <= Quality.FLAGGED else None
        entry.flagged = quality == Quality.FLAGGED
        if entry.kept is not None:
            entry.kept.append((at, entry.value))

    def _evaluate(self, one: Calculated, at: int, out: Batch, due: list[int]) -> None:
        if one.part.meet == "interpolated":
            one.pending.append((at, self._latest[one.lead].flagged))
            self._interpolate(one, out, due)
            return
        inputs: list[float | None] = []
        flagged = False
        for number, age in zip(one.inputs, one.ages, strict=True):
            entry = self._latest[number]
            fresh = entry.value is not None and at - entry.at <= age
            inputs.append(entry.value if fresh else None)
            flagged = flagged or (fresh and entry.flagged)
        self._put(one, at, inputs, flagged, out, due)

    def _interpolate(self, one: Calculated, out: Batch, due: list[int]) -> None:
        while one.pending:
            at, flagged = one.pending[0]
            newest = one.pending[-1][0]
            inputs: list[float | None] = []
            for number, age in zip(one.inputs, one.ages, strict=True):
                entry = self._latest[number]
                if entry.at < at and newest - at <= age:
                    return  # its next sample may still come
                inputs.append(_between(entry.kept or (), at, age))
            one.pending.popleft()
            self._put(one, at, inputs, flagged, out, due)

    def _put(
        self, one: Calculated, at: int, inputs: list[float | None], flagged: bool, out: Batch, due: list[int]
    ) -> None:
        assert one.program is not None
        assert one.pipeline is not None
        quality, value = Quality.FLAGGED if flagged else Quality.OK, NAN
        try:
            value = one.program.value(at, inputs)
        except Nothing as nothing:
            quality = Quality.NO_READING
            if not nothing.silent:
                one.nothing, one.nothing_at = str(nothing), at
        except Exception as error:
            # A formula fails by itself: the others go on, and it begins afresh, for what it remembers may be half done.
            quality = Quality.NO_READING
            one.nothing, one.nothing_at = f"its evaluation failed ({error!r})", at
            if not one.told:  # once: a log is not filled by one formula
                one.failure, one.told, self.failed = error, True, True
            one.program = one.make() if one.make is not None else one.program
        before = len(out.words)
        one.pipeline.take(quality, at, value, out)
        entry = self._latest.get(one.number)
        if entry is not None:
            for index in range(before, len(out.words)):
                self._note(entry, out.times[index], out.words[index] & 0xFF, out.values[index])
                due.append(one.number)


def named_in(part: CalculatedPart) -> list[ChannelRef]:
    """The channels that an expression names; none where it cannot be read."""
    try:
        return channels_in(parse(part.expression))
    except ExpressionError:
        return []


def made_from(ids: Iterable[str], calculated: Sequence[CalculatedPart]) -> set[str]:
    """The channels that these are made from, over any number of steps."""
    parts = {part.id: part for part in calculated}
    found: set[str] = set()
    to_look_at = [id for id in ids if id in parts]
    while to_look_at:
        for ref in named_in(parts[to_look_at.pop()]):
            if ref.id not in found:
                found.add(ref.id)
                if ref.id in parts:
                    to_look_at.append(ref.id)
    return found


def _between(kept: "deque[tuple[int, float | None]] | tuple[()]", at: int, age: int) -> float | None:
    """A channel's value at a time, straight between its samples; None where one of them is missing or far off."""
    after: tuple[int, float | None] | None = None
    for time, value in reversed(kept):
        if time == at:
            return value
        if time < at:
            if after is None or value is None or after[1] is None or after[0] - time > 2 * age:
                return None
            return value + (after[1] - value) * (at - time) / (after[0] - time)
        after = time, value
    return None


def _in_order(parts: Sequence[CalculatedPart], made: Mapping[str, Calculated]) -> list[CalculatedPart]:
    """Each behind those it is made from. Those that go in a circle, or cannot be read, get their problem."""
    by_id = {part.id: part for part in parts}
    needs: dict[str, list[str]] = {}
    for part in parts:
        try:
            parse(part.expression)
        except ExpressionError as error:
            made[part.id].problem = f"{str(error).rstrip('.')}."
        needs[part.id] = [c.id for c in named_in(part) if c.id in by_id]
    ordered: list[CalculatedPart] = []
    done: set[str] = set()

    def visit(id: str, way: list[str]) -> None:
        if id in way:
            circle = way[way.index(id) :]
            names = " → ".join(f"“{one}”" for one in [*circle, id])
            for one in circle:
                made[one].problem = f"Circular reference: {names}. Break it at one of them."
            return
        if id in done:
            return
        for other in needs[id]:
            visit(other, [*way, id])
        if id not in done:
            done.add(id)
            ordered.append(by_id[id])

    for part in parts:
        visit(part.id, [])
    return ordered
