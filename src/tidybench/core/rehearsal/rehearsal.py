"""A rehearsal: a procedure carried out in quick time, against instruments that are played from a tape.

Everything is what it is live: each link's exchange with its polls, time-outs and readers, the commands, calculated channels, the
procedure's state machine. Only the clock is not: it jumps to whatever happens next. The same in gives the same out.
"""

import heapq
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import made_from
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.planning import plan_links
from tidybench.core.derivation import Derivation
from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.procedure.checked import Checked
from tidybench.core.procedure.run import Logged, ProcedureRun, Question, Wish
from tidybench.core.rehearsal.played import Played
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import Calculations
from tidybench.core.tape.events import Event, Opened, Received, Sent

BEFORE = 3_000_000
"""Microseconds that instruments are asked before the procedure begins: as live, values are there already."""

TAKEN_AS_ANSWERED = 50_000
"""Microseconds that a command takes which is not on the tape."""

POINT_BEGINS = 500_000
"""Microseconds that a point takes besides its average: it begins behind the samples that are on their way."""

MOST_TURNS = 3_000_000
"""Turns of the clock after which a rehearsal is given up."""

AT_ONCE = 10_000
"""Turns at the same instant; a rehearsal that does not get on is given up."""


@dataclass(slots=True, frozen=True)
class SentThen:
    """A command that went out at `at`. `known`: it is on the tape; else it was taken as answered."""

    at: int
    instrument: str
    command: str
    data: bytes
    known: bool


@dataclass(slots=True)
class Rehearsed:
    """What came of it. Microseconds; `log` as of a procedure that is carried out. `asks`: a question that nobody
    has answered."""

    begun_at: int
    ended_at: int = 0
    log: list[Logged] = field(default_factory=list)
    sent: list[SentThen] = field(default_factory=list)
    failed: bool = False
    why: str = ""
    asks: Question | None = None


class Rehearsal:
    """One procedure, once."""

    def __init__(
        self,
        made: Checked,
        setups: Sequence[Setup],
        calculations: Calculations,
        numbers: Mapping[str, int],
        played: Played,
        answers: Mapping[int, float | str],
        may_go_on: Callable[[], bool] = lambda: True,
    ) -> None:
        """`numbers` of all channels, by id, the same that `made` was checked with. `answers`: of questions for numbers and texts, by their own numbers; yes
        is said to the others. `may_go_on` is asked now and then."""
        self._made, self._played, self._answers, self._may_go_on = made, played, answers, may_go_on
        wanted = _links_of(made, setups, calculations, numbers)
        kept = [setup for setup in setups if setup.link.address in wanted]
        self._setups = {setup.instrument.id: setup for setup in kept}
        self._derivation = Derivation(setups, calculations, numbers)
        self._now = played.first
        plans = plan_links([_known(setup) for setup in kept], numbers)
        for plan in plans:
            played.call(plan.key, {setup.instrument.id for setup in plan.setups})
        self._links = {plan.key: _Link(plan, played) for plan in plans}
        self._later: list[tuple[int, int, Callable[[], None]]] = []
        self._count = 0
        self._run: ProcedureRun | None = None
        self._done = Rehearsed(self._now)

    @property
    def silent(self) -> list[str]:
        """The names of instruments that it depends on, and that the tape has nothing of."""
        return [one.instrument.name for one in self._setups.values() if one.link.address not in self._played.links]  # fmt: skip

    def carry_out(self) -> Rehearsed:
        """To its end. It raises nothing of its own."""
        for link in self._links.values():
            self._heard(link.key, link.begin(self._now))
        self._until(self._now + BEFORE)
        self._played.place = self._played.first
        run = self._run = ProcedureRun(self._made, self._now)
        self._done.begun_at = self._now
        why = self._to_its_end(run)
        if why:
            run.stop(why)
            self._to_its_end(run)
        done = self._done
        done.ended_at, done.log, done.failed, done.why = self._now, run.log, run.failed, run.why
        return done

    def _to_its_end(self, run: ProcedureRun) -> str:
        """Why it was given up, "" where it has ended."""
        turns = same = 0
        while True:
            for wish in run.look(self._now):
                self._carry_out(wish)
            if run.state == "ended":
                return ""
            if (question := run.question) is not None and (why := self._answer(run, question)):
                return why
            before = self._now
            if run.passes_time and run.deadline is not None and run.deadline - self._now > 2 * BEFORE:
                self._leap(run.deadline - self._now - BEFORE)
            self._turn(run.deadline)
            same = same + 1 if self._now == before else 0
            turns += 1
            if same > AT_ONCE or turns > MOST_TURNS or (turns % 256 == 0 and not self._may_go_on()):
                return "the rehearsal was given up: it takes too long to be worked out"

    def _answer(self, run: ProcedureRun, question: Question) -> str:
        if question.answer == "yes or no":
            run.answer(True, "the rehearsal")
        elif question.answer == "picture":
            run.answer("a picture", "the rehearsal")
        elif question.number in self._answers:
            run.answer(self._answers[question.number], "the rehearsal")
        else:
            self._done.asks = question
            return f"line {question.line} asks for a {question.answer}: give one to rehearse what follows"
        return ""

    # ---- the clock

    def _until(self, at: int) -> None:
        while self._now < at:
            self._turn(at)

    def _turn(self, deadline: int | None) -> None:
        """To whatever happens next, and let it happen."""
        due = [at for link in self._links.values() if (at := link.next_at()) is not None]
        if deadline is not None:
            due.append(deadline)
        if self._later:
            due.append(self._later[0][0])
        to = max(self._now, min(due, default=self._now + 1_000_000))
        since = self._played.place
        self._played.go_on(to - self._now)
        # Looked up before anything is said: a command moves the tape's place.
        alone = {key: self._played.alone(key, since, self._played.place) for key in self._links}
        self._now = to
        while self._later and self._later[0][0] <= to:
            heapq.heappop(self._later)[2]()
        for link in self._links.values():
            self._heard(link.key, link.step(to, b"".join(alone[link.key])))

    def _leap(self, span: int) -> None:
        """Nothing is looked at for so long: nothing need be asked."""
        self._played.go_on(span)
        self._now += span
        for link in self._links.values():
            link.leap(self._now)

    def _at(self, at: int, call: Callable[[], None]) -> None:
        self._count += 1
        heapq.heappush(self._later, (at, self._count, call))

    def _heard(self, key: str, events: list[tuple[Event, Batch | None]]) -> None:
        run = self._run
        for event, batch in events:
            self._derivation.feed(key, event, batch)
            if batch is not None and run is not None:
                for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
                    run.sample(word >> 8, word & 0xFF, at, value)

    # ---- what it wants

    def _carry_out(self, wish: Wish) -> None:
        run = self._run
        assert run is not None
        told = partial(run.told, wish.number)
        if wish.what == "command":
            self._command(wish, told)
        elif wish.what == "read":
            link = self._links[self._setups[wish.instrument].link.address]
            link.talk.want(wish.instrument)
        elif wish.what == "point":
            self._at(self._now + POINT_BEGINS + wish.span, partial(told, True, "point taken"))
        else:
            words = {
                "remember": "",
                "mark": f"marked “{wish.text}”",
                "begin run": f"the run “{wish.text}” would begin",
                "begin from plan": f"a run would begin from the plan “{wish.text}”",
                "draw": f"a row of “{wish.text}” would be drawn",
                "capture": f"{wish.values.get('samples', 0)} samples would be captured",
                "zero": f"{wish.text} would be zeroed; in what follows it is not",
            }
            told(True, words.get(wish.what, "the run would end"))

    def _command(self, wish: Wish, told: Callable[[bool, str], None]) -> None:
        setup = self._setups[wish.instrument]
        link = self._links[setup.link.address]
        compiled = self._made.view.commands[wish.instrument, wish.command]
        self._count += 1

        def ended(act: InstrumentAct) -> None:
            assert act.ended is not None
            told(act.ended.outcome in ("answered", "sent"), act.ended.words)

        try:
            act = InstrumentAct(compiled, self._count, wish.values, "a rehearsal", self._now, ended)
        except ValueError as error:
            told(False, str(error))
            return
        known = self._played.knows(link.key, act.sent)
        self._done.sent.append(SentThen(self._now, wish.instrument, wish.command, act.sent, known))
        if known:
            link.talk.enqueue([act.command()])
        else:
            words = "taken as answered: the tape has no such command"
            self._at(self._now + TAKEN_AS_ANSWERED, partial(told, True, words))


class _Link:
    """One link in quick time: the live side of an exchange, and who is played at its other end."""

    def __init__(self, plan: LinkPlan, played: Played) -> None:
        self.key = plan.key
        self.talk = LinkTalk(plan, played.first)
        self._played = played
        self._coming: list[tuple[int, int, bytes]] = []
        self._count = 0
        self._now = played.first

    def begin(self, now: int) -> list[tuple[Event, Batch | None]]:
        """The port is opened."""
        found = self._put([Opened(now, {})])
        self.talk.opened(now)
        return found

    def next_at(self) -> int | None:
        """When something happens on it."""
        due = [at for at in (self.talk.deadline(), self._coming[0][0] if self._coming else None) if at is not None]  # fmt: skip
        alone = self._played.next_alone(self.key)
        if alone is not None:
            due.append(self._now + alone)
        return min(due, default=None)

    def leap(self, now: int) -> None:
        """Time has passed."""
        self._now = now

    def step(self, now: int, data: bytes) -> list[tuple[Event, Batch | None]]:
        """What happens at `now`; `data`: what came by itself."""
        self._now = now
        found: list[tuple[Event, Batch | None]] = []
        while self._coming and self._coming[0][0] <= now:
            data += heapq.heappop(self._coming)[2]
        if data:
            found += self._put(self.talk.received(data, now))
        due = self.talk.deadline()
        if due is not None and due <= now:
            if self.talk.may_speak:
                found += self._put(self.talk.speak(now))
            found += self._put(self.talk.stop_waiting(now))
        return found

    def _put(self, events: Sequence[Event] | Sequence[Received]) -> list[tuple[Event, Batch | None]]:
        found = []
        for event in events:
            if isinstance(event, Sent):
                for later, data in self._played.hear(self.key, event.data) or ():
                    self._count += 1
                    heapq.heappush(self._coming, (event.at + max(1, later), self._count, data))
            found.append((event, self.talk.feed(event)))
        return found


def _known(setup: Setup) -> Setup:
    """The instrument as it is once the port has been open for a while: it has said who it is, and its start commands are sent."""
    return setup.model_copy(update={"identity": None, "start": []})


def _links_of(
    made: Checked, setups: Sequence[Setup], calculations: Calculations, numbers: Mapping[str, int]
) -> set[str]:
    """The links that it depends on: of the instruments it gives commands, and of the channels it looks at."""
    ids = {id for id, number in numbers.items() if number in made.channels}
    ids |= made_from(ids, calculations.calculated)
    return {
        setup.link.address
        for setup in setups
        if setup.instrument.id in made.instruments or any(channel.id in ids for channel in setup.channel)
    }
