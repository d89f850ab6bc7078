"""The reactor: reactions are decided where a sample is read, and carried out. Commands go through the links' queues like anybody's."""

import logging
import math
import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Protocol

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.acting.fitted_reactions import FittedReactions, fitted
from tidybench.core.acting.reaction import Reacting, ReactionWatch, ReactionWatches, SetOff
from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import made_from
from tidybench.core.setup.reactions import DoPart, ReactionPart, Reactions, Standing, load_reactions
from tidybench.core.setup.toml import SetupError
from tidybench.core.tape.events import Note, Reacted, ReactionsStand
from tidybench.recorder.acts import Acts
from tidybench.recorder.clock import Clock
from tidybench.recorder.conductor import NOBODY, Bench, Told
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.safe_states import SafeStates
from tidybench.runs.entry import Entry
from tidybench.runs.last_reactions import LastReaction, asked_by
from tidybench.wire.commands import GiveCommand
from tidybench.wire.reactions import KeptReactions, ReactionStatus

logger = logging.getLogger(__name__)

IDLE = 0.5
"""Seconds between two looks where nothing is due."""

HURRY_EVERY = 2_000
"""Microseconds between two times that the writer is hurried for a calculated channel: else a fast stream would never be gathered."""


@dataclass(slots=True)
class _Told:
    """What came of a reaction last. `words`: of each thing, by its place among those that are done; `trouble` and `banner`: what is said
    until somebody has seen it."""

    count: int = 0
    at: int | None = None
    words: dict[int, str] = field(default_factory=dict)
    good: bool = True
    trouble: str = ""
    banner: str = ""
    sound: bool = False

    @property
    def said(self) -> str:
        """All that is to be seen."""
        return " ".join(one for one in (self.trouble, self.banner) if one)


class Came(Protocol):
    """Is told what came of one thing that was done."""

    def __call__(self, good: bool, words: str, on_tape: bool = False) -> None:
        """`on_tape`: it stands there already."""


class Reactor(threading.Thread):
    """`seen` and `react` are the links' threads', `heard` the writer's, the rest anybody's."""

    def __init__(
        self,
        employed: Callable[[], Employed],
        acts: Acts,
        bench: Bench,
        journal: Journal,
        clock: Clock,
        safe: SafeStates,
        start_procedure: Callable[[str, str, Told], None],
        remember: Callable[[dict[str, str]], None],
        kept: KeptReactions,
        disarmed: dict[str, str],
        last: Callable[[], dict[str, LastReaction]],
        run_is_on: Callable[[], bool],
    ) -> None:
        """`start_procedure`: a text, who asks, who is told. `remember`: why reactions are disarmed, by their ids. `last`: how they stood on the
        tape of the run that goes on after a restart; it may take its time."""
        super().__init__(name="reactor", daemon=True)
        self._employed, self._acts, self._bench = employed, acts, bench
        self._journal, self._clock, self._safe = journal, clock, safe
        self._start_procedure, self._remember = start_procedure, remember
        self._last, self._run_is_on = last, run_is_on
        self._lock = threading.RLock()
        self._change = threading.Condition(self._lock)
        self._to_do: deque[Callable[[], None]] = deque()
        self._stopping = False
        self._disarmed = dict(disarmed)
        self._told: dict[str, _Told] = {}
        self._of: Employed | None = None
        self._fitted = FittedReactions(ReactionWatches(), {})
        self._calculated: frozenset[int] = frozenset()  # watched channels that are
        self._feeding: frozenset[int] = frozenset()  # what those are made from
        self._reactions = Reactions()
        self.kept = KeptReactions()
        self._hurried_at = 0
        self._on_its_way: dict[str, str] = {}  # due, and not on the tape yet: how their channels stood before
        self._begun = False  # until it is known what was done before a restart, nothing is
        try:
            self._reactions, self.kept = load_reactions(kept.text or "format = 1\n"), kept
        except SetupError as error:
            logger.error("the reactions that were in force cannot be taken up: %s", error)

    # ---- what others want

    def put(self, kept: KeptReactions, reactions: Reactions) -> None:
        """These are in force from here on. Those that have not changed go on."""
        with self._change:
            self.kept, self._reactions = kept, reactions
            ids = {one.id for one in reactions.reaction}
            self._disarmed = {id: why for id, why in self._disarmed.items() if id in ids}
            self._told = {id: one for id, one in self._told.items() if id in ids}
            self._fit()
            self._remember(dict(self._disarmed))
            self._change.notify()

    def arm(self, id: str, on: bool, by: str) -> None:
        """Arm or disarm. Raises RequestRefused."""
        with self._change:
            part = self._part(id)
            who = by or NOBODY
            if on:
                self._disarmed.pop(id, None)
            else:
                self._disarmed[id] = f"disarmed by {who}"
            for watch in self._watches_of(id):
                watch.arm(on, self._clock.now())
            self._journal.put("", Note(self._clock.now(), "reaction", f"{part.name}: {'armed' if on else 'disarmed'} by {who}"))  # fmt: skip
            self._remember(dict(self._disarmed))
            self._change.notify()

    def see(self, id: str, by: str) -> None:
        """Somebody has seen what it says. Raises RequestRefused."""
        with self._lock:
            part = self._part(id)
            told = self._told.get(id)
            if told is not None and told.said:
                self._journal.put("", Note(self._clock.now(), "reaction", f"{part.name}: “{told.said}” seen by {by or NOBODY}"))  # fmt: skip
                told.trouble = told.banner = ""

    def carry_out(self, id: str, standing: Standing, by: str) -> None:
        """Do what it does when its channel stands so. Raises RequestRefused."""
        with self._lock:
            part = self._part(id)
            if self._fitted.problems.get(id):
                raise RequestRefused("conflict", " ".join(self._fitted.problems[id]))
            doing = part.done_when(standing)
            if not doing:
                raise RequestRefused("invalid", f"“{part.name}” does nothing at “{standing}”.")
        self._react(Reacting(part, self._clock.now(), standing, "", math.nan, tuple(doing)), f", tried out by {by or NOBODY}")  # fmt: skip

    def stop(self) -> None:
        """Nothing is reacted to any more."""
        with self._change:
            self._stopping, self._begun = True, False  # what safe states bring about is none of its business
            self._change.notify()
        if self.is_alive():
            self.join(2)

    def _part(self, id: str) -> ReactionPart:
        found = next((one for one in self._reactions.reaction if one.id == id), None)
        if found is None:
            raise RequestRefused("not found", f"There is no reaction “{id}”.")
        return found

    def _watches_of(self, id: str) -> list[ReactionWatch]:
        return [one for one in self._fitted.watches.all if one.part.id == id]

    # ---- what is measured

    def seen(self, batch: Batch) -> list[Reacting]:
        """What is due because of these samples; a link's thread, just when they are read."""
        if not self._begun:
            return []
        if self._of is not self._employed():
            self._later(lambda: None)  # other channels: they are fitted to them at once
        watches, feeding = self._fitted.watches.watches, self._feeding
        watched = False
        for word in batch.words:  # every sample of the bench comes by here
            number = word >> 8
            watched = watched or number in watches
            if number in feeding:
                feeding = frozenset()
                self._hurry()  # what is calculated from it is calculated at once
        if not watched:
            return []
        with self._lock:
            return self._due(self._fitted.watches.samples(batch.words, batch.values, self._clock.now()))

    def _hurry(self) -> None:
        now = self._clock.now()
        if not 0 <= now - self._hurried_at < HURRY_EVERY:
            self._hurried_at = now
            self._journal.hurry()

    def _due(self, found: list[Reacting]) -> list[Reacting]:
        """Until they are on the tape, a segment that begins must not say that they have been. Under the lock."""
        for one in found:
            self._on_its_way[one.part.id] = one.before
        return found

    def react(self, due: Sequence[Reacting]) -> None:
        """Carry these out. Any thread: nothing is waited for."""
        for one in due:
            try:
                self._react(one)
            except Exception:  # what is read must go on being read
                logger.exception("a reaction failed")

    def heard(self, entries: Sequence[Entry]) -> None:
        """What has happened; sealed entries. Calculated channels are watched here."""
        numbers = self._calculated
        if not numbers or not self._begun:
            return
        due: list[Reacting] = []
        with self._lock:
            for entry in entries:
                if entry.batch is None:
                    continue
                pairs = zip(entry.batch.words, entry.batch.values, strict=True)
                for word, value in pairs:
                    if word >> 8 in numbers:
                        found = self._fitted.watches.samples((word,), (value,), self._clock.now())
                        due += self._due(found)
        self.react(due)

    # ---- the thread

    def run(self) -> None:
        try:
            self._take_up(self._last())
        except Exception:
            logger.exception("how reactions stood before the restart could not be read")
        self._begun = True
        while True:
            with self._change:
                if self._stopping:
                    return
                if self._of is not self._employed():
                    self._fit()
                due = self._due(self._fitted.watches.look(self._clock.now()))
                if not due and not self._to_do:
                    self._change.wait(self._patience())
                calls = list(self._to_do)
                self._to_do.clear()
            self.react(due)
            for call in calls:
                try:
                    call()
                except Exception:
                    logger.exception("what a reaction wants could not be done")

    def _patience(self) -> float:
        due = self._fitted.watches.deadline
        return IDLE if due is None else min(max((due - self._clock.now()) / 1e6, 0.001), IDLE)

    def _fit(self) -> None:
        employed = self._employed()
        now, calculated = self._clock.now(), employed.calculations.calculated
        self._fitted = made = fitted(
            self._reactions,
            employed.setups,
            calculated,
            employed.numbers,
            self.kept.procedures,
            now,
            self._fitted.watches,
        )
        for watch in made.watches.all:
            watch.armed = watch.part.id not in self._disarmed
        watched = {watch.part.channel for watch in made.watches.all}
        self._calculated = frozenset(employed.numbers[one.id] for one in calculated if one.id in watched)
        self._feeding = frozenset(
            employed.numbers[id] for id in made_from(watched, calculated) if id in employed.numbers
        )
        self._of = employed

    def _take_up(self, last: dict[str, LastReaction]) -> None:
        """After a restart in a run: what was done is not done again, and what may have been done leads to the safe state."""
        with self._lock:
            self._fit()
            for watch in self._fitted.watches.all:
                found = last.get(watch.part.id)
                if found is None:
                    continue
                watch.reacted = found.before if found.none_given else found.standing
                if not found.open:
                    continue
                why = f"the recorder was restarted while “{watch.part.name}” acted"
                told = self._told.setdefault(watch.part.id, _Told())
                told.at, told.good, told.trouble, told.sound = found.at, False, f"{watch.part.name}: the recorder was restarted while it acted. Whether all of it was done is not known: look at the bench.", True  # fmt: skip
                self._to_do.append(partial(self._safe.send, found.open, why))

    # ---- carrying out

    def _react(self, one: Reacting, remark: str = "") -> None:
        part = one.part
        doing = one.doing
        instruments = [do.instrument for do in doing if do.instrument is not None]
        with self._lock:
            told = self._told.setdefault(part.id, _Told())
            told.count, told.at, told.words, told.good = told.count + 1, one.at, {}, True
            if part.once and not remark:
                self._disarm(part.id, "it has reacted once")
            circle = self._fitted.watches.set_off(one) if instruments and not remark else None
        value = one.value if math.isfinite(one.value) else None
        words = [do.words for do in doing]
        if remark:
            words[0] += remark
        self._journal.put("", Reacted(one.at, part.id, part.name, one.standing, one.before, value, words, instruments))  # fmt: skip
        with self._lock:
            self._on_its_way.pop(part.id, None)
        by = asked_by(part.name)
        for place, do in enumerate(doing):
            came = partial(self._came, part, place)
            if do.command is not None:  # at once; the rest may take its time
                self._give(do, one.at, by, came)
            else:
                self._later(partial(self._do, part, do, by, came))
        if circle is not None:
            self._say_circle(circle)

    def _give(self, do: DoPart, at: int, by: str, came: "Came") -> None:
        assert do.instrument is not None
        assert do.command is not None
        asked = GiveCommand(instrument=do.instrument, command=do.command, values=do.values, by=by, sure=True)

        def ended(act: InstrumentAct) -> None:
            assert act.ended is not None
            good = act.ended.outcome in ("answered", "sent")
            came(good, f"{do.words}: {act.ended.words}", on_tape=True)

        try:
            self._acts.give(asked, self._employed(), at, ended)
        except RequestRefused as error:
            came(False, str(error))

    def _do(self, part: ReactionPart, do: DoPart, by: str, came: "Came") -> None:
        if do.mark is not None and not self._run_is_on():
            came(True, "no run is on: not marked")
        elif do.mark is not None:
            self._bench.mark(do.mark, by, came)
        elif do.banner is not None:
            with self._lock:
                one = self._told.setdefault(part.id, _Told())
                one.banner, one.sound = do.banner, do.sound
        elif do.procedure is not None:
            self._start_procedure(self.kept.procedures[do.procedure], by, came)
        elif do.begin_run is not None:
            self._bench.begin_run(do.begin_run, "", came)
        else:
            self._bench.end_run(by, came)

    def _later(self, call: Callable[[], None]) -> None:
        with self._change:
            self._to_do.append(call)
            self._change.notify()

    def _came(self, part: ReactionPart, place: int, good: bool, words: str, on_tape: bool = False) -> None:
        with self._lock:
            told = self._told.setdefault(part.id, _Told())
            told.words[place] = words
            told.good = told.good and good
            if not good:
                told.trouble = f"{part.name}: not all of it was done. {words}"
        if not good:
            logger.error("the reaction %s: %s", part.name, words)
            if not on_tape:
                self._journal.put("", Note(self._clock.now(), "reaction", f"{part.name}: {words}"))

    def _say_circle(self, circle: SetOff) -> None:
        names = [one.name for one in self._reactions.reaction if one.id in circle.ids]
        quoted = [f"“{name}”" for name in names]
        sentence = f"{' and '.join([', '.join(quoted[:-1]), quoted[-1]])} set each other off: they are disarmed. Give them levels that lie apart, or a hold-off."  # fmt: skip
        with self._lock:
            for id in circle.ids:
                self._disarm(id, "they set each other off")
                told = self._told.setdefault(id, _Told())
                told.trouble, told.sound = sentence, True
        logger.error("%s", sentence)
        self._journal.put("", Note(circle.at, "reaction", sentence))

    def _disarm(self, id: str, why: str) -> None:
        self._disarmed[id] = why
        for watch in self._watches_of(id):
            watch.armed = False
        self._remember(dict(self._disarmed))

    # ---- how they stand

    def standing(self) -> ReactionsStand | None:
        """What a segment of a tape begins with; None where there are no reactions. The writer's thread."""
        with self._lock:
            if not self._reactions.reaction:
                return None
            reacted = {watch.part.id: str(watch.reacted) for watch in self._fitted.watches.all}
            reacted |= self._on_its_way
        return ReactionsStand(self._clock.now(), reacted)

    def status(self) -> list[ReactionStatus]:
        """Of each, in their order. Any thread."""
        with self._lock:  # links wait for it: nothing is made while it is held
            parts, found = self._reactions.reaction, self._fitted
        watches = {watch.part.id: watch for watch in found.watches.all}
        return [self._status(part, watches.get(part.id)) for part in parts]

    def _status(self, part: ReactionPart, watch: ReactionWatch | None) -> ReactionStatus:
        told = self._told.get(part.id) or _Told()
        return ReactionStatus(
            id=part.id,
            name=part.name,
            channel=part.channel,
            disarmed=self._disarmed.get(part.id, ""),
            problems=self._fitted.problems.get(part.id, []),
            stands=watch.stands if watch is not None else "",
            since=watch.since if watch is not None else 0,
            value=watch.value if watch is not None and math.isfinite(watch.value) else None,
            count=told.count,
            last_at=told.at,
            words=", ".join(told.words[place] for place in sorted(told.words)),
            good=told.good,
            banner=told.said,
            sound=told.sound,
        )
